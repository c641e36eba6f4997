"""The formulas by which series are calculated from others: one module a family, all listed here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.steps.formulas.difference import DIFFERENCE
from gezeiten.domain.steps.formulas.formula import Formula, Parameter, Role
from gezeiten.domain.steps.formulas.moist_air import (
    ABSOLUTE_HUMIDITY,
    DEW_POINT,
    FROST_POINT,
    MIXING_RATIO,
    VAPOUR_DEFICIT,
)
from gezeiten.domain.steps.formulas.over_time import (
    KINETIC_MEAN,
    RATE,
    RUNNING_HIGHEST,
    RUNNING_LOWEST,
    RUNNING_MEAN,
    RUNNING_SUM,
    RUNNING_SUM_1,
)
from gezeiten.domain.steps.formulas.own import OWN, VERSION, is_own, own_formula, with_units
from gezeiten.domain.steps.formulas.particles import MASS_OF_FOUR, MASS_OF_TWO
from gezeiten.domain.steps.formulas.typed_value import TYPED_VALUE
from gezeiten.domain.steps.formulas.water import (
    DEPTH_TO_WATER,
    HEIGHT,
    LEVEL_BY_TEMPERATURE,
    LEVEL_BY_TEMPERATURE_1,
    LEVEL_VENTED,
    SALINITY,
    SPECIFIC_CONDUCTANCE,
    WATER_LEVEL,
    WATER_LEVEL_1,
    WATER_LEVEL_2,
)
from gezeiten.errors import InputError

__all__ = [
    "FORMULAS",
    "NEWEST",
    "Formula",
    "Parameter",
    "Role",
    "formula_of",
    "formula_title",
    "is_own",
    "newest_of",
    "own_formula",
    "with_units",
]

NEWEST: tuple[Formula, ...] = (
    WATER_LEVEL,
    LEVEL_BY_TEMPERATURE,
    LEVEL_VENTED,
    HEIGHT,
    DEPTH_TO_WATER,
    SPECIFIC_CONDUCTANCE,
    SALINITY,
    DEW_POINT,
    FROST_POINT,
    ABSOLUTE_HUMIDITY,
    MIXING_RATIO,
    VAPOUR_DEFICIT,
    MASS_OF_TWO,
    MASS_OF_FOUR,
    DIFFERENCE,
    RUNNING_MEAN,
    RUNNING_LOWEST,
    RUNNING_HIGHEST,
    RUNNING_SUM,
    KINETIC_MEAN,
    RATE,
    TYPED_VALUE,
)
"""Those that are offered, the newest version of each."""
_OLDER = (WATER_LEVEL_1, WATER_LEVEL_2, LEVEL_BY_TEMPERATURE_1, RUNNING_SUM_1)
FORMULAS: dict[tuple[str, int], Formula] = {
    (one.key, one.version): one for one in (*NEWEST, *_OLDER)
}
"""All of them, older versions too, by key and version."""


def formula_of(key: str, version: int, inputs: Sequence[str], result: str) -> Formula | None:
    """Return the formula of a key, None where it is not known here.

    Args:
        inputs: channels, by role; result: the channel of what comes out. Both say the units of an
            own formula.
    """
    if not is_own(key):
        return FORMULAS.get((key, version))
    if version > VERSION:
        return None
    try:
        units = [quantity(channel).unit for channel in inputs]
        typed = replace(own_formula(key.removeprefix(OWN)), version=version)
        return with_units(typed, units, quantity(result).unit)
    except InputError:
        return None


def newest_of(formula: Formula) -> Formula | None:
    """Return the newest version of a formula that is older, None of one that is the newest."""
    if is_own(formula.key):
        return own_formula(formula.name) if formula.version < VERSION else None
    return next(
        (one for one in NEWEST if one.key == formula.key and one.version > formula.version), None
    )


def formula_title(key: str, version: int) -> str:
    """Return what a formula is called and where it is written."""
    if is_own(key):
        return f"{key.removeprefix(OWN)}, custom formula"
    known = FORMULAS.get((key, version))
    return f"{known.name}, {known.source}" if known else key
