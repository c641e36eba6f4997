"""Preparing pictures of long series: lowest and highest per column, from summaries by level.

A level holds the extremes of 32 entries of the level below, so a stretch of any length is
drawn from a few thousand numbers, and no spike is ever lost.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series import HOLD_FACTOR, Series
from gezeiten.domain.timeline import Times, Values

FACTOR = 32


@dataclass(frozen=True, slots=True)
class Picture:
    """A polyline: shape (m,). NaN values break the line at gaps."""

    times_utc_ms: Times
    values: Values


class Pyramid:
    """Summaries of one series, made once; `picture` then serves any stretch of it."""

    def __init__(self, series: Series) -> None:
        self.series = series
        self._lows: list[Values] = []
        self._highs: list[Values] = []
        lows = highs = series.values
        while len(lows) > FACTOR * 64:
            whole = len(lows) // FACTOR * FACTOR
            lows = _reduce(np.fmin, lows, whole)
            highs = _reduce(np.fmax, highs, whole)
            self._lows.append(lows)
            self._highs.append(highs)

    def picture(self, start_ms: int, end_ms: int, columns: int) -> Picture:
        """Return a polyline of [start, end) with at most some 4 x FACTOR x columns points.

        One reading beyond either edge is included, so the line reaches the border.
        """
        times = self.series.times_utc_ms
        a, b = np.searchsorted(times, (start_ms, end_ms))
        a, b = max(int(a) - 1, 0), min(int(b) + 1, len(times))
        if b - a <= columns * 4:
            return self._readings(a, b)
        level, size = 0, 1
        while level < len(self._lows) and (b - a) > columns * size * FACTOR:
            level, size = level + 1, size * FACTOR
        if level == 0:
            return _extremes(times[a:b], self.series.values[a:b], self.series.values[a:b], columns)
        first, last = a // size, -(-b // size)
        lows, highs = self._lows[level - 1], self._highs[level - 1]
        last = min(last, len(lows))
        starts = times[first * size : (last - 1) * size + 1 : size]
        return _extremes(starts, lows[first:last], highs[first:last], columns)

    def _readings(self, a: int, b: int) -> Picture:
        """Every reading, with the line broken where they are further apart than a hold."""
        times = self.series.times_utc_ms[a:b]
        values = self.series.values[a:b]
        intervals = self.series.interval_ms[a:b]
        wide = np.flatnonzero(np.diff(times) > HOLD_FACTOR * intervals[:-1]) + 1
        if not len(wide):
            return Picture(times, values)
        return Picture(
            np.insert(times, wide, times[wide - 1] + intervals[wide - 1]),
            np.insert(values, wide, np.nan),
        )


def _reduce(function: np.ufunc, values: Values, whole: int) -> Values:
    """Extremes of FACTOR neighbours; the remainder at the end makes one more entry."""
    body: Values = function.reduce(values[:whole].reshape(-1, FACTOR), axis=1)
    if whole == len(values):
        return body
    return np.append(body, function.reduce(values[whole:]))


def _extremes(times: Times, lows: Values, highs: Values, columns: int) -> Picture:
    """Low and high of each of `columns` groups of neighbouring entries, broken at wide gaps."""
    group = max(1, -(-len(times) // columns))
    edges = np.arange(0, len(times), group)
    low = np.fmin.reduceat(lows, edges)
    high = np.fmax.reduceat(highs, edges)
    shown_times = np.repeat(times[edges], 2)
    shown = np.column_stack((low, high)).ravel()
    pace = np.diff(times[edges])
    if len(pace):
        wide = np.flatnonzero(pace > 3 * np.median(pace)) + 1
        shown_times = np.insert(shown_times, wide * 2, times[edges][wide] - 1)
        shown = np.insert(shown, wide * 2, np.nan)
    return Picture(shown_times, shown)


def split_for_drawing(series: Series) -> tuple[Series, Series]:
    """Return (measured, estimated) so that each can be drawn in its own manner.

    The estimated part takes in the measured neighbour on either side, so the two lines meet.
    """
    estimated = series.estimated
    if not estimated.any():
        return series, _taken(series, np.zeros(len(series), bool))
    joined = estimated.copy()
    joined[1:] |= estimated[:-1]
    joined[:-1] |= estimated[1:]
    return _taken(series, ~estimated), _taken(series, joined)


def _taken(series: Series, keep: NDArray[np.bool_]) -> Series:
    return Series(
        series.times_utc_ms[keep],
        series.values[keep],
        series.quality[keep],
        series.interval_ms[keep],
    )
