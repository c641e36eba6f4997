"""One value that somebody typed for a period, standing in for a series that nobody measures."""

from __future__ import annotations

from collections.abc import Mapping
from math import nan
from typing import Any

import numpy as np

from gezeiten.domain.series.timeline import EVER_MS, Values
from gezeiten.domain.steps.formulas.formula import TIMES, Formula, Made, Parameter, Role

VALUE, FROM_MS, UNTIL_MS = "value", "from_ms", "until_ms"


def _typed(inputs: tuple[Values, ...], parameters: Mapping[str, Any]) -> Made:
    times = parameters[TIMES]
    inside = (times >= parameters[FROM_MS]) & (times < parameters[UNTIL_MS])
    values = np.where(inside & np.isfinite(inputs[0]), parameters[VALUE], np.nan)
    return values, np.zeros(len(times), np.bool_)


TYPED_VALUE = Formula(
    "typed_value",
    1,
    "Typed value for a period",
    (Role("At the instants of", ""),),
    {},
    _typed,
    "as typed",
    (
        Parameter(VALUE, "Value", "", nan, -1e9, 1e9, 2),
        Parameter(FROM_MS, "From", "", 0.0, 0.0, float(EVER_MS), 0, is_instant=True),
        Parameter(UNTIL_MS, "Until", "", float(EVER_MS), 0.0, float(EVER_MS), 0, is_instant=True),
    ),
    uses_times=True,
    is_of_any=True,
)
"""Its unit is that of the quantity that is chosen for it, so it is typed as that is recorded."""
