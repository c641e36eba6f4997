"""Series: what is accepted, how parts join, and for how long a reading stands."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import (
    clip_holds,
    empty_series,
    hold_times_ms,
    join_series,
    make_series,
)
from gezeiten.errors import SeriesError
from tests.conftest import series_of

MIN = 60_000


def test_a_reading_stands_until_the_next_one() -> None:
    series = series_of([0, 10, 20], [1, 2, 3])
    holds = hold_times_ms(series.times_utc_ms, series.interval_ms)
    assert holds.tolist() == [10 * MIN, 10 * MIN, 10 * MIN]  # the last: one interval


def test_a_reading_before_a_gap_stands_for_one_and_a_half_intervals() -> None:
    series = series_of([0, 10, 60], [1, 2, 3])
    holds = hold_times_ms(series.times_utc_ms, series.interval_ms)
    assert holds.tolist() == [10 * MIN, 15 * MIN, 10 * MIN]


def test_exactly_one_and_a_half_intervals_is_held_throughout() -> None:
    series = series_of([0, 15], [1, 2])
    assert hold_times_ms(series.times_utc_ms, series.interval_ms)[0] == 15 * MIN


def test_the_interval_in_force_counts() -> None:
    times = np.array([0, 10, 11, 12, 40], np.int64) * MIN
    intervals = np.array([10, 1, 1, 10, 10], np.int64) * MIN
    series = make_series(times, np.arange(5.0), intervals)
    holds = hold_times_ms(series.times_utc_ms, series.interval_ms) / MIN
    assert holds.tolist() == [10, 1, 1, 15, 10]


def test_no_reading_no_hold() -> None:
    assert len(hold_times_ms(np.empty(0, np.int64), np.empty(0, np.int64))) == 0


def test_nan_is_no_reading() -> None:
    series = series_of([0, 10, 20], [1, float("nan"), 3])
    assert series.times_utc_ms.tolist() == [0, 20 * MIN]
    assert series.values.tolist() == [1, 3]
    assert len(series.interval_ms) == len(series.quality) == 2


@pytest.mark.parametrize("minutes", [[0, 10, 10], [0, 20, 10]])
def test_times_that_do_not_increase_are_refused(minutes: list[float]) -> None:
    with pytest.raises(SeriesError, match="do not increase; check"):
        series_of(minutes, [1, 2, 3])


def test_two_instants_must_be_a_millisecond_apart() -> None:
    two = np.array([1.0, 2.0])
    series = make_series(np.array([5, 6], np.int64), two, 1, int(Quality.POOR))
    assert (len(series), series.quality.dtype) == (2, np.uint8)
    with pytest.raises(SeriesError, match="do not increase"):
        make_series(np.array([5, 5], np.int64), two, 1)


def test_other_counts_of_times_and_values_are_refused() -> None:
    with pytest.raises(SeriesError, match="offload the mission again"):
        make_series(np.arange(3, dtype=np.int64), np.arange(2.0), 1)


def test_joining_sorts_and_keeps_the_earlier_part_at_the_same_instant() -> None:
    measured = series_of([0, 10, 40], [1, 2, 5])
    filled = series_of([10, 20, 30], [9, 3, 4], estimated=(0, 1, 2))
    joined = join_series([measured, filled])
    assert joined.values.tolist() == [1, 2, 3, 4, 5]
    assert joined.estimated.tolist() == [False, False, True, True, False]


def test_joining_nothing_is_an_empty_series() -> None:
    assert len(join_series([])) == len(join_series([empty_series()])) == 0


def test_a_reading_before_the_stretch_holds_into_it() -> None:
    series = series_of([55, 65], [1, 2])
    part, held = clip_holds(series, (60 * MIN, 70 * MIN))
    assert part.values.tolist() == [1, 2]
    assert held.tolist() == [5 * MIN, 5 * MIN]


def test_what_is_not_held_counts_nothing() -> None:
    series = series_of([0, 60], [1, 2])
    _, held = clip_holds(series, (20 * MIN, 50 * MIN))
    assert held.sum() == 0


@given(
    st.lists(st.integers(1, 40), min_size=1, max_size=60),
    st.integers(0, 400),
    st.integers(1, 400),
)
def test_held_time_of_a_stretch_equals_a_count_minute_by_minute(
    steps: list[int], start: int, length: int
) -> None:
    minutes = np.cumsum(steps)
    series = series_of(minutes.tolist(), [0.0] * len(minutes))
    _, held = clip_holds(series, (start * MIN, (start + length) * MIN))
    covered = set()
    for i, at in enumerate(minutes):
        until = at + 10 if i + 1 == len(minutes) else min(minutes[i + 1], at + 15)
        covered.update(range(at, until))
    assert held.sum() == len(covered & set(range(start, start + length))) * MIN


def test_quality_words_are_those_of_the_standard_list() -> None:
    assert [code.file_code for code in Quality] == [
        "good",
        "suspect",
        "estimate",
        "poor",
        "unchecked",
        "missing",
    ]


def test_a_single_part_is_itself() -> None:
    part = series_of([0, 10], [1, 2])
    assert join_series([empty_series(), part]) is part


def test_joined_parts_keep_quality_and_interval_with_their_reading() -> None:
    one = series_of([0, 30], [1, 4], interval_min=30)
    two = series_of([10, 30], [2, 9], interval_min=10, estimated=(0, 1))
    joined = join_series([one, two])
    assert joined.times_utc_ms.tolist() == [0, 10 * MIN, 30 * MIN]
    assert joined.values.tolist() == [1, 2, 4]
    assert joined.quality.tolist() == [Quality.GOOD, Quality.ESTIMATE, Quality.GOOD]
    assert joined.interval_ms.tolist() == [30 * MIN, 10 * MIN, 30 * MIN]


def test_parts_that_touch_at_the_very_instant_keep_the_earlier_reading() -> None:
    joined = join_series([series_of([0, 10], [1, 2]), series_of([10, 20], [7, 3])])
    assert joined.values.tolist() == [1, 2, 3]


def test_readings_a_millisecond_apart_are_two() -> None:
    times = np.array([5, 6], np.int64)
    parts = [make_series(times[i : i + 1], np.array([float(i)]), 1) for i in (0, 1)]
    assert join_series(parts).values.tolist() == [0.0, 1.0]


def test_a_hold_is_cut_by_the_interval_of_its_own_reading() -> None:
    times = np.array([0, 14, 40, 60], np.int64) * MIN
    intervals = np.array([10, 2, 20, 2], np.int64) * MIN
    assert (hold_times_ms(times, intervals) / MIN).tolist() == [14, 3, 20, 2]
    assert hold_times_ms(times, intervals).dtype == np.int64


def test_what_is_held_in_a_stretch_to_the_millisecond() -> None:
    series = series_of([0, 10, 20], [1, 2, 3], estimated=(1,))
    part, held = clip_holds(series, (10 * MIN, 30 * MIN))
    assert part.values.tolist() == [2, 3]  # the first one's hold ends where the stretch begins
    assert part.quality.tolist() == [Quality.ESTIMATE, Quality.GOOD]
    assert part.interval_ms.tolist() == [10 * MIN] * 2
    part, held = clip_holds(series, (10 * MIN - 1, 10 * MIN))
    assert (part.values.tolist(), held.tolist()) == ([1], [1])
