"""Runs: stretches of readings without a gap, each by its first reading, its last, and the interval
in force at the last. Coverage and gaps follow from them alone, however many readings there are.

Source: docs/calculations.md, "Holding, gaps, time outside".
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import HOLD_FACTOR, Series, gaps_after
from gezeiten.domain.series.timeline import Span, Times


@dataclass(frozen=True, slots=True)
class Runs:
    """first_ms, last_ms: instants of the first and last reading of each run, UTC ms int64 (n,);
    interval_ms: in force at the last one, int64 (n,)."""

    starts_ms: Times
    ends_ms: Times
    interval_ms: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.starts_ms)

    @property
    def spans(self) -> list[Span]:
        """From the first reading of each to the end of the last one's hold."""
        ends = self.ends_ms + self.interval_ms
        return list(zip(self.starts_ms.tolist(), ends.tolist(), strict=True))

    def gaps(self) -> list[Gap]:
        """Return what is missing between them, oldest first."""
        begins = (self.ends_ms + self.interval_ms)[:-1].tolist()
        rows = zip(begins, self.starts_ms[1:].tolist(), self.interval_ms[:-1].tolist(), strict=True)
        return [Gap(*row) for row in rows]

    def covered_ms(self, span: Span) -> int:
        """Return how much of a stretch they hold, ms."""
        begins = np.maximum(self.starts_ms, span[0])
        ends = np.minimum(self.ends_ms + self.interval_ms, span[1])
        return int(np.maximum(ends - begins, 0).sum())

    def as_table(self) -> NDArray[np.int64]:
        """Return them as int64 (n, 3)."""
        return np.column_stack((self.starts_ms, self.ends_ms, self.interval_ms))


def runs_of_table(table: NDArray[np.int64]) -> Runs:
    """Return the runs of `Runs.as_table`."""
    return Runs(table[:, 0], table[:, 1], table[:, 2])


def runs_of(times_utc_ms: Times, interval_ms: NDArray[np.int64]) -> Runs:
    """Return the runs of readings that have values.

    Args:
        times_utc_ms: int64 (n,), strictly increasing; interval_ms: in force at each, int64 (n,).
    """
    return runs_from_gaps(times_utc_ms, interval_ms, gaps_after(times_utc_ms, interval_ms))


def runs_from_gaps(
    times_utc_ms: Times, interval_ms: NDArray[np.int64], gaps: NDArray[np.intp]
) -> Runs:
    """Return the runs of readings of which `gaps_after` is known."""
    if not len(times_utc_ms):
        return runs_of_table(np.empty((0, 3), np.int64))
    firsts, lasts = np.append(0, gaps + 1), np.append(gaps, len(times_utc_ms) - 1)
    return Runs(times_utc_ms[firsts], times_utc_ms[lasts], interval_ms[lasts])


def runs_of_series(series: Series) -> Runs:
    """Return the runs of a series."""
    return runs_of(series.times_utc_ms, series.interval_ms)


def cut_runs(table: NDArray[np.int64], start_ms: int, end_ms: int) -> NDArray[np.int64] | None:
    """Return the runs in [start, end), int64 (n, 3); None where an edge lies within a run, so that
    only its readings tell where it ends."""
    begins = (table[:, 0] < start_ms) & (table[:, 1] >= start_ms)
    ends = (table[:, 0] < end_ms) & (table[:, 1] >= end_ms)
    if (begins | ends).any():
        return None
    return table[(table[:, 0] >= start_ms) & (table[:, 1] < end_ms)]


def joined_runs(table: NDArray[np.int64]) -> Runs:
    """Return the runs that runs of several pieces make together.

    Args:
        table: int64 (n, 3) as of `Runs.as_table`, in any order; pieces may lie within others.
    """
    if len(table) < 2:
        return runs_of_table(table)
    if (table[1:, 0] > table[:-1, 1]).all():  # in order, none within another
        ends, intervals = table[:, 1], table[:, 2]
    else:
        table = table[np.lexsort((table[:, 1], table[:, 0]))]
        ends = np.maximum.accumulate(table[:, 1])
        at_end = np.maximum.accumulate(np.where(table[:, 1] == ends, np.arange(len(table)), 0))
        intervals = table[at_end, 2]
    wide = np.flatnonzero(table[1:, 0] - ends[:-1] > HOLD_FACTOR * intervals[:-1])
    firsts, lasts = np.append(0, wide + 1), np.append(wide, len(table) - 1)
    return Runs(table[firsts, 0], ends[lasts], intervals[lasts])
