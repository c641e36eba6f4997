"""How well a way of filling does: measured on hidden stretches, with a band for single readings.

Source: docs/calculations.md, "Fills", figure and band.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.filling.fitting import LinearFit, Matrix
from gezeiten.domain.steps.filling.hidden_periods import (
    BESIDE,
    LEAST,
    PERIODS,
    WORDED,
    count_disjoint,
)
from gezeiten.domain.steps.filling.joining import FADES, faded

_MOST_PLACES = 400
_CLASSES = 8
_SURE = 0.95


@dataclass(frozen=True, slots=True)
class Model:
    """What a way of filling knows. design: its columns at each known reading (n, p), NaN where one
    has no value; fit: None of a straight line, which is joined to its two ends alone."""

    design: Matrix
    fit: LinearFit | None

    @property
    def fades(self) -> tuple[float, ...]:
        """Between which it chooses."""
        return FADES if self.fit is not None else (0.0,)


@dataclass(frozen=True, slots=True)
class Errors:
    """Filled minus known on hidden stretches, in the scale of the model.

    places: at which places of a stretch, (m,); of: (k, m), each stretch by the fade that was chosen
    on the others, NaN where nothing could be filled; fade: chosen on all; by_period: mean squares
    (k,); known: values there, (k, m); most_step: how far both ends were apart at most; disjoint:
    how many stretches do not overlap.
    """

    places: NDArray[np.intp]
    of: Matrix
    fade: float
    by_period: Values
    known: Matrix
    most_step: float
    disjoint: int
    length: int

    @property
    def is_worded(self) -> bool:
        """Whether there are so few that a band holds "at least"."""
        return self.disjoint < WORDED


def ends_of(
    model: Model, coefficients: Values, values: Values, first: int, end: int
) -> tuple[float, float]:
    """Return what a model leaves at both ends of the stretch of readings [first, end)."""
    if model.fit is None:
        return float(values[first - 1]), float(values[end])
    sides = (slice(first - BESIDE, first), slice(end, end + BESIDE))
    left, right = (values[side] - model.design[side] @ coefficients for side in sides)
    if np.isnan(left).all() or np.isnan(right).all():
        return float("nan"), float("nan")
    return float(np.nanmedian(left)), float(np.nanmedian(right))


def measured(
    model: Model,
    series: Series,
    values: Values,
    starts: NDArray[np.intp],
    length: int,
    fade: float | None = None,
    sizes: Values | None = None,
) -> Errors | None:
    """Return the errors of a way of filling, None where too few stretches tell any.

    Args:
        series: known readings; values: of these, in the scale of the model, (n,); starts: of hidden
            stretches, each of `length` readings; fade: by which all are joined, None where it is
            chosen; sizes: by which the errors of each are multiplied, (k,), None for 1.
    """
    places = np.unique(np.linspace(0, length - 1, min(length, _MOST_PLACES)).astype(np.intp))
    fades = model.fades if fade is None else (fade,)
    found = np.full((len(fades), len(starts), len(places)), np.nan)
    known = np.empty((len(starts), len(places)))
    steps = np.full(len(starts), np.nan)
    for k, first in enumerate(starts.tolist()):
        rows, end = first + places, first + length
        known[k] = values[rows]
        none = np.zeros(model.design.shape[1])
        coefficients = model.fit.without(first, end) if model.fit is not None else none
        left, right = ends_of(model, coefficients, values, first, end)
        steps[k] = abs(right - left)
        guess = model.design[rows] @ coefficients
        times = series.times_utc_ms
        shares = (times[rows] - times[first - 1]) / (times[end] - times[first - 1])
        for f, one in enumerate(fades):
            found[f, k] = guess + faded(left, right, shares, one) - known[k]
    if sizes is not None:
        found *= sizes[None, :, None]
    usable = np.isfinite(found).mean(axis=(0, 2)) > 0.9
    apart = count_disjoint(starts[usable], length)
    if apart < LEAST:
        return None
    found, known = found[:, usable], known[usable]
    squares = np.nanmean(found**2, axis=2)
    total = squares.sum(axis=1, keepdims=True)
    selected = np.argmin(total - squares, axis=0)  # by all the others
    of = found[selected, np.arange(found.shape[1])]
    its_fade = fades[int(np.argmin(total))]
    most_step = float(steps[usable].max())
    return Errors(places, of, its_fade, np.nanmean(of**2, axis=1), known, most_step, apart, length)


def half_widths(errors: Errors) -> Values:
    """Return the half-widths of a 95 % band for single readings at each place of a gap,
    (length,)."""
    classes = _classes_of(errors.places, errors.length)
    spread = np.zeros(_CLASSES)
    for one in range(_CLASSES):
        its = errors.of[:, classes == one]
        spread[one] = np.sqrt(np.nanmean(its**2)) if np.isfinite(its).any() else 0.0
    spread = np.maximum(np.maximum.accumulate(spread), 1e-12)
    sizes = np.abs(errors.of) / spread[classes]
    widest = float(np.nanquantile(sizes, _SURE))
    of = _classes_of(np.arange(errors.length), errors.length)
    found: Values = widest * _few(errors) * spread[of]
    return found


def _classes_of(places: NDArray[np.intp], length: int) -> NDArray[np.intp]:
    """Return how deep in a gap places lie, in classes from its ends to its middle."""
    depth = np.minimum(places + 1, length - places)
    found: NDArray[np.intp] = np.minimum((depth - 1) * 2 * _CLASSES // max(length, 1), _CLASSES - 1)
    return found


def _few(errors: Errors) -> float:
    """Return by how much a band is wider for the few stretches that it rests on."""
    independent = max(1.0, errors.length / (5 * _memory(errors)))
    many = max(min(float(PERIODS), errors.disjoint * independent), 2.0)
    return float(stdtrit(many - 1, 0.975)) / 1.96 * float(np.sqrt(1 + 1 / many))


def _memory(errors: Errors) -> float:
    """Return after how many readings errors forget each other: where their autocorrelation is below
    1/e."""
    centred = np.nan_to_num(errors.of)
    power = float((centred**2).mean())
    many = centred.shape[1]
    step = errors.length / max(many, 1)
    for lag in range(1, many):
        together = float((centred[:, :-lag] * centred[:, lag:]).mean())
        if power == 0 or together < power / np.e:
            return float(lag * step)
    return float(errors.length)
