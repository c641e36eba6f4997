"""One plan for several models: what fits each, what is said to be lost; names; ways; units; air."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from itertools import combinations, permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.fitting import fitted
from gezeiten.domain.intervals import NEAT_S, neat_interval_s, parse_duration_s
from gezeiten.domain.limits import LimitRule
from gezeiten.domain.models import DUENE_T2, MODELS, PRIEL_W3, REIF_C2, LoggerModel
from gezeiten.domain.moist_air import dew_point_c, saturation_hpa
from gezeiten.domain.naming import mission_name, name_fault, season
from gezeiten.domain.plan import ChannelSetting, Manners, Plan
from gezeiten.domain.plan_check import check_plan, fits
from gezeiten.domain.plan_words import compared, plan_fields, rule_text
from gezeiten.domain.route import EXACT_PLACES, distance_km, length_km, round_order
from gezeiten.domain.units import shown_unit, shown_units, text_unit
from gezeiten.domain.windows import NIGHTS
from gezeiten.errors import InputError, PlanError

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


# -- more that a plan can have wrong -------------------------------------------------------------
COLD = Plan(("probe_temperature",), 300, limits=(LimitRule("probe_temperature", "above", 7.0),))


@pytest.mark.parametrize(
    ("model", "change", "words"),
    [
        (PRIEL_W3, {"start": "button", "channels": ("water_pressure",), "limits": ()},
         "has no button to start it"),
        (REIF_C2, {"start": "button", "start_delay_s": 90_000}, "over a day"),
        (REIF_C2, {"end": "count", "end_count": 1}, "at least two readings"),
        (REIF_C2, {"end": "count", "end_count": 10**6}, "readings fit; give a smaller"),
        (REIF_C2, {"outside_interval_s": 300}, "not shorter than the usual one"),
        (REIF_C2, {"outside_interval_s": 70}, "1 min 10 s does not divide 5 min"),
        (REIF_C2, {"outside_interval_s": 60, "limits": ()}, "needs an alarm limit"),
        (DUENE_T2, {"outside_interval_s": 60, "channels": ("air_temperature",), "limits": ()},
         "knows no shorter interval"),
        (REIF_C2, {"settings": (ChannelSetting("probe_temperature", "nose"),)}, "knows no sensor"),
        (REIF_C2, {"settings": (ChannelSetting("probe_temperature", color="red"),)},
         "is no colour"),
        (REIF_C2, {"manners": Manners("press", 90)}, "1 to 60 minutes"),
        (REIF_C2, {"manners": Manners(event_bytes=77)}, "cannot keep that much memory"),
        (PRIEL_W3, {"manners": Manners("on"), "channels": ("water_pressure",), "limits": ()},
         "Priel W3 has no display"),
        (REIF_C2, {"mission_name": "a/b"}, "cannot stand in a file name"),
        (REIF_C2, {"mission_name": "nul"}, "keep for themselves"),
        (REIF_C2, {"remark": "x" * 401}, "longer than 400 bytes"),
        (REIF_C2, {"limits": (replace(COLD.limits[0], hysteresis=-1.0),)}, "hysteresis"),
        (REIF_C2, {"limits": (COLD.limits[0], replace(COLD.limits[0], value=8.0, level="warning"))},
         "would warn above the alarm"),
        (REIF_C2, {"limits": (replace(COLD.limits[0], hysteresis=4.0),
                              LimitRule("probe_temperature", "below", 4.0))}, "overlap"),
        (REIF_C2, {"limits": tuple(replace(COLD.limits[0], value=float(i), delay_s=i, side=side,
                                           level=level, window=window)
                                   for i, (side, level, window) in enumerate((
                                       ("below", "alarm", None), ("below", "alarm", NIGHTS),
                                       ("above", "alarm", None), ("above", "alarm", NIGHTS),
                                       ("above", "alarm", NIGHTS.other()))))},
         "watches 4 limits a channel"),
    ],
)  # fmt: skip
def test_each_of_these_is_one_blocking_sentence(
    model: LoggerModel, change: dict[str, object], words: str
) -> None:
    plan = replace(COLD, **change)  # type: ignore[arg-type]
    said = [f.sentence for f in check_plan(plan, model, NOW) if f.blocking]
    assert any(words in sentence for sentence in said), said
    assert not fits(plan, model, NOW)


def test_an_interval_below_the_settling_time_is_worth_a_look_only() -> None:
    plan = Plan(("water_temperature",), 60)
    [fault] = check_plan(plan, PRIEL_W3, NOW)
    assert not fault.blocking
    assert "Water temperature needs 2 min to settle" in fault.sentence
    assert fits(plan, PRIEL_W3, NOW)


def test_the_sensor_decides_the_range_of_limits() -> None:
    hot = replace(COLD, limits=(LimitRule("probe_temperature", "above", 150.0),))
    assert not fits(hot, REIF_C2, NOW)
    wired = replace(hot, settings=(ChannelSetting("probe_temperature", "thermocouple_k"),))
    assert fits(wired, REIF_C2, NOW)


# -- intervals and durations ---------------------------------------------------------------------
@pytest.mark.parametrize(
    ("text", "seconds"),
    [("90", 7_776_000), ("90 d", 7_776_000), ("3 weeks", 1_814_400), ("12 h", 43_200),
     ("1 d 12 h", 129_600), ("0:30", 1_800)],
)  # fmt: skip
def test_durations_typed_by_people(text: str, seconds: int) -> None:
    assert parse_duration_s(text) == seconds


@pytest.mark.parametrize("text", ["0", "", "for ever", "-3 d"])
def test_what_is_no_duration_is_one_sentence(text: str) -> None:
    with pytest.raises(PlanError, match="type it like"):
        parse_duration_s(text)


@given(st.integers(1, 10**7))
def test_a_neat_interval_is_the_next_usual_one(wanted_s: int) -> None:
    neat = neat_interval_s(wanted_s)
    assert neat >= wanted_s
    assert neat in NEAT_S or neat % 86_400 == 0
    assert all(86_400 % usual == 0 for usual in NEAT_S)


# -- words ---------------------------------------------------------------------------------------
def test_rules_and_plans_in_words() -> None:
    rule = LimitRule("probe_temperature", "above", 7.0, 1800, "accumulated", True, "warning", 0.5,
                     NIGHTS)  # fmt: skip
    assert rule_text(rule) == (
        "warning above 7 °C for 30 min, accumulated daily, hysteresis 0.5 °C, in nights"
    )
    dusty = LimitRule("particles_from_0_5", "above", 12_000_000.0)
    assert rule_text(dusty) == "alarm above 12,000,000 per m³"
    lines = compared(COLD, replace(COLD, interval_s=60, channels=("room_temperature",)), "UTC")
    differing = {line.name: (line.mine, line.other) for line in lines if line.differs}
    assert differing["Interval"] == ("5 min", "1 min")
    assert differing["Store temperature"] == ("on; alarm above 7 °C", "off")
    assert differing["Room around the store"] == ("off", "on")
    assert set(plan_fields(COLD, "UTC")) <= {line.name for line in lines}


# -- names ---------------------------------------------------------------------------------------
def named(moment: datetime, pattern: str = "{point} {season} {year}") -> str:
    return mission_name(pattern, moment, site="Krabbenkoog", point="K2", serial="P-0321",
                        model="Priel W3", mission=13)  # fmt: skip


def test_names_by_pattern() -> None:
    assert named(datetime(2026, 11, 23)) == "K2 autumn 2026"
    assert named(datetime(2026, 12, 1)) == "K2 winter 2026-27"
    assert named(datetime(2027, 2, 28)) == "K2 winter 2026-27"
    assert named(datetime(2027, 2, 28), "{site}-{serial}-{year}{month}{day} {no} {mission}") == (
        "Krabbenkoog-P-0321-20270228 {no} 13"
    )
    assert [season(datetime(2026, m, 1)) for m in (3, 6, 9, 12)] == [
        "spring", "summer", "autumn", "winter",
    ]  # fmt: skip
    assert name_fault(named(datetime(2026, 12, 1))) == ""


@pytest.mark.parametrize("name", ["a/b", "a\\b", 'say "x"', "what?", "end.", "..", "CON", "com1.x"])
def test_names_that_file_systems_refuse(name: str) -> None:
    sentence = name_fault(name)
    assert sentence.endswith(".")
    assert "; " in sentence or ", " in sentence


# -- the way of a round --------------------------------------------------------------------------
def test_a_degree_of_latitude_is_a_hundred_and_eleven_kilometres() -> None:
    assert distance_km((53.0, 8.0), (54.0, 8.0)) == pytest.approx(111.195, abs=0.01)
    # Hamburg to Bremen, great circle: 94.9 km
    assert distance_km((53.5511, 9.9937), (53.0793, 8.8017)) == pytest.approx(94.9, abs=0.5)


positions = st.tuples(st.floats(53, 54), st.floats(8, 9))


@given(st.lists(positions, min_size=1, max_size=6))
def test_the_way_is_short_whole_and_begins_where_it_must(places: list[tuple[float, float]]) -> None:
    order = round_order(list(places), 0)
    assert sorted(order) == list(range(len(places)))
    assert order[0] == 0
    ways = [[0, *rest] for rest in permutations(range(1, len(places)))]
    best = min(length_km([places[i] for i in way]) for way in ways)
    assert length_km([places[i] for i in order]) == pytest.approx(best, abs=1e-9)


@given(st.lists(positions, min_size=EXACT_PLACES + 1, max_size=16, unique=True))
def test_the_way_through_many_places_cannot_be_shortened_by_turning_a_part(
    places: list[tuple[float, float]],
) -> None:
    order = round_order(list(places), 0)
    assert sorted(order) == list(range(len(places)))
    assert order[0] == 0
    length = length_km([places[i] for i in order])
    for a, b in combinations(range(1, len(order) + 1), 2):
        turned = order[:a] + order[a:b][::-1] + order[b:]
        assert length <= length_km([places[i] for i in turned]) + 1e-6


def test_places_without_a_position_come_last() -> None:
    assert round_order([None, (53.0, 8.0), None, (53.1, 8.0)], 0) == [1, 3, 0, 2]
    assert round_order([None, None], 1) == [0, 1]


# -- units ---------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("recorded", "wanted", "value", "shown"),
    [
        ("°C", "°F", 37.0, 98.6), ("°C", "K", -40.0, 233.15), ("kPa", "hPa", 101.325, 1013.25),
        ("kPa", "mmHg", 101.325, 760.0), ("kPa", "psi", 6.894757, 1.0),
        ("mS/cm", "µS/cm", 1.413, 1413.0), ("per m³", "per l", 3_520_000.0, 3520.0),
        ("per m³", "per ft³", 35.31467, 1.0), ("per l", "per ft³", 1.0, 28.316847),
        ("%", "°F", 50.0, 50.0),
    ],
)  # fmt: skip
def test_units_by_published_values(recorded: str, wanted: str, value: float, shown: float) -> None:
    unit = shown_unit(recorded, wanted)
    assert unit.shown(value) == pytest.approx(shown, rel=1e-6)
    assert unit.recorded(unit.shown(value)) == pytest.approx(value)


def test_a_unit_of_texts_is_shown_nowhere() -> None:
    odd = text_unit("per m³", "per 0.01 ft³")  # 1 ft³ = 0.028 316 846 592 m³
    assert odd.recorded(1.0) == pytest.approx(100 / 0.028316846592)
    assert odd.name not in [unit.name for unit in shown_units("per m³")]
    assert text_unit("°C", "per 0.01 ft³").name == "°C"


def test_the_recorded_unit_comes_first() -> None:
    assert [unit.name for unit in shown_units("°C")] == ["°C", "°F", "K"]
    assert shown_units("ppm")[0].shown(400.0) == 400.0


# -- moist air -----------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("temp_c", "humidity", "dew_c"),
    # WMO-No. 8 Annex 4.B formula, worked by hand with a pocket calculator
    [(20.0, 100.0, 20.0), (20.0, 50.0, 9.26), (25.0, 60.0, 16.70), (0.0, 80.0, -3.04)],
)
def test_dew_points(temp_c: float, humidity: float, dew_c: float) -> None:
    assert dew_point_c(temp_c, humidity) == pytest.approx(dew_c, abs=0.02)


def test_saturation_at_freezing_and_no_vapour_at_all() -> None:
    assert saturation_hpa(0.0) == pytest.approx(6.112)
    assert saturation_hpa(20.0) == pytest.approx(23.37, abs=0.05)
    assert dew_point_c(20.0, 0.0) != dew_point_c(20.0, 0.0)


def test_an_unknown_sensor_is_said() -> None:
    with pytest.raises(InputError, match="knows no sensor"):
        DUENE_T2.channel("air_temperature").sensor("nose")
