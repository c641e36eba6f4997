"""Units in which people want to see what is recorded in another one.

What is recorded, kept and handed over never changes its unit; this is for screens, and for texts
that come. The units, their factors and sources stand in `data/quantities.toml`.
"""

from __future__ import annotations

from gezeiten.domain.quantities.quantities import UNITS, Quantity, ShownUnit

__all__ = ["UNIT_CHOICES", "ShownUnit", "shown_unit", "shown_units", "text_unit", "text_units"]

UNIT_CHOICES: dict[str, tuple[str, ...]] = {
    name: (name, *(one.name for one in unit.shown)) for name, unit in UNITS.items()
}


def shown_units(recorded_unit: str) -> tuple[ShownUnit, ...]:
    """Return the units in which a recorded unit can be shown, itself first."""
    known = UNITS.get(recorded_unit)
    itself = ShownUnit(recorded_unit, ucum=known.ucum if known else "")
    return (itself, *(known.shown if known else ()))


def text_units(quantity: Quantity) -> tuple[ShownUnit, ...]:
    """Return the units in which a text may hold a quantity, the recorded one first."""
    known = UNITS.get(quantity.unit)
    return shown_units(quantity.unit) + (known.texts if known else ()) + _gas_units(quantity)


_GAS_CONSTANT, _ZERO_K, _PRESSURE_PA = 8.314462618, 273.15, 101_325.0
"""J/(mol·K), SI brochure, 9th edition; the pressure is that of gas standards."""
_GAS_TEMPERATURES_C = (20, 25)
"""20 °C and 1013 hPa: Directive 2008/50/EC, annex VI; 25 °C: US EPA, 40 CFR 50.3."""


def _gas_units(quantity: Quantity) -> tuple[ShownUnit, ...]:
    """Return for a gas the units that need a temperature and pressure to become the recorded
    quantity: a share of the volume where a mass is recorded, a mass where a share is."""
    if not quantity.molar_mass:
        return ()
    found = []
    for temp_c in _GAS_TEMPERATURES_C:
        litres_per_mol = 1000 * _GAS_CONSTANT * (_ZERO_K + temp_c) / _PRESSURE_PA
        at = f"({temp_c} °C, 1013 hPa)"
        mg_per_ppm = quantity.molar_mass / litres_per_mol
        if quantity.unit == "ppm":
            found.append(ShownUnit(f"mg/m³ {at}", mg_per_ppm, ucum="mg/m3"))
            found.append(ShownUnit(f"µg/m³ {at}", 1000 * mg_per_ppm, ucum="ug/m3"))
        elif quantity.unit == "µg/m³":
            found.append(ShownUnit(f"ppb {at}", 1 / mg_per_ppm, ucum="[ppb]"))
            found.append(ShownUnit(f"ppm {at}", 0.001 / mg_per_ppm, ucum="[ppm]"))
    return tuple(found)


def text_unit(quantity: Quantity, wanted: str) -> ShownUnit:
    """Return the wanted unit of a text where a quantity can be in it, else the recorded one."""
    choices = text_units(quantity)
    return next((unit for unit in choices if unit.name == wanted), choices[0])


def shown_unit(recorded_unit: str, wanted: str) -> ShownUnit:
    """Return the wanted unit where it can stand for the recorded one, else the recorded one."""
    choices = shown_units(recorded_unit)
    return next((unit for unit in choices if unit.name == wanted), choices[0])
