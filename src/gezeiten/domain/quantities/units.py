"""Units in which people want to see what is recorded in another one.

What is recorded, kept and handed over never changes its unit; this is for screens, and for texts
that come. The units, their factors and sources stand in `data/quantities.toml`.
"""

from __future__ import annotations

from gezeiten.domain.quantities.quantities import UNITS, ShownUnit

__all__ = ["UNIT_CHOICES", "ShownUnit", "shown_unit", "shown_units", "text_unit", "text_units"]

UNIT_CHOICES: dict[str, tuple[str, ...]] = {
    name: (name, *(one.name for one in unit.shown)) for name, unit in UNITS.items()
}


def shown_units(recorded_unit: str) -> tuple[ShownUnit, ...]:
    """Return the units in which a recorded unit can be shown, itself first."""
    known = UNITS.get(recorded_unit)
    itself = ShownUnit(recorded_unit, ucum=known.ucum if known else "")
    return (itself, *(known.shown if known else ()))


def text_units(recorded_unit: str) -> tuple[ShownUnit, ...]:
    """Return the units in which a text may hold what is recorded in another one."""
    known = UNITS.get(recorded_unit)
    return shown_units(recorded_unit) + (known.texts if known else ())


def text_unit(recorded_unit: str, wanted: str) -> ShownUnit:
    """Return the wanted unit of a text where it can stand for the recorded one, else that."""
    choices = text_units(recorded_unit)
    return next((unit for unit in choices if unit.name == wanted), choices[0])


def shown_unit(recorded_unit: str, wanted: str) -> ShownUnit:
    """Return the wanted unit where it can stand for the recorded one, else the recorded one."""
    choices = shown_units(recorded_unit)
    return next((unit for unit in choices if unit.name == wanted), choices[0])
