"""Readings at an end of what a sensor can say: saturated, dry, nothing counted. They repeat without
being stuck, and what leaves them is no spike.

Source: docs/calculations.md, "Corrections", rules that propose marks.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import Quantity
from gezeiten.domain.series.series import Series

_SATURATED = {"relative_humidity": 98.0}
"""From where on a sensor is as good as saturated, by quantity."""


def at_an_end(series: Series, quantity: Quantity) -> NDArray[np.bool_]:
    """Return which readings lie at an end of the range of their quantity, bool (n,): a humidity
    from 98 % on, nothing of what cannot be less."""
    high = _SATURATED.get(quantity.key, quantity.high)
    found: NDArray[np.bool_] = (series.values >= high) | (series.values <= quantity.low)
    return found
