"""How a clock is put right: by what was measured at contacts, or found from the data themselves.

Source: docs/calculations.md, "Clocks".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from gezeiten.domain.series.clock_map import ClockMap, clock_map
from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.series.timeline import HOUR_MS, Values
from gezeiten.domain.steps.filling.cycles import columns, tidal
from gezeiten.domain.steps.filling.fitting import fitted

OUTDOORS_PPM = 10.0
"""How far the rate of a clock in changing temperature may be from that between two contacts."""
_MOST_RATE_PPM = 200.0
_LEAST_READINGS = 200
_CLEAR = 0.9
"""A second likeness nearly as high as the first says that the first may be chance."""
_LEAST_LIKENESS = 0.2


@dataclass(frozen=True, slots=True)
class ClockRead:
    """The clock read once: what it showed, what time it was (UTC ms), how sure that is (standard
    uncertainty, ms)."""

    shown_ms: int
    true_ms: int
    u_ms: float


@dataclass(frozen=True, slots=True)
class Stretched:
    """A clock put right by what was read. u_ms: how sure an instant is at worst (k = 2). jumps:
    instants (true time) by which it had jumped, where no clock drifts so fast: somebody has to say
    what happened."""

    clock: ClockMap
    u_ms: int
    jumps: tuple[int, ...]


def stretched(reads: Sequence[ClockRead]) -> Stretched:
    """Return a clock stretched between the contacts at which it was read.

    Between two contacts the uncertainty is greatest in the middle: that of both, and of a rate that
    changed with temperature.

    Raises:
        ValueError: nothing was read, or what was read does not rise.
    """
    ordered = sorted(reads, key=lambda one: one.true_ms)
    found = clock_map((one.shown_ms, one.true_ms) for one in ordered)
    jumps, worst = [], max(one.u_ms for one in ordered)
    for a, b in pairwise(ordered):
        length = b.true_ms - a.true_ms
        rate_ppm = ((b.shown_ms - a.shown_ms) / length - 1) * 1e6
        if abs(rate_ppm) > _MOST_RATE_PPM:
            jumps.append(b.true_ms)
        worst = max(worst, u_between(a, b, 0.5))
    return Stretched(found, math.ceil(2 * worst), tuple(jumps))


def u_between(a: ClockRead, b: ClockRead, part: float) -> float:
    """Return the standard uncertainty, ms, of an instant between two contacts.

    Args:
        part: how much of the time between them had passed, 0 to 1.
    """
    bent_ms = OUTDOORS_PPM * 1e-6 * (b.true_ms - a.true_ms)
    ends = math.hypot(a.u_ms * (1 - part), b.u_ms * part)
    return math.hypot(ends, 4 * part * (1 - part) * bent_ms)


@dataclass(frozen=True, slots=True)
class FoundShift:
    """By how much a series has to be moved to go with another one: shift_ms: added to its instants;
    likeness: the correlation of both's changes then, 0 to 1; second: that of the best shift that is
    another one; step_ms: of the grid on which both were laid."""

    shift_ms: int
    likeness: float
    second: float
    step_ms: int

    @property
    def is_clear(self) -> bool:
        """Whether it can be believed; a tide alone is like itself again after half a day."""
        return self.likeness >= _LEAST_LIKENESS and self.second < _CLEAR * self.likeness


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
    fine = _between(sizes, best)
    elsewhere = np.abs(lags - lags[best]) > _memory(sizes, best)
    second = float(sizes[elsewhere].max()) if elsewhere.any() else 0.0
    shift_ms = round((float(lags[best]) + fine) * step_ms)
    return FoundShift(shift_ms, float(sizes[best]), second, step_ms)


def _changes(series: Series, grid: np.ndarray) -> Values:
    """Return the change from one instant of a grid to the next, NaN beside gaps."""
    times = series.times_utc_ms
    values = np.interp(grid, times, series.values, left=np.nan, right=np.nan)
    after = np.clip(times.searchsorted(grid), 1, len(times) - 1)
    wide = times[after] - times[after - 1] > HOLD_FACTOR * series.interval_ms[after - 1]
    changes: Values = np.diff(np.where(wide, np.nan, values))
    return changes


def _likeness(own: Values, beside: Values, lag: int) -> float:
    """Return the correlation of changes when the own ones are moved on by so many steps."""
    a, b = (own[: len(own) - lag], beside[lag:]) if lag >= 0 else (own[-lag:], beside[:lag])
    both = np.isfinite(a) & np.isfinite(b)
    if both.sum() < _LEAST_READINGS:
        return 0.0
    a, b = a[both] - a[both].mean(), b[both] - b[both].mean()
    size = math.sqrt(float((a**2).sum()) * float((b**2).sum()))
    return float((a * b).sum()) / size if size > 0 else 0.0


def _between(sizes: Values, best: int) -> float:
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


LONGEST_FOUND_MS = 14 * HOUR_MS
"""A clock that was set to another zone is at most so far off."""
