"""The farthest readings of stretches of a series, and a long series thinned to them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import Values


def first_peaks(values: Values, firsts: NDArray[np.intp]) -> NDArray[np.intp]:
    """Return for each stretch the place of its greatest value; of equal ones the first.

    Args:
        values: (n,), no NaN; firsts: (m,), where each stretch begins, from 0 on and rising.
    """
    lengths = np.diff(np.append(firsts, len(values)))
    stretch_of = np.repeat(np.arange(len(firsts)), lengths)
    greatest = np.flatnonzero(values == np.maximum.reduceat(values, firsts)[stretch_of])
    _, first_of_stretch = np.unique(stretch_of[greatest], return_index=True)
    return greatest[first_of_stretch]


def thinned(series: Series, most: int) -> Series:
    """Return a series as it is where it has at most so many readings, else the lowest and the
    highest of as many stretches as that allows."""
    if len(series) <= most:
        return series
    firsts = np.linspace(0, len(series), most // 2 + 1).astype(np.intp)[:-1]
    keep = np.zeros(len(series), np.bool_)
    keep[first_peaks(-series.values, firsts)] = True
    keep[first_peaks(series.values, firsts)] = True
    return series.part(keep)
