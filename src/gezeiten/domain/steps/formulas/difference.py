"""How much more one series has than another of the same unit."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.formulas.formula import Formula, Made, Role

_GIVES = {"°C": "temperature_difference", "kPa": "pressure_difference", "m": "level_difference"}


def _difference(inputs: tuple[Values, ...], _: Mapping[str, float]) -> Made:
    first, second = inputs
    return first - second, np.zeros(len(first), np.bool_)


DIFFERENCE = Formula(
    "difference",
    1,
    "Difference of two series",
    (Role("First", ""), Role("Second, subtracted", "")),
    _GIVES,
    _difference,
    "first − second",
    needs_one_unit=True,
)
