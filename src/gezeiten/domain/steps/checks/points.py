"""Calibration points from what was read by hand beside a sensor.

Source: docs/calculations.md, "Check readings".
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.corrections.calibration import correction_at

_MOST_POINTS, _LEAST_A_POINT = 5, 2
_APART = 4.0
"""So many standard deviations of the differences two points lie apart at least."""


def calibration_points(
    indicated: Values, reference: Values, u: Values
) -> tuple[list[list[float]], float]:
    """Return points (indicated, reference) of a calibration and their U (k = 2), by at most five
    groups of looks that lie near each other: means of both. Where all lie near each other it is
    one point.

    Args:
        indicated: what the sensor showed, before all corrections, finite, (n,), n > 0.
        reference: what was read by hand, (n,); u: how sure that is (k = 2), (n,).

    U² = (2 s)² / m + u², s what the points leave of the differences, m the looks of the smallest
    group, u the root mean square of those of the hand: one instrument was read each time, so that
    does not shrink.
    """
    order = np.argsort(indicated, kind="stable")
    xs, ys = indicated[order], reference[order]
    scatter = float(np.std(ys - xs, ddof=1)) if len(xs) > 1 else 0.0
    count = min(_MOST_POINTS, len(xs) // _LEAST_A_POINT)
    if float(xs[-1] - xs[0]) < _APART * scatter:
        count = 1
    least_apart = _APART * scatter
    pieces = np.split(np.arange(len(xs)), np.flatnonzero(np.diff(xs) > least_apart) + 1)
    if not 1 < len(pieces) <= count:  # no few places at which looks crowd: as many in each
        pieces = np.array_split(np.arange(len(xs)), max(count, 1))
    groups = _merge_close_groups(pieces, xs, ys, least_apart)
    points = [[float(xs[part].mean()), float(ys[part].mean())] for part in groups]
    left = ys - xs - correction_at(points, xs)
    spare = len(xs) - len(points)
    s = math.sqrt(float((left**2).sum()) / spare) if spare > 0 else 0.0
    least = min(len(part) for part in groups)
    return points, math.hypot(2 * s / math.sqrt(least), math.sqrt(float(np.mean(u**2))))


def _merge_close_groups(
    groups: Sequence[NDArray[np.intp]], xs: Values, ys: Values, least: float
) -> list[NDArray[np.intp]]:
    """Return groups with those put together that lie no further apart than that, or of which the
    references do not rise: each look counts in one point."""
    found: list[NDArray[np.intp]] = []
    for part in groups:
        mine = part
        while found and not (
            xs[mine].mean() - xs[found[-1]].mean() > least
            and ys[mine].mean() > ys[found[-1]].mean()
        ):
            mine = np.concatenate((found.pop(), mine))
        found.append(mine)
    return found
