"""A check reading that cannot well be: is its sign wrong, its unit, its well?

Source: docs/calculations.md, "Check readings".
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

Doubt = Literal["sign", "cm", "mm", "ft", "°F", "tenfold", "tenth", "other point", "no reason"]
_FACTORS: tuple[tuple[Doubt, float], ...] = (
    ("sign", -1.0),
    ("cm", 0.01),
    ("mm", 0.001),
    ("ft", 0.3048),
    ("tenfold", 0.1),
    ("tenth", 10.0),
)
_TO_SIGMA = 1.4826
_LEAST = {"°C": 1.0, "%": 5.0, "m": 0.05, "kPa": 0.3, "mS/cm": 0.5}
"""So far off nothing is asked, by unit."""


@dataclass(frozen=True, slots=True)
class ExpectedReading:
    """What a check is expected to say: value, and how far off nothing is asked; both in the unit in
    which it is typed, a dip in metres."""

    value: float
    limit: float


def limit_of(unit: str, u: float, before: Sequence[float]) -> float:
    """Return how far off nothing is asked: three standard uncertainties of the check and of how
    those before it scattered, at least what its unit says.

    Args:
        u: of the check (k = 2).
        before: differences of those before it.
    """
    finite = np.array([one for one in before if math.isfinite(one)])
    spread = 0.0
    if len(finite) > 2:
        spread = _TO_SIGMA * float(np.median(np.abs(finite - np.median(finite))))
    return max(_LEAST.get(unit, 0.0), 3 * math.hypot(u / 2, spread))


def doubt(
    typed: float,
    expected_reading: ExpectedReading,
    unit: str,
    others: Iterable[tuple[str, ExpectedReading]] = (),
) -> tuple[Doubt, str] | None:
    """Return what may be wrong with what was typed, and at which other point it would fit; None
    where it lies within what is expected.

    Args:
        others: other points by name, with what is expected there.
    """
    if abs(typed - expected_reading.value) <= expected_reading.limit or not math.isfinite(
        typed - expected_reading.value
    ):
        return None
    if unit == "°C" and abs((typed - 32) / 1.8 - expected_reading.value) <= expected_reading.limit:
        return ("°F", "")
    for kind, factor in _FACTORS:
        if kind in ("cm", "mm", "ft") and unit != "m":
            continue
        if abs(typed * factor - expected_reading.value) <= expected_reading.limit:
            return (kind, "")
    for name, other in others:
        if abs(typed - other.value) <= other.limit:
            return ("other point", name)
    return ("no reason", "")
