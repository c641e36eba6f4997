"""Thinning: groups by hand, by the standard library, and what stays out of them."""

from __future__ import annotations

import math
import statistics
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.coverage import numbers_between, within
from gezeiten.domain.series.drawing.thinning import (
    MOST_EVERY,
    ThinKind,
    Thinning,
    group_figures,
    seems_outside,
)

values = st.lists(
    st.one_of(st.floats(-50, 50, width=32), st.just(math.nan)), min_size=0, max_size=60
)


def test_groups_by_hand() -> None:
    means, lows, highs = group_figures(np.array([1.0, 2.0, 6.0, 4.0, np.nan, 5.0, 9.0]), 3)
    assert means.tolist() == [3.0, 4.5]
    assert lows.tolist() == [1.0, 4.0]
    assert highs.tolist() == [6.0, 5.0]  # the 9 stands in a group that is not full


@given(values, st.integers(2, 9))
def test_groups_agree_with_the_standard_library(column: list[float], every: int) -> None:
    means, lows, highs = group_figures(np.array(column, float), every)
    assert len(means) == len(lows) == len(highs) == len(column) // every
    for i, (mean, low, high) in enumerate(zip(means, lows, highs, strict=True)):
        known = [v for v in column[i * every : (i + 1) * every] if not math.isnan(v)]
        if not known:
            assert np.isnan([mean, low, high]).all()
            continue
        assert mean == pytest.approx(statistics.fmean(known), abs=1e-9)
        assert (low, high) == (min(known), max(known))


@given(st.sampled_from(ThinKind), st.integers(2, 50), st.integers(0, 500), st.integers(1, 900))
def test_values_stand_for_readings_that_follow_each_other(
    kind: ThinKind, every: int, first: int, count: int
) -> None:
    thinning = Thinning(kind, every, first, first + count)
    parts = [thinning.readings_of(i, i + 1) for i in range(thinning.values)]
    assert all(a[1] == b[0] for a, b in pairwise(parts))
    shown = parts[-1][1] - parts[0][0] if parts else 0
    left_out = count - shown
    # every reading counts for an n-th; of means an unfinished group is left out
    assert left_out == (0 if kind == ThinKind.NTH else count % every)


def test_where_a_value_stands() -> None:
    # readings every 60 s from 0; of readings 10, 11, 12, 13 the middle is at 690 s
    assert Thinning(ThinKind.NTH, 4, 10, 30).first_ms(0, 60_000) == 600_000
    assert Thinning(ThinKind.MEANS, 4, 10, 30).first_ms(0, 60_000) == 690_000


@pytest.mark.parametrize(
    ("every", "first", "end", "kind"),
    [
        (1, 0, 10, ThinKind.NTH),  # that is all of them
        (MOST_EVERY + 1, 0, 10**6, ThinKind.NTH),
        (5, 10, 10, ThinKind.NTH),
        (5, -1, 10, ThinKind.NTH),
        (11, 0, 10, ThinKind.MEANS),  # not one full group
    ],
)
def test_what_cannot_be_asked_for(every: int, first: int, end: int, kind: ThinKind) -> None:
    assert not Thinning(kind, every, first, end).is_possible


def test_numbers_of_a_stretch_count_both_ends() -> None:
    # readings due at 1000, 1600, 2200, 2800
    assert numbers_between(1000, 600, 1000, 2200) == (0, 3)
    assert numbers_between(1000, 600, 1001, 2199) == (1, 2)
    assert numbers_between(1000, 600, 1601, 1602) == (2, 2)  # none
    assert within((-5, 9), (2, 7)) == (2, 7)
    assert within((8, 9), (2, 7)) == (8, 8)


def test_an_overview_seems_outside_where_its_reach_is() -> None:
    middle, low, high = (np.array(v, float) for v in ([5, 5, 5], [4, 1, 4], [6, 6, 9]))
    above, below = LimitRule("t", "above", 7.0, 3600), LimitRule("t", "below", 2.0, 3600)
    assert seems_outside(above, middle, low, high).tolist() == [False, False, True]
    assert seems_outside(below, middle, low, high).tolist() == [False, True, False]
    assert seems_outside(above, high, None, None).tolist() == [False, False, True]
    assert seems_outside(below, low, None, None).tolist() == [False, True, False]


def test_edges_of_what_can_be_asked_for() -> None:
    assert Thinning(ThinKind.NTH, 2, 0, 1).is_possible
    assert Thinning(ThinKind.MEANS, 2, 0, 2).is_possible
    assert Thinning(ThinKind.NTH, MOST_EVERY, 5, 6).is_possible
    assert Thinning(ThinKind.NTH, 0, 0, 10).values == 0
    assert Thinning(ThinKind.NTH, 1, 0, 10).values == 10
    assert Thinning(ThinKind.MEANS, 3, 0, 10).values == 3
    assert Thinning(ThinKind.NTH, 3, 0, 10).values == 4
    assert Thinning(ThinKind.NTH, 3, 4, 10).readings_of(1, 9) == (7, 10)
    halves = Thinning(ThinKind.MEANS, 2, 0, 10).first_ms(0, 1001)
    assert (halves, type(halves)) == (500, int)
