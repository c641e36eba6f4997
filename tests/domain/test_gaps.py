"""Gaps: where they begin and end, how many readings are missing."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.gaps import find_gaps, held_spans
from gezeiten.domain.series import empty_series, make_series
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
    first, last = find_gaps(series, duty=(0, 120 * MIN))
    assert (first.start_ms, first.end_ms, first.missing) == (0, 60 * MIN, 6)
    assert (last.start_ms, last.end_ms, last.missing) == (80 * MIN, 120 * MIN, 4)


def test_duty_that_is_met_adds_nothing() -> None:
    assert find_gaps(series_of([0, 10], [1, 2]), duty=(0, 20 * MIN)) == []


def test_no_readings_no_gaps() -> None:
    assert find_gaps(empty_series()) == []
    assert held_spans(empty_series()) == []


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
    spans, gaps = held_spans(series), find_gaps(series)
    assert len(spans) == len(gaps) + 1
    for gap, before, after in zip(gaps, spans, spans[1:], strict=False):
        assert before[1] == gap.start_ms
        assert after[0] == gap.end_ms
    held = sum(b - a for a, b in spans)
    assert held == len(numbers) * 10 * MIN
    assert np.all(np.diff([a for a, _ in spans]) > 0)


def test_duty_is_met_up_to_one_and_a_half_intervals_at_either_end() -> None:
    series = series_of([15, 25], [1, 2])
    assert find_gaps(series, duty=(0, 40 * MIN)) == []
    assert [g.start_ms for g in find_gaps(series, duty=(-1, 40 * MIN))] == [-1]
    assert [g.end_ms for g in find_gaps(series, duty=(0, 40 * MIN + 1))] == [40 * MIN + 1]


def test_stretches_end_with_the_interval_in_force_and_hold_one_and_a_half() -> None:
    times = np.array([0, 15, 25, 27, 60], np.int64) * MIN
    intervals = np.array([10, 10, 2, 10, 10], np.int64) * MIN
    series = make_series(times, np.zeros(5), intervals)
    # fifteen minutes are a hold, two are within one of two, thirty-three are a gap
    assert held_spans(series) == [(0, 37 * MIN), (60 * MIN, 70 * MIN)]
    assert [(g.start_ms, g.end_ms, g.interval_ms) for g in find_gaps(series)] == [
        (37 * MIN, 60 * MIN, 10 * MIN)
    ]
