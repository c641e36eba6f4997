"""Ranges of reading numbers against sets of numbers."""

from __future__ import annotations

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.coverage import Range, merged, missing, size

RANGES = st.lists(st.tuples(st.integers(0, 60), st.integers(0, 60)), max_size=8)


def numbers(ranges: list[Range]) -> set[int]:
    return {n for first, end in ranges for n in range(first, end)}


@given(RANGES)
def test_merging_keeps_every_number_once(ranges: list[Range]) -> None:
    joined = merged(ranges)
    assert numbers(joined) == numbers(ranges)
    assert size(joined) == len(numbers(ranges))
    assert all(a[1] < b[0] for a, b in pairwise(joined))


@given(st.tuples(st.integers(0, 60), st.integers(0, 60)), RANGES)
def test_missing_is_the_whole_without_what_is_kept(whole: Range, kept: list[Range]) -> None:
    assert numbers(missing(whole, kept)) == numbers([whole]) - numbers(kept)


def test_nothing_is_missing_of_nothing() -> None:
    assert missing((5, 5), []) == []
    assert missing((0, 10), [(0, 10)]) == []
    assert missing((0, 10), []) == [(0, 10)]


def test_ranges_that_touch_or_are_cut_exactly_at_the_edge() -> None:
    assert missing((0, 10), [(0, 5), (5, 10)]) == []
    assert missing((0, 10), [(10, 20)]) == [(0, 10)]
    assert missing((0, 10), [(3, 3), (4, 5)]) == [(0, 4), (5, 10)]
    assert missing((2, 10), [(0, 2), (20, 30)]) == [(2, 10)]
