"""By how much a clock is off, found from another series: how far both lie apart, less how far their
places lag each other.

Source: docs/calculations.md, "Clocks".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Span, Values
from gezeiten.domain.steps.filling.cycles import columns, tidal
from gezeiten.domain.steps.filling.fitting import fitted

LONGEST_FOUND_MS = 14 * HOUR_MS
"""A clock that was set to another zone is at most so far off."""
LONGEST_LAG_MS = 6 * HOUR_MS
"""Weather and water reach one place at most so long before another one near by."""
PERIOD_MS = 5 * DAY_MS
"""Lags of places are looked at in stretches of this length."""
LEAST_PERIODS = 3
LEAST_CONFIDENCE = 0.99
_LEAST_READINGS = 200
_LEAST_LIKENESS = 0.2
_CLEAR = 0.9
"""A second likeness nearly as high as the first says that the first may be chance."""
_MEMORY = 48


@dataclass(frozen=True, slots=True)
class FoundShift:
    """By how much a series has to be moved to go with another one: shift_ms: added to its instants;
    likeness: the correlation of both's changes then, 0 to 1; second: that of the best shift that is
    another one; pairs: of how many changes, as many as are independent of each other; step_ms: of
    the grid on which both were laid."""

    shift_ms: int
    likeness: float
    second: float
    pairs: float
    step_ms: int

    @property
    def confidence(self) -> float:
        """How likely it is that this shift goes better than the next best does, 0 to 1: of two
        correlations by Fisher's transformation."""
        if self.pairs <= 4:
            return 0.5
        most = 1 - 1e-9
        apart = math.atanh(min(self.likeness, most)) - math.atanh(min(self.second, most))
        return NormalDist().cdf(apart * math.sqrt((self.pairs - 3) / 2))

    @property
    def is_clear(self) -> bool:
        """Whether it can be believed; a tide alone is like itself again after half a day."""
        return (
            self.likeness >= _LEAST_LIKENESS
            and self.second < _CLEAR * self.likeness
            and self.confidence >= LEAST_CONFIDENCE
        )


@dataclass(frozen=True, slots=True)
class PlaceLag:
    """How far a series has to be moved to go with another one while both clocks are right. lag_ms:
    the median of all stretches; u_ms: within which the next one lies (k = 2); periods: how
    many."""

    lag_ms: int
    u_ms: int
    periods: int


def without_tide(series: Series) -> Series:
    """Return a series less its tidal constituents: by these it is like itself again and again, by
    what the weather does to it only once. Too short a record is left as it is."""
    if not len(series):
        return series
    begin, end = int(series.times_utc_ms[0]), int(series.times_utc_ms[-1])
    cycles = tidal(end - begin)
    design = np.column_stack((np.ones(len(series)), columns(series.times_utc_ms, cycles, begin)))
    fit = fitted(design, series.values)
    if not cycles or fit is None:
        return series
    return replace(series, values=series.values - design @ fit.coefficients)


def place_lag(
    series: Series, other: Series, right: Sequence[Span], step_ms: int | None = None
) -> PlaceLag | None:
    """Return how far two series lie apart in stretches in which both clocks are right; None where
    fewer than three tell it.

    Args:
        right: the stretches in which they are; step_ms: of the grid, None: the longer interval.
    """
    lags, its_step = [], 1
    for begin, end in right:
        for at in range(begin, end - PERIOD_MS + 1, PERIOD_MS):
            own = series.between(at, at + PERIOD_MS)
            wider = other.between(at - LONGEST_LAG_MS, at + PERIOD_MS + LONGEST_LAG_MS)
            shift = found_shift(own, wider, LONGEST_LAG_MS)
            if shift is not None and shift.is_clear:
                lags.append(shift.shift_ms)
                its_step = max(its_step, shift.step_ms)
    if len(lags) < LEAST_PERIODS:
        return None
    middle = float(np.median(lags))
    spread = max(
        1.4826 * float(np.median(np.abs(np.array(lags) - middle))),
        float(np.std(lags, ddof=1)),
        (step_ms or its_step) / math.sqrt(12),
    )
    u_ms = 2 * spread * math.sqrt(1 + 1 / len(lags))
    return PlaceLag(round(middle), math.ceil(u_ms), len(lags))


def found_shift(series: Series, other: Series, most_ms: int) -> FoundShift | None:
    """Return the shift at which the changes of a series go with those of another one, up to
    `most_ms` either way; None where they are not known side by side for long enough.

    Both are laid on one grid of the longer of their intervals. A series that falls where the other
    rises goes with it too. Finer than the grid by a parabola through the highest three.
    """
    if not len(series) or not len(other):
        return None
    step_ms = int(max(np.median(series.interval_ms), np.median(other.interval_ms)))
    begin = max(int(series.times_utc_ms[0]), int(other.times_utc_ms[0])) - most_ms
    end = min(int(series.times_utc_ms[-1]), int(other.times_utc_ms[-1])) + most_ms
    if end - begin < 2 * most_ms:
        return None
    grid = np.arange(begin, end, step_ms, dtype=np.int64)
    own, beside = (_changes(one, grid) for one in (series, other))
    reach = max(1, most_ms // step_ms)
    if np.isfinite(own).sum() < _LEAST_READINGS or len(grid) <= 2 * reach + _LEAST_READINGS:
        return None
    lags = np.arange(-reach, reach + 1)
    likeness = np.array([_likeness(own, beside, int(lag)) for lag in lags])
    sizes = np.abs(likeness)
    best = int(np.argmax(sizes))
    fine = _peak_offset(sizes, best)
    elsewhere = np.abs(lags - lags[best]) > _memory(sizes, best)
    second = float(sizes[elsewhere].max()) if elsewhere.any() else 0.0
    shift_ms = round((float(lags[best]) + fine) * step_ms)
    pairs = _independent(own, beside)
    return FoundShift(shift_ms, float(sizes[best]), second, pairs, step_ms)


def _changes(series: Series, grid: NDArray[np.int64]) -> Values:
    """Return the change from one instant of a grid to the next, NaN beside gaps."""
    times = series.times_utc_ms
    values = np.interp(grid, times, series.values, left=np.nan, right=np.nan)
    after = np.clip(times.searchsorted(grid), 1, len(times) - 1)
    wide = times[after] - times[after - 1] > HOLD_FACTOR * series.interval_ms[after - 1]
    changes: Values = np.diff(np.where(wide, np.nan, values))
    return changes


def _independent(own: Values, beside: Values) -> float:
    """Return how many pairs of changes are independent of each other (Bartlett 1946): of changes
    that go on alike there are fewer than there are readings."""
    alike = _memory_of(own) * _memory_of(beside)
    count = min(int(np.isfinite(own).sum()), int(np.isfinite(beside).sum()))
    return count / max(1.0, 1.0 + 2.0 * float(alike.sum()))


def _memory_of(changes: Values) -> Values:
    """Return the correlation of changes with those 1, 2, … steps later, (48,)."""
    known = np.isfinite(changes)
    if not known.any():
        return np.zeros(_MEMORY)
    centred = np.where(known, changes - changes[known].mean(), 0.0)
    whole = float((centred**2).sum())
    if whole == 0:
        return np.zeros(_MEMORY)
    return np.array(
        [float((centred[:-k] * centred[k:]).sum()) / whole for k in range(1, _MEMORY + 1)]
    )


def _likeness(own: Values, beside: Values, lag: int) -> float:
    """Return the correlation of changes when the own ones are moved on by so many steps."""
    a, b = (own[: len(own) - lag], beside[lag:]) if lag >= 0 else (own[-lag:], beside[:lag])
    both = np.isfinite(a) & np.isfinite(b)
    if both.sum() < _LEAST_READINGS:
        return 0.0
    a, b = a[both] - a[both].mean(), b[both] - b[both].mean()
    size = math.sqrt(float((a**2).sum()) * float((b**2).sum()))
    return float((a * b).sum()) / size if size > 0 else 0.0


def _peak_offset(sizes: Values, best: int) -> float:
    """Return how far from the highest of evenly spaced values the top of a parabola lies."""
    if not 0 < best < len(sizes) - 1:
        return 0.0
    before, top, after = sizes[best - 1 : best + 2].tolist()
    bend = before - 2 * top + after
    return 0.0 if bend == 0 else float(0.5 * (before - after) / bend)


def _memory(sizes: Values, best: int) -> int:
    """Return how far from the highest value likeness falls to a half of it: what lies nearer is the
    same top."""
    low = np.flatnonzero(sizes < sizes[best] / 2)
    return int(np.abs(low - best).min()) if len(low) else len(sizes)
