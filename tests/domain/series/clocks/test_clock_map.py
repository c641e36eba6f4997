"""Clocks put right: by hand, and as properties."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.clocks.clock_map import RIGHT, clock_map
from gezeiten.domain.series.timeline import EVER_MS


def test_between_two_contacts_it_is_stretched_and_beyond_goes_on_so() -> None:
    """By hand: 10 s slow after 1,000 s; half of that in the middle, 20 s after 2,000 s."""
    made = clock_map([(0, 0), (1_000_000, 1_010_000)])
    shown = np.array([-1_000_000, 0, 500_000, 1_000_000, 2_000_000], np.int64)
    assert made.corrected_times(shown).tolist() == [-1_010_000, 0, 505_000, 1_010_000, 2_020_000]


def test_a_single_pair_is_a_shift_and_none_changes_nothing() -> None:
    times = np.array([5, 9], np.int64)
    assert clock_map([(100, 40)]).corrected_times(times).tolist() == [-55, -51]
    assert RIGHT.corrected_times(times) is times
    assert not RIGHT
    assert RIGHT.shown_span((3, 7)) == (3, 7)
    assert clock_map([(0, 1000)]).corrected_instant(EVER_MS) == EVER_MS


@pytest.mark.parametrize("pairs", [[], [(0, 0), (0, 5)], [(0, 0), (10, 0)], [(0, 0), (10, 100)]])
def test_what_no_clock_does_is_refused(pairs: list[tuple[int, int]]) -> None:
    with pytest.raises(ValueError, match="clock"):
        clock_map(pairs)


@given(
    st.lists(st.tuples(st.integers(10**6, 10**9), st.integers(-200, 200)), min_size=1, max_size=6),
    st.lists(st.integers(-(10**10), 10**10), min_size=2, max_size=30, unique=True),
)
def test_order_stays_and_the_way_back_holds_every_instant(
    steps: list[tuple[int, int]], instants: list[int]
) -> None:
    """At any rates within 200 ppm readings a second apart stay apart, and what lies in a stretch of
    true time lies in that of the clock."""
    shown, true, pairs = 1_700_000_000_000, 1_700_000_123_456, []
    for length, ppm in steps:
        pairs.append((shown, true))
        shown, true = shown + length, true + length + round(length * ppm * 1e-6)
    made = clock_map(pairs)
    times = np.sort(np.array(instants, np.int64)) * 1000 + 1_700_000_000_000
    moved = made.corrected_times(times)
    assert (np.diff(moved) > 0).all()
    for at, its in zip(times.tolist(), moved.tolist(), strict=True):
        first, end = made.shown_span((its, its + 1))
        assert first <= at < end
