"""Robust least squares once for all, and once more for every stretch that is hidden from it.

Source: docs/calculations.md, "Fills", fit.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Values

MOST_ROWS = 20_000
_PASSES = 4
_HUBER = 2.0
_TO_SIGMA = 1.4826
Matrix = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class LinearFit:
    """A model: value = columns x coefficients. rows: places of the readings it was fitted on;
    normal, rhs: of the weighted equations, so that rows can be taken off."""

    design: Matrix
    values: Values
    weights: Values
    rows: NDArray[np.intp]
    normal: Matrix
    rhs: Values

    def without(self, first: int, end: int) -> Values:
        """Return the coefficients that come out without the readings at places [first, end)."""
        a, b = self.rows.searchsorted((first, end))
        part = self.design[a:b]
        weighted = part * self.weights[a:b, None]
        return _solved(self.normal - weighted.T @ part, self.rhs - weighted.T @ self.values[a:b])

    @property
    def coefficients(self) -> Values:
        """Those of all readings."""
        return _solved(self.normal, self.rhs)


def fitted(design: Matrix, values: Values) -> LinearFit | None:
    """Return a model of readings, None where too few of them have all columns.

    Args:
        design: (n, p), NaN where a column has no value; values: (n,).
    """
    rows = np.flatnonzero(np.isfinite(design).all(axis=1))
    if len(rows) < 4 * design.shape[1] + 10:
        return None
    if len(rows) > MOST_ROWS:
        rows = rows[np.linspace(0, len(rows) - 1, MOST_ROWS).astype(np.intp)]
    columns, ys = design[rows], values[rows]
    weights = np.ones(len(rows))
    for _ in range(_PASSES):
        coefficients = _weighted(columns, ys, weights)
        residuals = np.abs(ys - columns @ coefficients)
        bound = _HUBER * _TO_SIGMA * float(np.median(residuals))
        weights = np.where(residuals > bound, bound / np.maximum(residuals, 1e-300), 1.0)
        if bound == 0:
            weights = np.ones(len(rows))
            break
    weighted = columns * weights[:, None]
    return LinearFit(columns, ys, weights, rows, weighted.T @ columns, weighted.T @ ys)


def _weighted(columns: Matrix, values: Values, weights: Values) -> Values:
    weighted = columns * weights[:, None]
    return _solved(weighted.T @ columns, weighted.T @ values)


def _solved(normal: Matrix, right: Values) -> Values:
    """Solve small symmetric equations; where columns say the same, the smallest solution."""
    scale = np.sqrt(np.maximum(np.diag(normal), 1e-300))
    scaled = normal / np.outer(scale, scale)
    found, *_ = np.linalg.lstsq(scaled, right / scale, rcond=1e-10)
    solution: Values = found / scale
    return solution
