"""In which scale a quantity is estimated: counts and dust by their logarithm, never below 0;
humidity within 0 to 100.

Source: docs/calculations.md, "Fills", scale.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gezeiten.domain.quantities.quantities import Quantity
from gezeiten.domain.series.timeline import Values

_LOGARITHMIC = ("per m³", "per l", "per ft³", "µg/m³", "mg/m³")
MORE = 0.5
_LARGEST = 700.0
"""Logarithm of the largest number there is."""


@dataclass(frozen=True, slots=True)
class Scale:
    """is_log: ln(x + 0.5) is estimated; low, high: what comes out lies between."""

    is_log: bool
    low: float
    high: float

    def forward(self, values: Values) -> Values:
        """Return values in this scale."""
        return np.log(np.maximum(values, 0.0) + MORE) if self.is_log else values

    def unscale(self, scaled: Values) -> Values:
        """Return values as they are recorded."""
        return np.exp(np.minimum(scaled, _LARGEST)) - MORE if self.is_log else scaled

    def clipped(self, values: Values) -> Values:
        """Return values within what can be."""
        return np.clip(values, self.low, self.high)


def scale_of(quantity: Quantity) -> Scale:
    """Return the scale of a quantity."""
    is_log = quantity.unit in _LOGARITHMIC
    bounded = is_log or quantity.key == "relative_humidity"
    low = 0.0 if bounded else -np.inf
    return Scale(is_log, low, 100.0 if quantity.key == "relative_humidity" else np.inf)
