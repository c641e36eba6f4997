"""Gaps that begin or end in unrest: their band is measured on hidden stretches that begin alike.

Source: docs/calculations.md, "Fills", after extremes.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Values
from gezeiten.domain.steps.filling.hidden_periods import BESIDE, PERIODS

Kind = Literal["highest", "lowest", "fastest rising", "fastest falling"]
_USUAL = (0.02, 0.98)
_LEAST_READINGS = 200
_NEAR_CLOCK_MS = 3 * HOUR_MS
LEAST_ALIKE = 12
"""With fewer stretches that begin alike the band is not measured, but widened."""
WIDENED = 1.5
_MOST_SIZE = 4.0
_ALIKE = 2.0
"""How far apart unrest may be that is alike: twice or half as large counts 1, and so does another
change by half of its size."""


@dataclass(frozen=True, slots=True)
class Unrest:
    """What is unusual beside a gap. at_end: right after it, else right before it; level, change: of
    the five readings there, and against the five further away."""

    kind: Kind
    at_end: bool
    level: float
    change: float


def unrest_of(series: Series, gap: Gap, values: Values | None = None) -> Unrest | None:
    """Return what is unusual beside a gap: where the median of the five readings before or after
    it, or how that changed against the five further away, lies beyond the 2 or 98 % of the whole
    record, or of what is known at its time of day; None where nothing is, or too little is known.

    Args:
        series: all known readings of the series; values: of these in the scale in which gaps are
            filled, (n,), None: as they are.
    """
    values = series.values if values is None else values
    if len(series) < _LEAST_READINGS:
        return None
    at = int(series.times_utc_ms.searchsorted(gap.start_ms))
    everywhere = np.arange(2 * BESIDE, len(series) - 2 * BESIDE)
    into_day = (series.times_utc_ms[everywhere] - gap.start_ms) % DAY_MS
    near = np.minimum(into_day, DAY_MS - into_day) <= _NEAR_CLOCK_MS
    for at_end in (False, True):
        if not (at <= len(series) - BESIDE if at_end else at >= BESIDE):
            continue
        levels, changes = _medians_beside(values, everywhere, at_end=at_end)
        [level], [change] = _medians_beside(values, np.array([at]), at_end=at_end)
        found = _beyond(levels, level, near, ("lowest", "highest")) or _beyond(
            changes, change, near, ("fastest falling", "fastest rising")
        )
        if found is not None:
            return Unrest(found, at_end, float(level), float(change))
    return None


@dataclass(frozen=True, slots=True)
class SimilarPeriods:
    """Hidden stretches that begin (or end) as a gap does. starts: their places, (n,); sizes: by how
    much larger the unrest is beside the gap than beside each of them, (n,)."""

    starts: NDArray[np.intp]
    sizes: Values


def similar_spans(
    values: Values, starts: NDArray[np.intp], length: int, unrest: Unrest
) -> SimilarPeriods:
    """Return the hidden stretches that begin (or end) most as the gap does, forty at most, none
    over half of another one: of unrest to the same side, a quarter to four times as large, and
    rising or falling alike for its size.

    Args:
        values: of the known readings, (n,); starts: of possible stretches, each of `length`.
    """
    places = starts + length if unrest.at_end else starts
    if not len(starts):
        return SimilarPeriods(starts, np.empty(0))
    levels, changes = _medians_beside(values, places, at_end=unrest.at_end)
    usual = float(np.median(values))
    own, others = unrest.level - usual, levels - usual
    if unrest.kind.startswith("fastest"):
        own, others = unrest.change, changes
    with np.errstate(all="ignore"):
        sizes = own / others
        turned = np.abs(changes / others - unrest.change / own)
        far = np.hypot(np.log2(np.where(sizes > 0, sizes, np.nan)), 2 * turned)
    fits = np.isfinite(far) & (sizes <= _MOST_SIZE) & (sizes >= 1 / _MOST_SIZE)
    far = np.where(fits, far, np.inf)
    found: list[int] = []
    for at in np.argsort(far, kind="stable").tolist():
        if far[at] > _ALIKE or len(found) == PERIODS:
            break
        if all(abs(starts[at] - starts[other]) >= max(length // 2, 1) for other in found):
            found.append(at)
    its = np.array(sorted(found), np.intp)
    return SimilarPeriods(starts[its], sizes[its])


def _medians_beside(
    values: Values, places: NDArray[np.intp], *, at_end: bool
) -> tuple[Values, Values]:
    """Return the median of the five readings before (or from) each place on, and how it changed
    against the five further away; (n,) each."""
    medians = np.median(sliding_window_view(values, BESIDE), axis=1)
    near, further = (places, places + BESIDE) if at_end else (places - BESIDE, places - 2 * BESIDE)
    level, other = (medians[np.clip(one, 0, len(medians) - 1)] for one in (near, further))
    return level, level - other


def _beyond(
    values: Values, one: float, near: NDArray[np.bool_], names: tuple[Kind, Kind]
) -> Kind | None:
    for its in (values, values[near]):
        if len(its) < _LEAST_READINGS:
            continue
        low, high = np.quantile(its, _USUAL)
        if one > high:
            return names[1]
        if one < low:
            return names[0]
    return None
