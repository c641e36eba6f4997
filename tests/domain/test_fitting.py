"""One plan for several models: what fits each, and what is said to be lost."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.fitting import fitted
from gezeiten.domain.limits import LimitRule
from gezeiten.domain.models import DUENE_T2, MODELS, PRIEL_W3, LoggerModel
from gezeiten.domain.plan import ChannelSetting, Manners, Plan
from gezeiten.domain.plan_check import check_plan
from gezeiten.domain.windows import NIGHTS

NOW = 1_795_417_200_000
KEYS = sorted({spec.key for model in MODELS.values() for spec in model.channels})
rules = st.builds(
    LimitRule,
    st.sampled_from(KEYS), st.sampled_from(["above", "below"]), st.floats(-50, 500),
    st.integers(0, 9000), hysteresis=st.just(0.0), window=st.sampled_from([None, NIGHTS]),
)  # fmt: skip
plans = st.builds(
    Plan,
    channels=st.lists(st.sampled_from(KEYS), unique=True).map(tuple),
    interval_s=st.sampled_from([1, 5, 7, 60, 600, 86_400, 604_800]),
    start=st.sampled_from(["now", "next_interval", "button"]),
    end=st.sampled_from(["full", "wrap", "button", "count"]),
    end_count=st.integers(2, 10**6),
    outside_interval_s=st.sampled_from([0, 1, 60, 7]),
    limits=st.lists(rules, max_size=6, unique_by=lambda r: r.key).map(tuple),
    manners=st.builds(Manners, sound=st.booleans(), display=st.sampled_from(["off", "on"])),
)


@given(plans, st.sampled_from(list(MODELS.values())))
def test_a_fitted_plan_fits_and_fitting_again_loses_nothing(plan: Plan, model: LoggerModel) -> None:
    first = fitted(plan, model)
    left = [f for f in check_plan(first.plan, model, NOW) if f.blocking]
    assert all("below the upper one" in f.sentence for f in left), left  # as crossed as it came
    again = fitted(first.plan, model)
    assert again.plan == first.plan
    assert again.lost == ()


def test_what_is_lost_is_said() -> None:
    plan = Plan(
        ("air_temperature", "co2"), 10, start="button", end="button", restart=True,
        limits=(LimitRule("air_temperature", "above", 80.0),), manners=Manners("on", sound=True),
        settings=(ChannelSetting("air_temperature", sensor="probe"),),
    )  # fmt: skip
    kept = fitted(plan, MODELS["Brise A4"])
    assert kept.plan.channels == ("co2", "air_temperature")
    said = " ".join(kept.lost)
    for words in ("cannot record every 10 s; every 1 min instead", "has no button; it starts",
                  "it ends when its memory is full", "The limit 80 of Air temperature is beyond",
                  "has no alarm sound", "takes its usual sensor"):  # fmt: skip
        assert words in said
    assert "display" not in said  # Brise A4 has one


def test_a_model_without_any_of_the_channels_records_all_its_own() -> None:
    kept = fitted(Plan(("co2",), 600), PRIEL_W3)
    assert kept.plan.channels == tuple(spec.key for spec in PRIEL_W3.channels)
    assert kept.lost[0] == "Priel W3 has no Carbon dioxide."


def test_a_needed_channel_comes_along() -> None:
    assert fitted(Plan(("relative_humidity",), 600), DUENE_T2).plan.channels == (
        "air_temperature", "relative_humidity",
    )  # fmt: skip
