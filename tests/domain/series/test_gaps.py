"""Gaps: where they begin and end, how many readings are missing."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.gaps import Gap, covered_spans, find_gaps
from gezeiten.domain.series.series import Series, empty_series, make_series
from tests.conftest import series_of

MIN = 60_000


def test_a_gap_runs_from_the_first_missing_due_instant_to_the_next_reading() -> None:
    [gap] = find_gaps(series_of([0, 10, 50, 60], [1, 2, 3, 4]))
    assert (gap.start_ms, gap.end_ms) == (20 * MIN, 50 * MIN)
    assert gap.missing == 3
    assert gap.length_ms == 30 * MIN


def test_one_and_a_half_intervals_is_no_gap_a_little_more_is() -> None:
    assert find_gaps(series_of([0, 15], [1, 2])) == []
    [gap] = find_gaps(series_of([0, 15.1], [1, 2]))
    assert gap.missing == 1


def test_eleven_days_of_six_minutes_as_counted_by_hand() -> None:
    # 11 d 5 h 30 min at 6 min are 16 170 / 6 = 2 695 readings
    begin, missing = 600.0, 2695
    [gap] = find_gaps(series_of([begin - 6, begin + missing * 6], [1, 2], interval_min=6))
    assert gap.missing == missing
    assert gap.length_ms == ((11 * 24 + 5) * 60 + 30) * MIN


def test_duty_adds_gaps_at_both_ends() -> None:
    series = series_of([60, 70], [1, 2])
    first, last = find_gaps(series, schedule=(0, 120 * MIN))
    assert (first.start_ms, first.end_ms, first.missing) == (0, 60 * MIN, 6)
    assert (last.start_ms, last.end_ms, last.missing) == (80 * MIN, 120 * MIN, 4)


def test_duty_that_is_met_adds_nothing() -> None:
    assert find_gaps(series_of([0, 10], [1, 2]), schedule=(0, 20 * MIN)) == []


def test_no_readings_no_gaps() -> None:
    assert find_gaps(empty_series()) == []
    assert covered_spans(empty_series()) == []


def test_estimated_readings_close_a_gap() -> None:
    assert find_gaps(series_of([0, 10, 20, 30], [1, 2, 3, 4], estimated=(1, 2))) == []


@given(st.sets(st.integers(0, 80), min_size=2, max_size=60))
def test_missing_readings_and_readings_make_up_the_whole(present: set[int]) -> None:
    numbers = sorted(present)
    series = series_of([n * 10 for n in numbers], [0.0] * len(numbers))
    missing = sum(gap.missing for gap in find_gaps(series))
    assert missing + len(numbers) == numbers[-1] - numbers[0] + 1


@given(st.sets(st.integers(0, 80), min_size=1, max_size=60))
def test_spans_and_gaps_take_turns(present: set[int]) -> None:
    numbers = sorted(present)
    series = series_of([n * 10 for n in numbers], [0.0] * len(numbers))
    spans, gaps = covered_spans(series), find_gaps(series)
    assert len(spans) == len(gaps) + 1
    for gap, before, after in zip(gaps, spans, spans[1:], strict=False):
        assert before[1] == gap.start_ms
        assert after[0] == gap.end_ms
    held = sum(b - a for a, b in spans)
    assert held == len(numbers) * 10 * MIN
    assert np.all(np.diff([a for a, _ in spans]) > 0)


def test_duty_is_met_up_to_one_and_a_half_intervals_at_either_end() -> None:
    series = series_of([15, 25], [1, 2])
    assert find_gaps(series, schedule=(0, 40 * MIN)) == []
    assert [g.start_ms for g in find_gaps(series, schedule=(-1, 40 * MIN))] == [-1]
    assert [g.end_ms for g in find_gaps(series, schedule=(0, 40 * MIN + 1))] == [40 * MIN + 1]


def test_stretches_end_with_the_interval_in_force_and_hold_one_and_a_half() -> None:
    times = np.array([0, 15, 25, 27, 60], np.int64) * MIN
    intervals = np.array([10, 10, 2, 10, 10], np.int64) * MIN
    series = make_series(times, np.zeros(5), intervals)
    # fifteen minutes are a hold, two are within one of two, thirty-three are a gap
    assert covered_spans(series) == [(0, 37 * MIN), (60 * MIN, 70 * MIN)]
    assert [(g.start_ms, g.end_ms, g.interval_ms) for g in find_gaps(series)] == [
        (37 * MIN, 60 * MIN, 10 * MIN)
    ]


def mixed(minutes: list[float], intervals_min: list[int]) -> Series:
    times = np.array([round(m * MIN) for m in minutes], np.int64)
    return make_series(times, np.zeros(len(minutes)), np.array(intervals_min, np.int64) * MIN)


def test_each_distance_is_judged_by_the_interval_of_the_reading_before_it() -> None:
    series = mixed([0, 2, 14, 24], [2, 10, 10, 10])  # twelve minutes are no gap of ten
    assert find_gaps(series) == []
    assert covered_spans(series) == [(0, 34 * MIN)]
    series = mixed([0, 10, 22, 24], [10, 2, 2, 2])  # of two they are
    assert find_gaps(series) == [Gap(12 * MIN, 22 * MIN, 2 * MIN)]
    assert covered_spans(series) == [(0, 12 * MIN), (22 * MIN, 26 * MIN)]


def test_duty_is_judged_by_the_first_and_the_last_interval() -> None:
    series = mixed([20, 22, 24], [10, 2, 2])
    assert find_gaps(series, (5 * MIN, 27 * MIN)) == []
    assert find_gaps(series, (4 * MIN, 28 * MIN)) == [
        Gap(4 * MIN, 20 * MIN, 10 * MIN),
        Gap(26 * MIN, 28 * MIN, 2 * MIN),
    ]
    series = mixed([0, 2, 4], [2, 2, 10])
    assert find_gaps(series, (0, 19 * MIN)) == []
    assert find_gaps(series, (0, 20 * MIN)) == [Gap(14 * MIN, 20 * MIN, 10 * MIN)]
