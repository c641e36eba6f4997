"""A series: the readings of one quantity at one point, and how long each reading stands.

Only readings with a value are in a series; a missing value leaves a gap.
Source: docs/calculations.md, "Holding, gaps, time outside".
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.timeline import Span, Times, Values
from gezeiten.errors import SeriesError

HOLD_FACTOR = 1.5
"""A reading stands for no longer than this many intervals; further apart is a gap."""


@dataclass(frozen=True, slots=True)
class Series:
    """Readings in order of time.

    times_utc_ms: int64 (n,), strictly increasing. values: float64 (n,), finite, in the
    quantity's unit. quality: uint8 (n,), `Quality` codes. interval_ms: int64 (n,), the
    interval in force at each reading.
    """

    times_utc_ms: Times
    values: Values
    quality: NDArray[np.uint8]
    interval_ms: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.times_utc_ms)

    def between(self, start_ms: int, end_ms: int) -> Series:
        """Return the readings with start <= time < end (views, no copies)."""
        a, b = np.searchsorted(self.times_utc_ms, (start_ms, end_ms))
        return self.subset(slice(a, b))

    def subset(self, which: NDArray[np.bool_] | slice) -> Series:
        """Return some of the readings: those of a mask, bool (n,), or of a slice."""
        return Series(
            self.times_utc_ms[which],
            self.values[which],
            self.quality[which],
            self.interval_ms[which],
        )

    @property
    def estimated(self) -> NDArray[np.bool_]:
        """True where a reading was estimated, not measured."""
        mask: NDArray[np.bool_] = self.quality == Quality.ESTIMATE
        return mask


def make_series(
    times_utc_ms: Times,
    values: Values,
    interval_ms: int | NDArray[np.int64],
    quality: int | NDArray[np.uint8] = Quality.GOOD,
    *,
    is_in_order: bool = False,
) -> Series:
    """Return a checked series; NaN values are left out. Scalars stand for every reading.

    is_in_order: that times increase is known, and not looked at again.

    Raises:
        SeriesError: shapes differ, or times do not strictly increase.
    """
    shape = times_utc_ms.shape
    if times_utc_ms.ndim != 1 or values.shape != shape:
        raise SeriesError(
            f"{shape} times for {values.shape} values do not make a series; offload "
            "the mission again."
        )
    if not is_in_order and len(times_utc_ms) > 1 and not bool((np.diff(times_utc_ms) > 0).all()):
        raise SeriesError("Times of a series do not increase; check the logger's clock.")
    intervals = np.broadcast_to(np.asarray(interval_ms, np.int64), shape)
    codes = np.broadcast_to(np.asarray(quality, np.uint8), shape)
    known = np.isfinite(values)
    if known.all():
        return Series(times_utc_ms, values, codes, intervals)
    return Series(times_utc_ms[known], values[known], codes[known], intervals[known])


def empty_series() -> Series:
    """Return a series without readings."""
    return make_series(np.empty(0, np.int64), np.empty(0), 1)


def join_series(parts: list[Series]) -> Series:
    """Return one series of several; of two readings at one instant the earlier part's stays."""
    parts = [part for part in parts if len(part)]
    if not parts:
        return empty_series()
    if len(parts) == 1:
        return parts[0]
    times = np.concatenate([part.times_utc_ms for part in parts])
    values = np.concatenate([part.values for part in parts])
    quality = _concatenated([part.quality for part in parts])
    intervals = _concatenated([part.interval_ms for part in parts])
    if not bool((np.diff(times) > 0).all()):
        # np.unique keeps the first of equal instants, which is the earlier part
        times, keep = np.unique(times, return_index=True)
        values, quality, intervals = values[keep], quality[keep], intervals[keep]
    return Series(times, values, quality, intervals)


_Codes = TypeVar("_Codes", np.uint8, np.int64)


def _concatenated(parts: list[NDArray[_Codes]]) -> NDArray[_Codes]:
    """Return arrays as one; what is the same for all readings goes on taking no room."""
    first = parts[0][0]
    if all(part.strides[0] == 0 and part[0] == first for part in parts):
        return np.broadcast_to(first, sum(len(part) for part in parts))
    return np.concatenate(parts)


def all_instants(parts: Iterable[Series]) -> Times:
    """Return every instant at which one of some series has a reading, in order, each once."""
    listed = [part.times_utc_ms for part in parts if len(part)]
    if not listed:
        return np.empty(0, np.int64)
    if all(len(one) == len(listed[0]) and (one == listed[0]).all() for one in listed[1:]):
        return listed[0]
    times = np.concatenate(listed)
    times.sort(kind="stable")  # runs in order: merged, not sorted
    stays: Times = times[np.append(True, times[1:] != times[:-1])]
    return stays


def gaps_after(times_utc_ms: Times, interval_ms: NDArray[np.int64]) -> NDArray[np.intp]:
    """Return after which readings there is a gap before the next one: their places, in order.

    Args:
        times_utc_ms: int64 (n,), increasing; interval_ms: in force at each, int64 (n,).
    """
    return np.flatnonzero(np.diff(times_utc_ms) > HOLD_FACTOR * interval_ms[:-1])


def hold_times_ms(times_utc_ms: Times, interval_ms: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return for how long each reading stands, int64 (n,).

    Until the next reading, for no longer than 1.5 intervals; the last for one interval.
    """
    holds = np.empty(len(times_utc_ms), np.int64)
    if len(holds):
        longest = (interval_ms[:-1] * HOLD_FACTOR).astype(np.int64)
        np.minimum(np.diff(times_utc_ms), longest, out=holds[:-1])
        holds[-1] = interval_ms[-1]
    return holds


def clip_holds(series: Series, span: Span) -> tuple[Series, NDArray[np.int64]]:
    """Return the readings whose holds reach into a span, with the held part inside it.

    A reading shortly before the span belongs to it with the remainder of its hold.
    """
    start, end = span
    a, b = np.searchsorted(series.times_utc_ms, (start, end))
    first = max(int(a) - 1, 0)
    begin = series.times_utc_ms[first:b]
    # one more reading to the right, so that the last hold is known as well
    holds = hold_times_ms(series.times_utc_ms[first : b + 1], series.interval_ms[first : b + 1])
    holds = holds[: len(begin)]
    inside = np.minimum(begin + holds, end) - np.maximum(begin, start)
    keep = inside > 0
    # only what begins before the span, or beyond its end, can have nothing in it
    wanted: slice | NDArray[np.bool_] = keep
    if len(keep) and keep[1:].all():
        wanted = slice(0 if keep[0] else 1, None)  # views, no copies
    part = Series(
        begin[wanted],
        series.values[first:b][wanted],
        series.quality[first:b][wanted],
        series.interval_ms[first:b][wanted],
    )
    return part, inside[wanted]
