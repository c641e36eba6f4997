"""Cells: extremes of few neighbouring readings, never across a gap; pictures made of them."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.drawing.cells import (
    READINGS_PER_CELL,
    cells_of_series,
    joined_cells,
    single_cells,
)
from gezeiten.domain.series.drawing.pyramid import Pyramid
from gezeiten.domain.series.series import HOLD_FACTOR, Series, empty_series, make_series

MINUTE = 60_000


@st.composite
def any_series(draw: st.DrawFn) -> Series:
    """Readings a minute apart, with holes here and there."""
    steps = draw(st.lists(st.sampled_from([1, 1, 1, 1, 1, 1, 2, 50]), min_size=1, max_size=400))
    times = np.cumsum(np.array(steps, np.int64)) * MINUTE
    seed = draw(st.integers(0, 1000))
    return make_series(times, np.random.default_rng(seed).normal(size=len(times)), MINUTE)


def by_hand(series: Series) -> list[tuple[int, int, float, float, int]]:
    """The same, reading by reading."""
    found: list[list[int]] = []
    for i in range(len(series)):
        apart = i and int(series.times_utc_ms[i] - series.times_utc_ms[i - 1])
        if not found or apart > HOLD_FACTOR * MINUTE or len(found[-1]) == READINGS_PER_CELL:
            found.append([])
        found[-1].append(i)
    return [
        (
            int(series.times_utc_ms[one[0]]),
            int(series.times_utc_ms[one[-1]]),
            min(float(series.values[i]) for i in one),
            max(float(series.values[i]) for i in one),
            len(one),
        )
        for one in found
    ]


@given(any_series())
def test_cells_are_as_made_by_hand(series: Series) -> None:
    cells = cells_of_series(series)
    columns = (cells.first_ms, cells.last_ms, cells.low, cells.high, cells.count)
    assert list(zip(*(column.tolist() for column in columns), strict=True)) == by_hand(series)


@given(any_series(), st.integers(0, 400 * MINUTE), st.integers(1, 4000 * MINUTE))
def test_a_picture_of_cells_misses_no_extreme_and_invents_none(
    series: Series, start: int, length: int
) -> None:
    span = (start, start + length)
    picture = Pyramid(cells_of_series(series)).picture(*span, 4)
    drawn = picture.values[np.isfinite(picture.values)]
    inside = series.between(*span).values
    assert set(drawn.tolist()) <= set(series.values.tolist())
    if len(inside):
        assert drawn.min() <= inside.min()
        assert drawn.max() >= inside.max()
    assert (np.diff(picture.times_utc_ms) >= 0).all()


def test_a_gap_breaks_the_line_between_two_cells() -> None:
    times = np.array([0, 1, 2, 60, 61], np.int64) * MINUTE
    series = make_series(times, np.array([1.0, 3.0, 2.0, 5.0, 4.0]), MINUTE)
    picture = Pyramid(cells_of_series(series)).picture(0, 100 * MINUTE, 1000)
    assert (picture.times_utc_ms // MINUTE).tolist() == [0, 2, 3, 60, 61]
    assert np.isnan(picture.values).tolist() == [False, False, True, False, False]


def test_readings_counted_from_cells_are_never_too_few() -> None:
    series = make_series(np.arange(100, dtype=np.int64) * MINUTE, np.zeros(100), MINUTE)
    cells = cells_of_series(series)
    assert cells.max_count_in((0, 100 * MINUTE)) == 100
    assert cells.max_count_in((40 * MINUTE, 41 * MINUTE)) == 32  # one cell, whole
    assert cells.max_count_in((200 * MINUTE, 300 * MINUTE)) == 0
    assert single_cells(series).max_count_in((40 * MINUTE, 42 * MINUTE)) == 2


def test_nothing_has_no_cells_and_takes_no_memory() -> None:
    assert len(cells_of_series(empty_series())) == 0
    none = joined_cells([])
    assert (len(none), none.nbytes) == (0, 0)
