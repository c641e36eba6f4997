"""Rules that catch readings, worked by hand; they tell where, and change nothing."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.chain import Correction, corrected
from gezeiten.domain.steps.corrections import CORRECTIONS
from gezeiten.domain.steps.corrections.suspicion import SUSPICIONS, suspect_spans
from tests.conftest import series_of
from tests.recovering import SPIKED, spikes_found

AIR = quantity("air_temperature")
MINUTE = 60_000


def caught(rule: str, series: Series, value: float) -> list[int]:
    return np.flatnonzero(SUSPICIONS[rule].catches(series, value, AIR)).tolist()


def minutes(values: list[float]) -> Series:
    return series_of(list(range(len(values))), values, interval_min=1)


def test_a_spike_is_one_reading_and_a_step_is_none() -> None:
    assert caught("spikes", minutes([5, 5, 5, 9, 5, 5, 5]), 2) == [3]
    assert caught("spikes", minutes([5, 5, 5, 5, 9, 9, 9, 9]), 2) == []
    assert caught("spikes", minutes([5, 5, 5, 7, 5, 5, 5]), 2) == []  # not further than


def test_beside_a_gap_nothing_is_a_spike() -> None:
    series = series_of([0, 1, 2, 9, 10, 11], [5, 5, 9, 5, 5, 5], interval_min=1)
    assert caught("spikes", series, 2) == []


def test_stuck_is_one_value_held_long_enough_without_a_gap() -> None:
    assert caught("stuck", minutes([1, 2, 2, 2, 2, 3]), 4 / 60) == [1, 2, 3, 4]
    assert caught("stuck", minutes([1, 2, 2, 2, 2, 3]), 5 / 60) == []
    broken = series_of([0, 1, 9, 10], [2, 2, 2, 2], interval_min=1)
    assert caught("stuck", broken, 4 / 60) == []
    assert caught("stuck", series_of([0], [2], interval_min=600), 6) == []  # one alone is not


def test_too_fast_is_the_change_from_the_reading_before() -> None:
    """1 °C in a minute are 60 an hour."""
    assert caught("too_fast", minutes([5, 6, 6, 8, 8]), 60) == [3]
    assert caught("too_fast", series_of([0, 9], [0, 100], interval_min=1), 1) == []


def test_out_of_range_is_what_the_quantity_cannot_be() -> None:
    assert caught("impossible", minutes([20, 150, 151, -101]), 0) == [2, 3]


def test_out_of_water_from_two_readings_on_until_two_are_at_twice_as_much() -> None:
    values = [1, 0.01, 1, 0.01, 0.0, 0.03, 0.05, 0.03, 0.05, 0.06, 1]
    assert caught("out_of_water", minutes(values), 0.02) == [3, 4, 5, 6, 7]
    assert SUSPICIONS["out_of_water"].usual(minutes([40, 50, 60]), quantity("conductivity")) == 2.5


def test_water_on_the_sensor_stays_until_it_was_dry_for_half_an_hour_and_an_hour_more() -> None:
    """Readings every ten minutes: 30 min at 99 % and more are three."""
    wet = [98, 99, 100, 98, 99, 100, 99, 98, 96, 98, 96, 96, 96, 90, 90, 90, 90, 90, 90]
    series = series_of([10 * i for i in range(len(wet))], wet, interval_min=10)
    assert caught("condensation", series, 99) == list(range(4, 15))  # dry from 10 on
    assert caught("condensation", series_of([0, 10], [99, 99], interval_min=10), 99) == []


def test_ice_is_at_the_freezing_point_or_below() -> None:
    assert caught("ice", minutes([0.1, 0.0, -0.1]), 0.0) == [1, 2]
    assert not SUSPICIONS["ice"].applies_to(AIR)
    assert SUSPICIONS["spikes"].applies_to(AIR)


@pytest.mark.parametrize("rule", list(SUSPICIONS))
@pytest.mark.parametrize("values", [[], [4.0], [4.0, 4.0], [4.0] * 9])
def test_little_to_look_at_breaks_nothing(rule: str, values: list[float]) -> None:
    series = minutes(values)
    assert len(SUSPICIONS[rule].catches(series, 1.0, AIR)) == len(values)
    assert SUSPICIONS[rule].usual(series, AIR) >= 0


def test_the_number_that_is_proposed_leaves_the_ordinary_alone() -> None:
    """Noise of 0.1 °C: none of a thousand readings is caught, a spike of 3 °C is."""
    values = 20 + np.random.default_rng(4).normal(0, 0.1, 1_000)
    values[500] += 3
    series = minutes(values.tolist())
    for rule in ("spikes", "too_fast"):
        assert 500 in caught(rule, series, SUSPICIONS[rule].usual(series, AIR))
        assert len(caught(rule, series, SUSPICIONS[rule].usual(series, AIR))) <= 2


@given(st.lists(st.booleans(), min_size=1, max_size=60), st.sampled_from(["suspect", "taken out"]))
def test_what_is_caught_is_marked_and_nothing_else(which: list[bool], mark: str) -> None:
    times = np.cumsum(np.arange(1, len(which) + 1, dtype=np.int64)) * MINUTE
    series = make_series(times, np.arange(float(len(which))), MINUTE)
    stretches = suspect_spans(series, np.array(which))
    parameters = CORRECTIONS["mark", 1].checked({"mark": mark, "stretches": stretches})
    if not stretches:
        return
    step = Correction(
        "x", "p", "s", "mark", 1, stretches[0][0], stretches[-1][1], parameters, "", 0, "JA"
    )
    made = corrected(series, [step])
    told = dict(zip(made.values.astype(int).tolist(), made.quality.tolist(), strict=True))
    if mark == "suspect":
        assert told == {i: int(one) for i, one in enumerate(which)}
    else:
        assert list(told) == [i for i, one in enumerate(which) if not one]


@pytest.mark.parametrize(
    ("stretches", "reason"),
    [
        ([[5, 4]], "order"),
        ([[0, 3], [2, 4]], "order"),
        ([[i, i + 1] for i in range(10_001)], "at most 10000"),
    ],
)
def test_stretches_that_make_no_sense_are_refused(stretches: list[list[int]], reason: str) -> None:
    with pytest.raises(ValueError, match=reason):
        CORRECTIONS["mark", 1].checked({"mark": "suspect", "stretches": stretches})


@pytest.mark.parametrize("kind", SPIKED)
def test_nine_of_ten_spikes_are_found_and_four_of_five_that_are_caught_are_such(kind: str) -> None:
    """Of ten times the noise, put into records of six kinds."""
    told = [spikes_found(kind, seed) for seed in range(4)]
    found, of = sum(one.found for one in told), sum(one.of for one in told)
    assert found >= 0.9 * of
    assert sum(one.besides for one in told) <= 0.25 * found


def test_dust_and_rain_have_no_spikes() -> None:
    assert [
        SUSPICIONS["spikes"].applies_to(quantity(key))
        for key in ("particles_from_0_5", "pm25", "precipitation", "relative_humidity")
    ] == [False, False, False, True]


def test_two_readings_side_by_side_are_a_spike_and_a_slope_is_none() -> None:
    slope = [0.1 * i for i in range(12)]
    assert caught("spikes", minutes(slope), 0.5) == []
    bent = [0.02 * i**2 for i in range(12)]
    assert caught("spikes", minutes(bent), 0.05) == []
    both = [5.0, 5, 5, 5, 9, 9, 5, 5, 5, 5]
    assert caught("spikes", minutes(both), 2) == [4, 5]
    three = [5.0, 5, 5, 5, 9, 9, 9, 5, 5, 5, 5]
    assert 5 not in caught("spikes", minutes(three), 2)


def test_a_humidity_at_saturation_is_neither_stuck_nor_spiked() -> None:
    """A quarter of a sound record stands at 100 %: nothing of it is caught."""
    rng = np.random.default_rng(5)
    humid = quantity("relative_humidity")
    hours = np.arange(144 * 30) / 6
    values = np.clip(
        80 + 25 * np.cos(2 * np.pi * hours / 24) + rng.normal(0, 1, len(hours)), 0, 100
    )
    series = make_series(
        np.arange(len(hours), dtype=np.int64) * 10 * MINUTE, np.round(values, 1), 10 * MINUTE
    )
    assert (series.values >= 98).mean() > 0.2
    for rule in ("stuck", "spikes"):
        one = SUSPICIONS[rule]
        assert one.catches(series, one.usual(series, humid), humid).mean() < 0.001
    stuck = series.values.copy()
    stuck[1000:1100] = 71.3
    held = make_series(series.times_utc_ms, stuck, 10 * MINUTE)
    one = SUSPICIONS["stuck"]
    found = np.flatnonzero(one.catches(held, one.usual(held, humid), humid))
    assert found.tolist() == list(range(1000, 1100))


def test_how_long_one_value_is_usual_follows_from_the_record() -> None:
    """A well that moves by 1 mm a day in steps of 1 mm needs more than five days for five of
    them; a tide does not."""
    level = quantity("water_level")
    days = np.arange(24 * 60) / 24
    slow = make_series(
        np.arange(len(days), dtype=np.int64) * 60 * MINUTE,
        np.round(3 + 0.001 * days, 3),
        60 * MINUTE,
    )
    assert SUSPICIONS["stuck"].usual(slow, level) == 192  # 6 h doubled until it is eight days
    fast = make_series(slow.times_utc_ms, np.round(3 + np.cos(days * 12), 3), 60 * MINUTE)
    assert SUSPICIONS["stuck"].usual(fast, level) == 6


def test_of_a_short_record_the_usual_step_is_proposed() -> None:
    assert SUSPICIONS["spikes"].usual(minutes([20.0, 20.1] * 20), AIR) == 2.0
    long = 20 + np.random.default_rng(1).normal(0, 0.05, 400)
    assert SUSPICIONS["spikes"].usual(minutes(long.tolist()), AIR) < 0.5
