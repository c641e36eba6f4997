"""Hysteresis, weekly windows, warnings and missing sensors, each by a case worked by hand."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.limits.excursions import Excursion, find_absences, find_excursions
from gezeiten.domain.limits.limits import LimitRule, constant_limits, limit_rule, no_sensor_rule
from gezeiten.domain.limits.windows import WORKING_HOURS, WeeklyWindow
from gezeiten.domain.series.series import make_series
from gezeiten.domain.series.statistics.figures import numbers
from gezeiten.domain.series.timeline import to_ms
from tests.conftest import series_of

MIN = 60_000
HOUR = 60 * MIN
HIGH = LimitRule("air_temperature", "above", 10.0)


def with_band(value: float, delay_min: int = 0, **more: object) -> LimitRule:
    return LimitRule("air_temperature", "above", 10.0, delay_min * 60, hysteresis=value, **more)  # type: ignore[arg-type]


def spans(found: list) -> list[tuple[int, int]]:  # type: ignore[type-arg]
    return [(e.start_ms // MIN, e.end_ms // MIN) for e in found]


VALUES = [9, 11, 9.5, 10.5, 8, 9.5, 12, 9.9, 9]
TIMES = [10 * i for i in range(len(VALUES))]


def test_a_band_joins_what_a_plain_limit_cuts() -> None:
    series = series_of(TIMES, VALUES)
    assert spans(find_excursions(series, HIGH)) == [(10, 20), (30, 40), (60, 70)]
    # 9.5 lies in the band of 1.0 below the limit, 8 and 9 do not; 9.5 at 50 begins nothing
    assert spans(find_excursions(series, with_band(1.0))) == [(10, 40), (60, 80)]


def test_a_reading_exactly_at_the_edge_of_the_band_is_back_inside() -> None:
    series = series_of([0, 10, 20], [11, 9, 11])
    assert spans(find_excursions(series, with_band(1.0))) == [(0, 10), (20, 30)]


def test_time_in_the_band_counts_for_neither_delay_nor_dose() -> None:
    series = series_of(TIMES, VALUES)
    first, second = find_excursions(series, with_band(1.0, delay_min=15))
    # outside at 10 and 30, each held ten minutes; the fifteenth minute outside is 35
    assert first.alarm_ms == 35 * MIN
    assert first.dose == pytest.approx((1.0 + 0.5) / 6)
    assert second.alarm_ms is None  # ten minutes only
    assert (first.measured, first.extreme) == (3, 11.0)


def test_below_limits_have_their_band_above() -> None:
    rule = LimitRule("air_temperature", "below", 5.0, hysteresis=1.0)
    series = series_of([0, 10, 20, 30], [4, 5.9, 6, 4.5])
    assert spans(find_excursions(series, rule)) == [(0, 20), (30, 40)]


@given(
    st.lists(st.floats(0, 20, allow_nan=False), min_size=1, max_size=60),
    st.floats(0, 5),
    st.sampled_from(["above", "below"]),
)
def test_the_band_as_a_state_machine_sees_it(values: list[float], band: float, side: str) -> None:
    rule = LimitRule("air_temperature", side, 10.0, hysteresis=band)  # type: ignore[arg-type]
    series = series_of([10 * i for i in range(len(values))], values)
    wanted, running = [], False
    for i, value in enumerate(values):
        beyond = value - 10.0 if side == "above" else 10.0 - value
        inner = value > 10.0 - band if side == "above" else value < 10.0 + band
        running = beyond > 0 or (running and band > 0 and inner)
        if running and (not wanted or wanted[-1][1] != 10 * i):
            wanted.append((10 * i, 10 * i + 10))
        elif running:
            wanted[-1] = (wanted[-1][0], 10 * i + 10)
    assert spans(find_excursions(series, rule)) == wanted


# -- weekly windows ------------------------------------------------------------------------------
def monday(hour: float) -> int:
    return to_ms(datetime(2026, 11, 23, tzinfo=ZoneInfo("Europe/Berlin"))) + round(hour * HOUR)


def test_a_rule_sees_only_its_hours() -> None:
    times = np.array([monday(h) for h in (6, 7, 8, 9, 16, 17, 18)], np.int64)
    series = make_series(times, np.full(7, 12.0), HOUR)
    inside = LimitRule("air_temperature", "above", 10.0, window=WORKING_HOURS)
    [first, second] = find_excursions(series, inside, "Europe/Berlin")
    assert (first.start_ms, first.end_ms) == (monday(8), monday(10.5))  # held 1.5 intervals
    assert (second.start_ms, second.end_ms) == (monday(16), monday(17))
    others = LimitRule("air_temperature", "above", 10.0, window=WORKING_HOURS.other())
    assert [e.start_ms for e in find_excursions(series, others, "Europe/Berlin")] == [
        monday(6),
        monday(17),
    ]
    figures = numbers(
        series, (monday(6), monday(19)), constant_limits((inside,)), zone="Europe/Berlin"
    )
    assert figures.above_ms == round(3.5 * HOUR)


def test_other_values_outside_the_window_are_a_rule_of_their_own() -> None:
    day = LimitRule("air_temperature", "above", 24.0, window=WORKING_HOURS)
    night = LimitRule("air_temperature", "above", 18.0, window=WORKING_HOURS.other())
    assert day.key != night.key
    times = np.array([monday(h) for h in (7, 9)], np.int64)
    series = make_series(times, np.array([20.0, 20.0]), HOUR)
    assert [len(find_excursions(series, rule, "Europe/Berlin")) for rule in (day, night)] == [0, 1]


# -- no sensor -----------------------------------------------------------------------------------
GONE = no_sensor_rule("probe_temperature", 1800)


def recorded(values: list[float], minutes: list[int] | None = None) -> tuple:  # type: ignore[type-arg]
    times = np.array(minutes or [10 * i for i in range(len(values))], np.int64) * MIN
    return times, np.array(values), np.full(len(values), 10 * MIN, np.int64)


NAN = float("nan")


def test_no_sensor_alarms_once_its_delay_has_passed() -> None:
    excursions = find_absences(*recorded([5, NAN, NAN, NAN, 5, NAN, 5]), GONE)
    # the single missing value lasted ten minutes only
    assert excursions == [Excursion(GONE, 10 * MIN, 40 * MIN, 40 * MIN, 0.0, 10 * MIN, 0.0, 3, 0)]


def test_a_gap_cuts_an_absence_and_each_part_is_judged_by_itself() -> None:
    minutes = [0, 10, 20, 30, 60, 70, 80, 90, 100]
    excursions = find_absences(*recorded([5, NAN, NAN, NAN, NAN, NAN, NAN, NAN, 5], minutes), GONE)
    # 10 to 45: the reading before the gap is held for fifteen minutes; 60 to 100
    assert spans(excursions) == [(10, 45), (60, 100)]
    assert [e.measured for e in excursions] == [3, 4]


def test_the_rule_of_a_missing_sensor_says_what_it_was_given() -> None:
    rule = no_sensor_rule("co2", 60, "warning", WORKING_HOURS)
    wanted = LimitRule("co2", "absent", 0.0, 60, level="warning", window=WORKING_HOURS)
    assert rule == wanted
    assert LimitRule("probe_temperature", "absent", 0.0, 1800, level="alarm") == GONE


def test_readings_that_are_not_there_claim_no_missing_sensor() -> None:
    excursions = find_absences(*recorded([NAN, NAN, NAN, NAN], [0, 10, 100, 110]), GONE)
    assert excursions == []
    assert len(find_absences(*recorded([NAN] * 4), GONE)) == 1
    assert find_absences(*recorded([]), GONE) == []


def test_a_missing_sensor_is_never_outside_a_value() -> None:
    outside = GONE.outside(np.array([1e9, NAN, -1e9]))
    assert outside.dtype == np.bool_
    assert outside.tolist() == [False] * 3
    assert not GONE.has_value


@pytest.mark.parametrize(
    "rule",
    [HIGH, GONE, with_band(0.5, 10, level="warning", window=WeeklyWindow((2,), 60, 30, True))],
)
def test_rules_read_back_and_old_ones_too(rule: LimitRule) -> None:
    assert limit_rule(rule.as_dict()) == rule
    old = {k: v for k, v in rule.as_dict().items() if k not in ("hysteresis", "window")}
    assert limit_rule(old) == replace(rule, hysteresis=0.0, window=None)


@pytest.mark.parametrize(
    "change", [{"side": "beside"}, {"level": "siren"}, {"window": {"days": []}}, {"value": "x"}]
)
def test_what_is_no_rule_is_refused(change: dict[str, object]) -> None:
    with pytest.raises((ValueError, KeyError, TypeError)):
        limit_rule({**HIGH.as_dict(), **change})


def test_the_end_of_an_absence_follows_the_interval_in_force_at_its_last_reading() -> None:
    times = np.array([0, 10, 20, 22, 24], np.int64) * MIN
    intervals = np.array([10, 10, 2, 2, 2], np.int64) * MIN
    values = np.array([5, NAN, NAN, NAN, 5])
    rule = no_sensor_rule("probe_temperature", 840)  # fourteen minutes: 10 min to 24 min
    [found] = find_absences(times, values, intervals, rule)
    assert (found.start_ms, found.end_ms, found.alarm_ms) == (10 * MIN, 24 * MIN, 24 * MIN)
    longer = no_sensor_rule("probe_temperature", 841)
    assert find_absences(times, values, intervals, longer) == []
