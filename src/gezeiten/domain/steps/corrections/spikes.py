"""Spikes: one or two readings far from where those around them say they should be.

Source: docs/calculations.md, "Corrections", rules that propose marks.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import Quantity
from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.corrections.ends import at_an_end

_TO_SIGMA = 1.4826
BESIDE = 3
"""Readings on either side that have to be there, none of them across a gap."""
_OF_NOISE = math.sqrt(1 + (1 + 16 + 16 + 1) / 36)
"""How far a reading lies from the cubic through its neighbours where all is noise of one."""
FAR = 5.8
"""A spike is so many standard deviations of the noise away."""
_LOCAL = 72
"""Readings on either side that tell how restless a record is there; fewer tell it by chance."""
_EVERY = 12
_LEAST_READINGS = 200
"""Of a shorter record the step that is usual for its quantity is proposed."""


def spikes(series: Series, beyond: float, quantity: Quantity) -> NDArray[np.bool_]:
    """Return which readings are spikes, bool (n,): one or two, further than a number from where
    those around them say they should be, and than what is usual there; not within three readings of
    a gap, nor at an end of the range."""
    alone, both = _deviation_and_scale(series)
    least = np.maximum(beyond, _restless(alone))
    size, pair = np.nan_to_num(np.abs(alone)), np.nan_to_num(both)
    # each explanation of the same readings against all others: the largest is what happened
    one = (size > least) & (size >= _largest(size, -2, 2)) & (size > _largest(pair, -3, 2))
    two = (pair > least) & (pair >= _largest(pair, -3, 3)) & (pair > _largest(size, -2, 3))
    found = one | two | np.concatenate(([False], two[:-1]))[: len(two)]
    stored: NDArray[np.bool_] = found & ~at_an_end(series, quantity)
    return stored


def usual_spike(series: Series, quantity: Quantity) -> float:
    """Return the number that is proposed: 5.8 standard deviations of the noise, by how far readings
    lie from those around them (1.4826 MAD), three of the last decimal at least, in two digits; of a
    short record the step that is usual for the quantity."""
    least = 3 * 10.0**-quantity.decimals
    alone, _ = _deviation_and_scale(series)
    known = alone[np.isfinite(alone) & ~at_an_end(series, quantity)]
    if len(known) < _LEAST_READINGS:
        return max(USUAL_STEPS.get(quantity.key, 0.0), least)
    noise = _TO_SIGMA * float(np.median(np.abs(known))) / _OF_NOISE
    return float(f"{max(FAR * noise, least):.2g}")


USUAL_STEPS = {
    "air_temperature": 2.0,
    "room_temperature": 1.5,
    "probe_temperature": 0.5,
    "relative_humidity": 8.0,
    "air_pressure": 0.07,
    "water_pressure": 0.3,
    "water_level": 0.1,
    "water_temperature": 0.5,
    "co2": 300.0,
}
"""Of a short record (CALCULATIONS.md, "Proposed marks", A), as quantities are recorded."""


def _deviation_and_scale(series: Series) -> tuple[Values, Values]:
    """Return how far each reading is from what those around it say, and how far it and the next one
    both are, to one side, (n,) each; NaN where there are not three near ones on either side.

    By cubics through two readings on either side: a rise or a bend is no spike.
    """
    n, v = len(series), series.values
    alone, both = np.full(n, np.nan), np.full(n, np.nan)
    i = _surrounded(series, 1)
    alone[i] = v[i] - (4 * (v[i - 1] + v[i + 1]) - v[i - 2] - v[i + 2]) / 6
    i = _surrounded(series, 2)
    first = v[i] - _cubic(v[i - 2], v[i - 1], v[i + 2], v[i + 3])
    second = v[i + 1] - _cubic(v[i + 3], v[i + 2], v[i - 1], v[i - 2])
    alike = np.sign(first) == np.sign(second)
    both[i] = np.where(alike, np.minimum(np.abs(first), np.abs(second)), 0.0)
    return alone, both


def _cubic(a: Values, b: Values, c: Values, d: Values) -> Values:
    """Return what the cubic through readings at -2, -1, 2 and 3 is at 0 (Lagrange)."""
    found: Values = (-3 * a + 10 * b + 5 * c - 2 * d) / 10
    return found


def _surrounded(series: Series, many: int) -> NDArray[np.intp]:
    """Return the places of readings of which so many from there on have three near ones on either
    side."""
    wide = 2 * BESIDE + many - 1
    if len(series) <= wide:
        return np.empty(0, np.intp)
    near = np.diff(series.times_utc_ms) <= series.interval_ms[:-1] * HOLD_FACTOR
    whole = np.lib.stride_tricks.sliding_window_view(near, wide).all(axis=1)
    return np.flatnonzero(whole) + BESIDE


def _restless(alone: Values) -> Values:
    """Return from where on a reading is far off where a record is as restless as around each, (n,):
    5.8 standard deviations of the 72 readings on either side."""
    n = len(alone)
    if n <= 2 * _LOCAL:
        return np.zeros(n)
    sizes = np.abs(np.nan_to_num(alone))
    windows = np.lib.stride_tricks.sliding_window_view(sizes, 2 * _LOCAL + 1)[::_EVERY]
    at = np.arange(len(windows)) * _EVERY + _LOCAL
    local = FAR * _TO_SIGMA * np.median(windows, axis=1) / _OF_NOISE
    found: Values = np.interp(np.arange(n), at, local)
    return found


def _largest(values: Values, since: int, until: int) -> Values:
    """Return the largest of each value's neighbours from since to until places on, both included,
    (n,); 0 beyond the ends."""
    if not len(values):
        return values
    before, after = max(-since, 0), max(until, 0)
    padded = np.concatenate((np.zeros(before), values, np.zeros(after)))
    found: Values = np.lib.stride_tricks.sliding_window_view(padded, before + after + 1).max(axis=1)
    return found
