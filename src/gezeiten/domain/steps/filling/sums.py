"""What is summed (rain, counts of a meter) filled by another series of the same: its amounts times
the ratio of both sums. Never interpolated.

Source: docs/calculations.md, "Fills", sums.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.domain.steps.filling.hidden_periods import (
    LEAST,
    count_disjoint,
    possible_starts,
    sample_starts,
)

_LEAST_WET = 10
_COVERED = 0.9


@dataclass(frozen=True, slots=True)
class BySums:
    """Amounts for the due instants of a gap, NaN where the other series tells none, (n,); ratio:
    own over the other's; errors: filled minus known sums of hidden stretches, in the series' unit,
    (k,); disjoint: how many of these do not overlap. refusal: why it cannot serve, "" where it
    can."""

    values: Values
    ratio: float
    errors: Values
    disjoint: int
    refusal: str = ""


def amounts(series: Series, times_utc_ms: Times, interval_ms: NDArray[np.int64] | int) -> Values:
    """Return how much a summed series gives in (t - interval, t] before each instant, (n,); NaN
    where it does not hold all of that. A reading is what came since the one before; within it, it
    came evenly.

    Args:
        series: with the readings on either side of what is asked for.
    """
    if not len(series):
        return np.full(len(times_utc_ms), np.nan)
    begins = series.times_utc_ms - series.interval_ms
    apart = np.diff(series.times_utc_ms)
    before = series.times_utc_ms[:-1]
    is_held = apart <= HOLD_FACTOR * series.interval_ms[1:]
    begins[1:] = np.where(is_held, before, np.maximum(begins[1:], before))
    edges = np.column_stack((begins, series.times_utc_ms)).ravel()
    total = np.column_stack((np.zeros(len(series)), series.values)).ravel().cumsum()
    lacking = np.concatenate(([0.0], np.cumsum(begins[1:] - series.times_utc_ms[:-1])))
    absent = np.repeat(lacking, 2)
    since = times_utc_ms - interval_ms
    inside = (since >= edges[0]) & (times_utc_ms <= edges[-1])
    lacks = np.interp(times_utc_ms, edges, absent) - np.interp(since, edges, absent)
    found = np.interp(times_utc_ms, edges, total) - np.interp(since, edges, total)
    whole: Values = np.where(inside & (lacks <= 0), found, np.nan)
    return whole


def by_sums(own: Series, gap: Gap, due: Times, other: Series, seed: int = 0) -> BySums:
    """Return what another series of the same kind gives for a gap.

    Args:
        own: known readings around it; other: its known readings, with those beside on either side.
    """
    there = amounts(other, own.times_utc_ms, own.interval_ms)
    here = np.where(np.isfinite(there), own.values, np.nan)
    if int((np.nan_to_num(there) > 0).sum()) < _LEAST_WET or np.nansum(here) <= 0:
        return _refused("too little in common to find their ratio")
    values = amounts(other, due, gap.interval_ms)
    if np.isfinite(values).mean() < _COVERED:
        return _refused("it has no readings in the gap either")
    starts = _similar_starts(
        possible_starts(own, gap), gap.missing, there, is_wet=bool(np.nansum(values) > 0)
    )
    apart = count_disjoint(starts, gap.missing)
    if apart < LEAST:
        return _refused("too few comparable periods, as wet or dry, to measure the error")
    selected = sample_starts(starts, gap, seed)
    mine, theirs = (_sums(one, selected, gap.missing) for one in (here, there))
    all_mine, all_theirs = float(np.nansum(here)), float(np.nansum(there))
    with np.errstate(all="ignore"):
        ratios = np.where(all_theirs > theirs, (all_mine - mine) / (all_theirs - theirs), 0.0)
    ratio = all_mine / all_theirs
    return BySums(ratio * values, ratio, ratios * theirs - mine, apart)


def _similar_starts(
    starts: NDArray[np.intp], length: int, there: Values, *, is_wet: bool
) -> NDArray[np.intp]:
    """Return the starts of stretches that the other series covers and in which it has something, or
    nothing, as it has in the gap: dry days tell nothing of how well rain is known."""
    covered = _sums(np.isfinite(there).astype(float), starts, length) >= _COVERED * length
    wet = _sums(there, starts, length) > 0
    found: NDArray[np.intp] = starts[covered & (wet == is_wet)]
    return found


def _sums(values: Values, starts: NDArray[np.intp], length: int) -> Values:
    total = np.concatenate(([0.0], np.nancumsum(values)))
    found: Values = total[starts + length] - total[starts]
    return found


def _refused(reason: str) -> BySums:
    return BySums(np.empty(0), float("nan"), np.empty(0), 0, reason)
