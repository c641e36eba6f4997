"""The interval in force, by hand-worked cases; distances in minutes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.gaps import find_gaps
from gezeiten.domain.series.series import make_series
from gezeiten.domain.series.spacing import LONE_MS, intervals_of_mission, intervals_of_text

MINUTE_MS = 60_000


def text_intervals(*distances_min: int) -> list[int]:
    times = np.cumsum([0, *distances_min]) * MINUTE_MS
    return (intervals_of_text(times) // MINUTE_MS).tolist()


def gaps_of_text(*distances_min: int) -> list[int]:
    """Where gaps are found: after which reading."""
    times = np.cumsum([0, *distances_min]).astype(np.int64) * MINUTE_MS
    gaps = find_gaps(make_series(times, np.ones(len(times)), intervals_of_text(times)))
    return [int(np.searchsorted(times, gap.start_ms)) - 1 for gap in gaps]


@pytest.mark.parametrize(
    ("distances", "after"),
    [
        ((10, 10, 10, 10, 10), []),
        ((10, 10, 60, 10, 10), [2]),
        ((60, 10, 10, 10), [0]),
        ((10, 10, 10, 60), [3]),
        ((10, 10, 60, 60, 10, 10), [2, 3]),
        ((1, 1, 1, 1, 1, 10, 10, 10, 10), []),  # from then on every ten minutes
        ((10, 10, 10, 10, 1, 1, 1, 1, 1), []),
        ((10, 9, 11, 10, 12, 8, 10), []),  # comes when it comes
        ((10,), []),
        ((10, 1440, 10, 1440, 10), [1, 3]),  # two readings a day
    ],
)
def test_gaps_of_a_text_are_holes_and_no_changes_of_spacing(
    distances: tuple[int, ...], after: list[int]
) -> None:
    assert gaps_of_text(*distances) == after


def test_a_lone_reading_has_a_minute() -> None:
    assert intervals_of_text(np.array([5])).tolist() == [LONE_MS]
    assert intervals_of_text(np.empty(0, np.int64)).tolist() == []


@given(st.lists(st.integers(1, 30), min_size=12, max_size=40))
def test_only_the_nearest_readings_count(distances: list[int]) -> None:
    """Ten readings more on either side change nothing in the middle."""
    alone = text_intervals(*distances)
    among = text_intervals(*[7] * 10, *distances, *[3] * 10)
    assert among[14:-15] == alone[4:-5]


def test_a_missions_interval_is_told_by_the_next_number() -> None:
    numbers = np.array([0, 1, 2, 3, 4, 10, 11, 20])
    times = np.array([0, 5, 6, 7, 12, 42, 43, 100]) * MINUTE_MS
    found = intervals_of_mission(numbers, times, 5 * MINUTE_MS, MINUTE_MS) // MINUTE_MS
    #  3 → 4 is five minutes; 4 and 11 have no next one and go as the one before; 20 has none either
    assert found.tolist() == [5, 1, 1, 5, 5, 1, 1, 5]


def test_a_mission_whose_interval_never_changes_has_that_one() -> None:
    numbers = np.array([0, 1, 7])
    found = intervals_of_mission(numbers, numbers * 1_000, 1_000, 0)
    assert found.tolist() == [1_000] * 3
