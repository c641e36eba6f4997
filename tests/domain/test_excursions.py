"""Excursions against hand-worked cases and against a slow, literal reading of the definition."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gezeiten.domain.excursions import Excursion, find_excursions
from gezeiten.domain.limits import LimitRule, limit_rule
from gezeiten.domain.series import Series
from gezeiten.domain.timeline import from_ms, to_ms
from tests.conftest import series_of

MIN = 60_000


def rule(delay_min: float = 0, counting: str = "consecutive", **more: object) -> LimitRule:
    given_: dict[str, object] = {"side": "above", "value": 7.0, **more}
    return LimitRule(
        "t", given_["side"], given_["value"], round(delay_min * 60), counting,  # type: ignore[arg-type]
        bool(given_.get("daily", False)),
    )  # fmt: skip


def minutes(excursions: list[Excursion]) -> list[tuple[float, float, float | None]]:
    return [
        (e.start_ms / MIN, e.end_ms / MIN, None if e.alarm_ms is None else e.alarm_ms / MIN)
        for e in excursions
    ]


# -- hand-worked ---------------------------------------------------------------------------------
def test_a_run_ends_when_the_hold_of_its_last_reading_ends() -> None:
    series = series_of([0, 10, 20, 30], [5, 8, 9, 5])
    assert minutes(find_excursions(series, rule())) == [(10, 30, 10)]


def test_a_reading_equal_to_the_limit_is_inside() -> None:
    assert find_excursions(series_of([0, 10], [7.0, 7.0]), rule()) == []


def test_below_is_the_mirror_of_above() -> None:
    series = series_of([0, 10, 20], [5, 0.5, 5])
    [found] = find_excursions(series, rule(side="below", value=1.0))
    assert (found.start_ms, found.extreme) == (10 * MIN, 0.5)


def test_the_alarm_lies_between_two_readings() -> None:
    series = series_of([0, 10, 20, 30], [8, 8, 8, 5])
    assert minutes(find_excursions(series, rule(delay_min=25))) == [(0, 30, 25)]


def test_reaching_the_delay_exactly_alarms() -> None:
    series = series_of([0, 10, 20], [8, 8, 5])
    assert minutes(find_excursions(series, rule(delay_min=20))) == [(0, 20, 20)]
    assert minutes(find_excursions(series, rule(delay_min=20.1))) == [(0, 20, None)]


def test_a_gap_ends_a_run_and_the_count() -> None:
    series = series_of([0, 10, 60, 70], [8, 8, 8, 8])
    found = find_excursions(series, rule(delay_min=30))
    # the reading before the gap is held for 15 minutes; the last one for one interval
    assert minutes(found) == [(0, 25, None), (60, 80, None)]


def test_consecutive_counting_starts_anew_with_every_run() -> None:
    series = series_of([0, 10, 20, 30, 40, 50], [8, 8, 5, 8, 8, 5])
    assert [e.alarm_ms for e in find_excursions(series, rule(delay_min=30))] == [None, None]


def test_accumulated_counting_adds_the_runs() -> None:
    series = series_of([0, 10, 20, 30, 40, 50], [8, 8, 5, 8, 8, 5])
    found = find_excursions(series, rule(delay_min=30, counting="accumulated"))
    assert minutes(found) == [(0, 20, None), (30, 50, 40)]


def test_runs_after_the_sum_was_reached_alarm_at_once() -> None:
    series = series_of([0, 10, 20, 30, 40, 50], [8, 8, 5, 8, 5, 8])
    found = find_excursions(series, rule(delay_min=15, counting="accumulated"))
    assert [e.alarm_ms for e in found] == [15 * MIN, 30 * MIN, 50 * MIN]


def test_the_last_reading_of_a_record_is_held_for_one_interval() -> None:
    assert minutes(find_excursions(series_of([0, 10], [5, 8]), rule())) == [(10, 20, 10)]


def test_estimated_readings_alone_are_no_excursion() -> None:
    series = series_of([0, 10, 20, 30], [5, 8, 8, 5], estimated=(1, 2))
    assert find_excursions(series, rule()) == []


def test_estimated_readings_are_shown_but_do_not_count_towards_the_delay() -> None:
    series = series_of([0, 10, 20, 30, 40], [8, 8, 8, 8, 5], estimated=(1, 2))
    [found] = find_excursions(series, rule(delay_min=20))
    assert (found.measured, found.estimated) == (2, 2)
    # measured holds: 0-10 and 30-40, so the twentieth measured minute ends at 40
    assert found.alarm_ms == 40 * MIN
    [never] = find_excursions(series, rule(delay_min=21))
    assert never.alarm_ms is None


def test_dose_is_the_distance_beyond_the_limit_over_held_time() -> None:
    series = series_of([0, 30, 60, 90], [9, 13, 8, 5], interval_min=30)
    [found] = find_excursions(series, rule())
    # (2 + 6 + 1) degrees for half an hour each
    assert found.dose == pytest.approx(4.5)
    assert (found.extreme, found.extreme_ms) == (13, 30 * MIN)


def test_a_jump_from_above_to_below_is_two_runs_of_two_rules() -> None:
    series = series_of([0, 10, 20, 30], [8, 8, 0, 0])
    [above] = find_excursions(series, rule())
    [below] = find_excursions(series, rule(side="below", value=1.0))
    assert above.end_ms == below.start_ms == 20 * MIN


def test_nan_never_reaches_a_rule_as_outside() -> None:
    outside = rule().outside(np.array([np.nan, 8.0]))
    assert outside.tolist() == [False, True]


def daily_series(start: datetime, values: list[float]) -> Series:
    begin = to_ms(start) / MIN
    return series_of([begin + 60 * i for i in range(len(values))], values, interval_min=60)


def test_daily_accumulation_starts_anew_at_local_midnight_inside_a_run() -> None:
    # 22:00 to 04:00 in Berlin (UTC+1): two hours before midnight, four after
    series = daily_series(datetime(2026, 11, 19, 21, tzinfo=UTC), [8] * 6 + [5])
    [found] = find_excursions(series, rule(180, "accumulated", daily=True), "Europe/Berlin")
    assert found.alarm_ms is not None
    assert from_ms(found.alarm_ms, "Europe/Berlin").isoformat() == "2026-11-20T03:00:00+01:00"


def test_daily_accumulation_splits_a_hold_at_midnight() -> None:
    # readings at half past: the one at 23:30 counts 30 minutes in each day
    series = daily_series(datetime(2026, 11, 19, 21, 30, tzinfo=UTC), [8, 8, 5])
    start = series.times_utc_ms[0]
    [found] = find_excursions(series, rule(90, "accumulated", daily=True), "Europe/Berlin")
    assert found.alarm_ms == start + 90 * MIN
    [late] = find_excursions(series, rule(91, "accumulated", daily=True), "Europe/Berlin")
    assert late.alarm_ms is None


def test_daily_accumulation_over_the_25_hour_day() -> None:
    # midnight to midnight on 25 October 2026 is 25 hours in Berlin: 24 h 30 min fit in one day
    series = daily_series(datetime(2026, 10, 24, 22, tzinfo=UTC), [8] * 25 + [5])
    [found] = find_excursions(series, rule(24.5 * 60, "accumulated", daily=True), "Europe/Berlin")
    assert found.alarm_ms == series.times_utc_ms[0] + round(24.5 * 60) * MIN


# -- the definition, read literally --------------------------------------------------------------
def slow_excursions(series: Series, r: LimitRule) -> list[tuple[int, int, int | None]]:
    """Runs reading by reading; the alarm second by second of a running count."""
    times, n = series.times_utc_ms.tolist(), len(series)
    holds = []
    for i in range(n):
        cap = int(series.interval_ms[i] * 1.5)
        holds.append(
            int(series.interval_ms[i]) if i + 1 == n else min(times[i + 1] - times[i], cap)
        )
    found: list[tuple[int, int, int | None]] = []
    total = 0
    i = 0
    while i < n:
        value = series.values[i]
        if not (value > r.value if r.side == "above" else value < r.value):
            i += 1
            continue
        j = i
        while True:
            following = j + 1 < n and times[j + 1] - times[j] <= holds[j]
            if not following:
                break
            value = series.values[j + 1]
            if not (value > r.value if r.side == "above" else value < r.value):
                break
            j += 1
        spent = 0 if r.counting == "consecutive" else total
        alarm = None
        for k in range(i, j + 1):
            if series.estimated[k]:
                continue
            if alarm is None and spent + holds[k] >= r.delay_s * 1000:
                alarm = times[k] + max(r.delay_s * 1000 - spent, 0)
            spent += holds[k]
            total += holds[k]
        if any(not series.estimated[k] for k in range(i, j + 1)):
            found.append((times[i], times[j] + holds[j], alarm))
        i = j + 1
    return found


@settings(max_examples=300, deadline=None)
@given(
    st.lists(
        st.tuples(st.sampled_from([10, 10, 10, 15, 16, 45]), st.sampled_from([5.0, 7.0, 8.0, 9.5]),
                  st.booleans()),
        min_size=1, max_size=40,
    ),
    st.sampled_from([0, 5, 10, 12.5, 20, 45]),
    st.sampled_from(["consecutive", "accumulated"]),
    st.sampled_from(["above", "below"]),
)  # fmt: skip
def test_fast_and_slow_agree(
    steps: list[tuple[int, float, bool]], delay: float, counting: str, side: str
) -> None:
    at = np.cumsum([step for step, _, _ in steps]).tolist()
    series = series_of(
        at, [v for _, v, _ in steps], estimated=tuple(i for i, s in enumerate(steps) if s[2])
    )
    r = rule(delay, counting, side=side, value=7.0)
    found = [(e.start_ms, e.end_ms, e.alarm_ms) for e in find_excursions(series, r)]
    assert found == slow_excursions(series, r)
    alarmed = find_excursions(series, r, alarmed_only=True)
    assert alarmed == [e for e in find_excursions(series, r) if e.alarm_ms is not None]


@given(st.sampled_from(["above", "below"]), st.floats(-50, 50), st.integers(0, 10**6))
def test_rules_read_back(side: str, value: float, delay_s: int) -> None:
    made = LimitRule("t", side, value, delay_s, "accumulated", True, "warning")  # type: ignore[arg-type]
    assert limit_rule(made.as_dict()) == made


@pytest.mark.parametrize("change", [{"side": "left"}, {"counting": "never"}, {"level": "red"}])
def test_unknown_words_in_a_rule_are_refused(change: dict[str, str]) -> None:
    with pytest.raises(ValueError, match="unknown"):
        limit_rule({**rule().as_dict(), **change})
