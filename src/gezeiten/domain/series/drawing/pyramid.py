"""Preparing pictures of long series: lowest and highest per column, from summaries by level.

A level holds the extremes of 32 entries of the level below, so a stretch of any length is
drawn from a few thousand numbers, and no spike is ever lost. The lowest level are cells: readings
themselves, or the extremes of some (`domain/series/drawing/cells.py`).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.drawing.cells import Cells, single_cells
from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.series.timeline import Times, Values

FACTOR = 32


@dataclass(frozen=True, slots=True)
class Picture:
    """A polyline: shape (m,). NaN values break the line at gaps."""

    times_utc_ms: Times
    values: Values


class Pyramid:
    """Summaries of the cells of one series, made once; `picture` then serves any stretch of it."""

    def __init__(self, cells: Cells) -> None:
        self.cells = cells
        self._lows: list[Values] = []
        self._highs: list[Values] = []
        self._is_single = cells.low is cells.high
        lows, highs = cells.low, cells.high
        while len(lows) > FACTOR * 64:
            lows, highs = _reduce(np.fmin, lows), _reduce(np.fmax, highs)
            self._lows.append(lows)
            self._highs.append(highs)

    @classmethod
    def of_series(cls, series: Series) -> Pyramid:
        """Return the summaries of readings themselves."""
        return cls(single_cells(series))

    @property
    def nbytes(self) -> int:
        """How much memory it takes."""
        return self.cells.nbytes + sum(part.nbytes for part in [*self._lows, *self._highs])

    def picture(self, start_ms: int, end_ms: int, columns: int) -> Picture:
        """Return a polyline of [start, end): every cell, or the extremes of each column.

        Columns are equally long in time, so that hourly readings beside those of every minute
        stay one line; a cell counts in the column in which it begins. One cell beyond either edge
        is included; the line reaches the border.
        """
        times = self.cells.first_ms
        a, b = np.searchsorted(times, (start_ms, end_ms))
        a, b = max(int(a) - 1, 0), min(int(b) + 1, len(times))
        if b - a <= columns * 4:
            return self._every_cell(a, b)
        borders = np.linspace(start_ms, end_ms, columns + 1).astype(np.int64)
        edges = a + np.searchsorted(times[a:b], borders)
        edges[0], edges[-1] = a, b
        edges = np.unique(edges)  # columns without a reading fall away
        low, high = self._extremes(edges)
        return self._joined(edges, low, high, (end_ms - start_ms) / columns)

    def _extremes(self, edges: NDArray[np.int64]) -> tuple[Values, Values]:
        """Return lowest and highest of cells [edges[i], edges[i + 1]), each shape (m - 1,).

        Whole entries of the highest level first, what is left at either side from the level below.
        """
        low = np.full(len(edges) - 1, np.inf)
        high = np.full(len(edges) - 1, -np.inf)
        starts, ends, column = edges[:-1], edges[1:], np.arange(len(edges) - 1)
        for level in range(len(self._lows), -1, -1):
            size = FACTOR**level
            lows = self._lows[level - 1] if level else self.cells.low
            highs = self._highs[level - 1] if level else self.cells.high
            first, last = -(-starts // size), ends // size
            is_in = last > first
            _merge_extremes(low, np.minimum, lows, first[is_in], last[is_in], column[is_in])
            _merge_extremes(high, np.maximum, highs, first[is_in], last[is_in], column[is_in])
            starts, ends, column = (
                np.concatenate((starts[~is_in], starts[is_in], last[is_in] * size)),
                np.concatenate((ends[~is_in], first[is_in] * size, ends[is_in])),
                np.concatenate((column[~is_in], column[is_in], column[is_in])),
            )
            left = ends > starts
            starts, ends, column = starts[left], ends[left], column[left]
        return low, high

    def _joined(
        self, edges: NDArray[np.int64], low: Values, high: Values, width_ms: float
    ) -> Picture:
        """Low and high of each column, broken where readings lie further apart than a hold and
        the gap is wide enough to be seen."""
        shown_times = np.repeat(self.cells.first_ms[edges[:-1]], 2)
        shown = np.column_stack((low, high)).ravel()
        ends, is_wide = self._ends(edges[1:-1] - 1, edges[1:-1], width_ms)
        wide = np.flatnonzero(is_wide) + 1
        shown_times = np.insert(shown_times, wide * 2, ends[wide - 1])
        return Picture(shown_times, np.insert(shown, wide * 2, np.nan))

    def _every_cell(self, a: int, b: int) -> Picture:
        """Every cell, a reading as a point and others from lowest to highest, with the line broken
        where they are further apart than a hold."""
        cells, points = self.cells, 1 if self._is_single else 2
        times, values = cells.first_ms[a:b], cells.low[a:b]
        if points == 2:
            times = np.column_stack((times, cells.last_ms[a:b])).ravel()
            values = np.column_stack((values, cells.high[a:b])).ravel()
        following = np.arange(a + 1, max(b, a + 1))
        ends, is_wide = self._ends(following - 1, following, 0.0)
        wide = np.flatnonzero(is_wide) + 1
        if not len(wide):
            return Picture(times, values)
        return Picture(
            np.insert(times, wide * points, ends[wide - 1]),
            np.insert(values, wide * points, np.nan),
        )

    def _ends(
        self, before: NDArray[np.intp], after: NDArray[np.intp], width_ms: float
    ) -> tuple[Times, NDArray[np.bool_]]:
        """Return where cells end, and whether a gap wider than so much follows before the next."""
        last, interval = self.cells.last_ms[before], self.cells.interval_ms[before]
        apart = self.cells.first_ms[after] - last
        return last + interval, (apart > HOLD_FACTOR * interval) & (apart > width_ms)


def _reduce(function: np.ufunc, values: Values) -> Values:
    """Extremes of FACTOR neighbours; what is left at the end is looked at one level below."""
    whole = len(values) // FACTOR * FACTOR
    entries: Values = function.reduce(values[:whole].reshape(-1, FACTOR), axis=1)
    return entries


def _merge_extremes(
    into: Values,
    function: np.ufunc,
    entries: Values,
    first: NDArray[np.int64],
    last: NDArray[np.int64],
    column: NDArray[np.int64],
) -> None:
    """Let the extreme of entries [first[i], last[i]), none of them empty, count in column[i]."""
    if not len(first):
        return
    lengths = last - first
    offsets = np.cumsum(lengths) - lengths
    index = np.repeat(first - offsets, lengths) + np.arange(int(lengths.sum()))
    function.at(into, column, function.reduceat(entries[index], offsets))


def split_for_drawing(series: Series) -> tuple[Series, Series]:
    """Return (measured, estimated) so that each can be drawn in its own manner.

    The estimated part takes in the measured neighbour on either side, so the two lines meet.
    """
    estimated = series.estimated
    if not estimated.any():
        return series, _decimated(series, np.zeros(len(series), bool))
    joined = estimated.copy()
    joined[1:] |= estimated[:-1]
    joined[:-1] |= estimated[1:]
    return _decimated(series, ~estimated), _decimated(series, joined)


def _decimated(series: Series, keep: NDArray[np.bool_]) -> Series:
    return series.subset(keep)
