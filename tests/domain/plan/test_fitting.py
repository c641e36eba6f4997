"""One plan for several models: what fits each, and what is said to be lost."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.limits.limits import LimitRule, no_sensor_rule
from gezeiten.domain.limits.windows import NIGHTS
from gezeiten.domain.plan.fitting import FittedPlan, fitted
from gezeiten.domain.plan.models import BRISE_A4, DUENE_T2, MODELS, PRIEL_W3, REIF_C2, LoggerModel
from gezeiten.domain.plan.plan import ChannelSetting, DeviceOptions, Plan
from gezeiten.domain.plan.plan_check import check_plan

NOW = 1_795_417_200_000
KEYS = sorted({spec.key for model in MODELS.values() for spec in model.channels})
rules = st.builds(
    LimitRule,
    st.sampled_from(KEYS),
    st.sampled_from(["above", "below"]),
    st.floats(-50, 500),
    st.integers(0, 9000),
    hysteresis=st.just(0.0),
    window=st.sampled_from([None, NIGHTS]),
)
plans = st.builds(
    Plan,
    channels=st.lists(st.sampled_from(KEYS), unique=True).map(tuple),
    interval_s=st.sampled_from([1, 5, 7, 60, 600, 86_400, 604_800]),
    start=st.sampled_from(["now", "next_interval", "button"]),
    end=st.sampled_from(["full", "wrap", "button", "count"]),
    end_count=st.integers(2, 10**6),
    outside_interval_s=st.sampled_from([0, 1, 60, 7]),
    limits=st.lists(rules, max_size=6, unique_by=lambda r: r.key).map(tuple),
    manners=st.builds(DeviceOptions, sound=st.booleans(), display=st.sampled_from(["off", "on"])),
)


@given(plans, st.sampled_from(list(MODELS.values())))
def test_a_fitted_plan_fits_and_fitting_again_loses_nothing(plan: Plan, model: LoggerModel) -> None:
    first = fitted(plan, model)
    left = [f for f in check_plan(first.plan, model, NOW) if f.blocking]
    assert all("below the upper one" in f.sentence for f in left), left  # as crossed as it came
    again = fitted(first.plan, model)
    assert again.plan == first.plan
    assert again.unsupported == ()


def test_what_is_lost_is_said() -> None:
    plan = Plan(
        ("air_temperature", "co2"),
        10,
        start="button",
        end="button",
        restart=True,
        limits=(LimitRule("air_temperature", "above", 80.0),),
        manners=DeviceOptions("on", sound=True),
        settings=(ChannelSetting("air_temperature", sensor="probe"),),
    )
    kept = fitted(plan, MODELS["Brise A4"])
    assert kept.plan.channels == ("co2", "air_temperature")
    said = " ".join(kept.unsupported)
    for words in (
        "cannot record every 10 s; every 1 min instead",
        "has no button; it starts",
        "it ends when its memory is full",
        "The limit 80 of Air temperature is beyond",
        "has no alarm sound",
        "uses its default sensor.",
    ):
        assert words in said
    assert "display" not in said  # Brise A4 has one


def test_a_model_without_any_of_the_channels_records_all_its_own() -> None:
    kept = fitted(Plan(("co2",), 600), PRIEL_W3)
    assert kept.plan.channels == tuple(spec.key for spec in PRIEL_W3.channels)
    assert kept.unsupported[0] == "Priel W3 has no Carbon dioxide."


def test_a_needed_channel_comes_along() -> None:
    assert fitted(Plan(("relative_humidity",), 600), DUENE_T2).plan.channels == (
        "air_temperature",
        "relative_humidity",
    )


COLD = Plan(("probe_temperature",), 300, limits=(LimitRule("probe_temperature", "above", 7.0),))
ROOM = Plan(("air_temperature",), 600)
LOUD = DeviceOptions("on", 9, True, True, True, True, 1024)
HIGHS = tuple(LimitRule("air_temperature", "above", 20.0, i) for i in range(5))


@pytest.mark.parametrize(
    ("model", "plan", "change", "lost"),
    [
        (DUENE_T2, ROOM, {}, []),
        (DUENE_T2, replace(ROOM, interval_s=86_400), {}, []),
        (
            DUENE_T2,
            replace(ROOM, interval_s=86_401),
            {"interval_s": 86_400},
            ["Düne T2 cannot record every 1 d 1 s; every 1 d instead."],
        ),
        (
            BRISE_A4,
            replace(ROOM, interval_s=59),
            {"interval_s": 60},
            ["Brise A4 cannot record every 59 s; every 1 min instead."],
        ),
        (
            REIF_C2,
            replace(COLD, interval_s=86_400),
            {"interval_s": 43_200},
            ["Reif C2 cannot record every 1 d; every 12 h instead."],
        ),
        (REIF_C2, replace(COLD, outside_interval_s=150), {}, []),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=300),
            {"outside_interval_s": 0},
            ["The shorter interval outside limits does not fit the interval."],
        ),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=70),
            {"outside_interval_s": 0},
            ["The shorter interval outside limits does not fit the interval."],
        ),
        (REIF_C2, replace(COLD, outside_interval_s=60, limits=()), {"outside_interval_s": 0}, []),
        (
            REIF_C2,
            replace(COLD, outside_interval_s=60, limits=(no_sensor_rule("probe_temperature", 60),)),
            {"outside_interval_s": 0},
            [],
        ),
        (
            DUENE_T2,
            replace(ROOM, outside_interval_s=60, limits=HIGHS[:1]),
            {"outside_interval_s": 0},
            ["Düne T2 has no shorter interval outside limits."],
        ),
        (
            PRIEL_W3,
            Plan(("water_pressure",), 600, "button", start_delay_s=60),
            {"start": "next_interval", "start_delay_s": 0},
            ["Priel W3 has no button; it starts on the next full interval."],
        ),
        (
            PRIEL_W3,
            Plan(("water_pressure",), 600, end="button", restart=True),
            {"end": "full", "restart": False},
            ["Priel W3 has no button; it ends when its memory is full."],
        ),
        (REIF_C2, replace(COLD, end="count", end_count=128_512), {}, []),
        (
            REIF_C2,
            replace(COLD, end="count", end_count=128_513),
            {"end_count": 128_512},
            ["Only 128,512 readings fit into Reif C2; it ends after these."],
        ),
        (
            DUENE_T2,
            replace(ROOM, limits=(LimitRule("co2", "above", 900.0),)),
            {"limits": ()},
            ["Düne T2 has no Carbon dioxide, so its limit above 900 is left out."],
        ),
        (
            DUENE_T2,
            replace(ROOM, limits=(no_sensor_rule("co2", 60),)),
            {"limits": ()},
            ["Düne T2 has no Carbon dioxide, so its limit “no sensor” is left out."],
        ),
        (
            DUENE_T2,
            replace(
                ROOM,
                limits=(
                    LimitRule("air_temperature", "above", 85.0),
                    LimitRule("air_temperature", "below", -40.0),
                ),
            ),
            {},
            [],
        ),
        (
            DUENE_T2,
            replace(ROOM, limits=(LimitRule("air_temperature", "above", 85.5),)),
            {"limits": ()},
            ["The limit 85.5 of Air temperature is beyond the sensor of Düne T2."],
        ),
        (DUENE_T2, replace(ROOM, limits=(no_sensor_rule("air_temperature", 60),)), {}, []),
        (
            DUENE_T2,
            replace(ROOM, limits=HIGHS),
            {"limits": HIGHS[:4]},
            ["Düne T2 has only 4 limits for Air temperature."],
        ),
        (
            DUENE_T2,
            replace(ROOM, limits=(LimitRule("co2", "above", 900.0), *HIGHS[:1])),
            {"limits": HIGHS[:1]},
            ["Düne T2 has no Carbon dioxide, so its limit above 900 is left out."],
        ),
        (
            DUENE_T2,
            replace(
                ROOM,
                settings=(
                    ChannelSetting("co2", name="x"),
                    ChannelSetting("air_temperature", name="y"),
                ),
            ),
            {"settings": (ChannelSetting("air_temperature", name="y"),)},
            [],
        ),
        (
            DUENE_T2,
            replace(ROOM, settings=(ChannelSetting("air_temperature"),)),
            {"settings": ()},
            [],
        ),
        (DUENE_T2, replace(ROOM, settings=(ChannelSetting("air_temperature", "probe"),)), {}, []),
        (
            DUENE_T2,
            replace(ROOM, settings=(ChannelSetting("air_temperature", "nose", "x"),)),
            {"settings": (ChannelSetting("air_temperature", "", "x"),)},
            ["Air temperature of Düne T2 uses its default sensor."],
        ),
        (
            DUENE_T2,
            replace(ROOM, settings=(ChannelSetting("air_temperature", "nose"),)),
            {"settings": ()},
            ["Air temperature of Düne T2 uses its default sensor."],
        ),
        (DUENE_T2, replace(ROOM, manners=LOUD), {}, []),
        (
            DUENE_T2,
            replace(ROOM, manners=DeviceOptions(event_bytes=77)),
            {"manners": DeviceOptions()},
            ["Düne T2 uses its default memory for events."],
        ),
        (
            PRIEL_W3,
            Plan(("water_pressure",), 600, manners=LOUD),
            {"manners": DeviceOptions("off", 9, light=True)},
            [
                "Priel W3 has no display.",
                "Priel W3 has no alarm sound.",
                "Priel W3 has no key tone.",
                "Priel W3 has no check reminders.",
                "Priel W3 uses its default memory for events.",
            ],
        ),
        (
            DUENE_T2,
            Plan(("co2", "pm25"), 600),
            {"channels": ("air_temperature", "relative_humidity")},
            [
                "Düne T2 has no Carbon dioxide, Fine dust PM2.5.",
                "All channels of Düne T2 are on instead.",
            ],
        ),
    ],
)
def test_what_a_model_makes_of_a_plan(
    model: LoggerModel, plan: Plan, change: dict[str, object], lost: list[str]
) -> None:
    wanted = replace(plan, **change)  # type: ignore[arg-type]
    assert fitted(plan, model) == FittedPlan(wanted, tuple(lost))


def test_channels_stand_in_the_order_of_the_model() -> None:
    backwards = Plan(("conductivity", "water_pressure"), 600)
    kept = fitted(backwards, PRIEL_W3).plan.channels
    assert kept == ("water_pressure", "water_temperature", "conductivity")
