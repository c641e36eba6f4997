"""The farthest readings of stretches of a series, and a long series thinned to them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.series import Series, gaps_after
from gezeiten.domain.series.timeline import Values


def first_maxima(values: Values, firsts: NDArray[np.intp]) -> NDArray[np.intp]:
    """Return for each stretch the place of its greatest value; of equal ones the first.

    Args:
        values: (n,), no NaN; firsts: (m,), where each stretch begins, from 0 on and rising.
    """
    lengths = np.diff(np.append(firsts, len(values)))
    span_of = np.repeat(np.arange(len(firsts)), lengths)
    greatest = np.flatnonzero(values == np.maximum.reduceat(values, firsts)[span_of])
    _, first_of_span = np.unique(span_of[greatest], return_index=True)
    return greatest[first_of_span]


def thinned(series: Series, most: int) -> Series:
    """Return a series as it is where it has at most so many readings, else the lowest and the
    highest of as many stretches as that allows. Their intervals reach from one to the next where
    there is no gap between them, so that it has the gaps that it had."""
    if len(series) <= most:
        return series
    firsts = np.linspace(0, len(series), most // 2 + 1).astype(np.intp)[:-1]
    keep = np.zeros(len(series), np.bool_)
    keep[first_maxima(-series.values, firsts)] = True
    keep[first_maxima(series.values, firsts)] = True
    return _reaching(series, np.flatnonzero(keep))


def _reaching(series: Series, places: NDArray[np.intp]) -> Series:
    times = series.times_utc_ms
    gaps = gaps_after(times, series.interval_ms)
    run = gaps.searchsorted(places)
    intervals = series.interval_ms[places].copy()
    apart = np.diff(times[places])
    reach = np.maximum(intervals[:-1], apart)
    intervals[:-1] = np.where(run[1:] == run[:-1], reach, intervals[:-1])
    return Series(times[places], series.values[places], series.quality[places], intervals)
