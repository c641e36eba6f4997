"""Cells: the extremes of up to 32 neighbouring readings, from which long stretches are drawn
without reading them.

A cell never reaches across a gap. A reading by itself is a cell of one.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.series import Series, gaps_after
from gezeiten.domain.series.timeline import Span, Times, Values

READINGS_PER_CELL = 32


@dataclass(frozen=True, slots=True)
class Cells:
    """Cells in order of time, each array of shape (n,).

    first_ms, last_ms: instants of the first and last reading, UTC ms int64; interval_ms: in force
    at the last, int64; low, high: extremes, float64; count: readings, int64.
    """

    first_ms: Times
    last_ms: Times
    interval_ms: NDArray[np.int64]
    low: Values
    high: Values
    count: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.first_ms)

    @property
    def nbytes(self) -> int:
        """How much memory they take; what is the same for all takes none, nor does what is held
        twice."""
        parts = (self.first_ms, self.last_ms, self.interval_ms, self.low, self.high, self.count)
        own = {id(part): part.nbytes for part in parts if len(part) and part.strides[0]}
        return sum(own.values())

    def max_count_in(self, span: Span) -> int:
        """Return at most how many readings lie in [start, end): cells at its edges count whole."""
        a = int(self.last_ms.searchsorted(span[0]))
        b = int(self.first_ms.searchsorted(span[1]))
        return int(self.count[a:b].sum())


def firsts_of_cells(count: int, gaps: NDArray[np.intp]) -> NDArray[np.int64]:
    """Return the places of the first reading of each cell of so many readings, int64 (m,).

    gaps: after which of them there is a gap, as of `gaps_after`.
    """
    runs = np.append(np.zeros(min(count, 1), np.int64), gaps + 1)
    per_run = -(-np.diff(np.append(runs, count)) // READINGS_PER_CELL)
    before = np.cumsum(per_run) - per_run
    within = np.arange(int(per_run.sum()), dtype=np.int64) - np.repeat(before, per_run)
    return np.asarray(np.repeat(runs, per_run) + READINGS_PER_CELL * within, np.int64)


def ends_of_cells(count: int, firsts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the place behind the last reading of each cell, int64 (m,)."""
    return np.append(firsts[1:], count)[: len(firsts)]


def extremes_of(values: Values, firsts: NDArray[np.int64]) -> tuple[Values, Values]:
    """Return the lowest and the highest value of each cell.

    Args:
        values: finite, (n,); firsts: as of `firsts_of_cells`.
    """
    if not len(values):
        return np.empty(0), np.empty(0)
    return np.minimum.reduceat(values, firsts), np.maximum.reduceat(values, firsts)


def cells_of_series(series: Series) -> Cells:
    """Return the cells of a series."""
    times, intervals = series.times_utc_ms, series.interval_ms
    firsts = firsts_of_cells(len(times), gaps_after(times, intervals))
    ends = ends_of_cells(len(times), firsts)
    return Cells(
        times[firsts],
        times[ends - 1],
        np.ascontiguousarray(intervals[ends - 1]),
        *extremes_of(series.values, firsts),
        ends - firsts,
    )


def single_cells(series: Series) -> Cells:
    """Return a cell for each reading of a series (views, no copies)."""
    times, values = series.times_utc_ms, series.values
    ones = np.broadcast_to(np.int64(1), times.shape)
    return Cells(times, times, series.interval_ms, values, values, ones)


def joined_cells(parts: Iterable[Cells]) -> Cells:
    """Return cells, one after the other, as one."""
    listed = [part for part in parts if len(part)]
    if len(listed) == 1:
        return listed[0]
    none, whole = np.empty(0), np.empty(0, np.int64)
    return Cells(
        np.concatenate([one.first_ms for one in listed] or [whole]),
        np.concatenate([one.last_ms for one in listed] or [whole]),
        np.concatenate([one.interval_ms for one in listed] or [whole]),
        np.concatenate([one.low for one in listed] or [none]),
        np.concatenate([one.high for one in listed] or [none]),
        np.concatenate([one.count for one in listed] or [whole]),
    )
