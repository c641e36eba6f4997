"""The formulas by which series are calculated from others: one module a family, all listed here."""

from __future__ import annotations

from gezeiten.domain.steps.formulas.difference import DIFFERENCE
from gezeiten.domain.steps.formulas.formula import Formula, Parameter, Role
from gezeiten.domain.steps.formulas.moist_air import (
    ABSOLUTE_HUMIDITY,
    DEW_POINT,
    FROST_POINT,
    VAPOUR_DEFICIT,
)
from gezeiten.domain.steps.formulas.water import WATER_LEVEL

__all__ = ["FORMULAS", "NEWEST", "Formula", "Parameter", "Role"]

NEWEST: tuple[Formula, ...] = (
    WATER_LEVEL, DEW_POINT, FROST_POINT, ABSOLUTE_HUMIDITY, VAPOUR_DEFICIT, DIFFERENCE,
)  # fmt: skip
"""Those that are offered, the newest version of each."""
FORMULAS: dict[tuple[str, int], Formula] = {(one.key, one.version): one for one in NEWEST}
"""All of them, older versions too, by key and version."""
