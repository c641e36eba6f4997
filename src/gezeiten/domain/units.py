"""Units in which people want to see what is recorded in another one.

What is recorded, kept and handed over never changes its unit; this is for screens only.
value shown = value recorded x factor + offset. Factors: SI brochure 9th ed.; 1 ft³ =
28.316 846 592 l, 1 psi = 6.894 757 293 168 kPa (NIST SP 811), 1 mmHg = 0.133 322 387 415 kPa.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class ShownUnit:
    """A unit to show values in. extra_decimals: digits more (or fewer) than the recorded unit."""

    name: str
    factor: float = 1.0
    offset: float = 0.0
    extra_decimals: int = 0

    def shown(self, value: float) -> float:
        """Return a recorded value in this unit."""
        return value * self.factor + self.offset

    def recorded(self, value: float) -> float:
        """Return a value of this unit as recorded."""
        return (value - self.offset) / self.factor

    def shown_difference(self, difference: float) -> float:
        """Return a difference of two recorded values (a hysteresis, a spread) in this unit."""
        return difference * self.factor

    def recorded_difference(self, difference: float) -> float:
        """Return a difference in this unit as recorded."""
        return difference / self.factor


_CUBIC_FOOT_L = 28.316846592
_TABLE: dict[str, tuple[ShownUnit, ...]] = {
    "°C": (ShownUnit("°C"), ShownUnit("°F", 1.8, 32.0, -1), ShownUnit("K", 1.0, 273.15)),
    "kPa": (
        ShownUnit("kPa"),
        ShownUnit("hPa", 10.0, 0.0, -1),
        ShownUnit("bar", 0.01, 0.0, 2),
        ShownUnit("mmHg", 1 / 0.133322387415, 0.0, -1),
        ShownUnit("psi", 1 / 6.894757293168),
    ),
    "mS/cm": (
        ShownUnit("mS/cm"),
        ShownUnit("µS/cm", 1000.0, 0.0, -2),
        ShownUnit("S/m", 0.1, 0.0, 1),
    ),
    "m": (ShownUnit("m"), ShownUnit("cm", 100.0, 0.0, -2), ShownUnit("mm", 1000.0, 0.0, -3)),
    "per m³": (
        ShownUnit("per m³"),
        ShownUnit("per l", 0.001),
        ShownUnit("per ft³", _CUBIC_FOOT_L / 1000),
    ),
    "per l": (
        ShownUnit("per l"),
        ShownUnit("per m³", 1000.0),
        ShownUnit("per ft³", _CUBIC_FOOT_L),
    ),
    "per ft³": (
        ShownUnit("per ft³"),
        ShownUnit("per m³", 1000 / _CUBIC_FOOT_L),
        ShownUnit("per l", 1 / _CUBIC_FOOT_L),
    ),
}
_ONLY_IN_TEXTS: dict[str, tuple[ShownUnit, ...]] = {
    "per m³": (ShownUnit("per 0.01 ft³", _CUBIC_FOOT_L / 100_000),),
}
"""Units that files of others come in and that nobody is shown."""
UNIT_CHOICES: dict[str, tuple[str, ...]] = {
    unit: tuple(shown.name for shown in choices) for unit, choices in _TABLE.items()
}


def shown_units(recorded_unit: str) -> tuple[ShownUnit, ...]:
    """Return the units in which a recorded unit can be shown, itself first."""
    return _TABLE.get(recorded_unit, (ShownUnit(recorded_unit),))


def text_units(recorded_unit: str) -> tuple[ShownUnit, ...]:
    """Return the units in which a text may hold what is recorded in another one."""
    return shown_units(recorded_unit) + _ONLY_IN_TEXTS.get(recorded_unit, ())


def text_unit(recorded_unit: str, wanted: str) -> ShownUnit:
    """Return the wanted unit of a text where it can stand for the recorded one, else that."""
    choices = text_units(recorded_unit)
    return next((unit for unit in choices if unit.name == wanted), choices[0])


def shown_unit(recorded_unit: str, wanted: str) -> ShownUnit:
    """Return the wanted unit where it can stand for the recorded one, else the recorded one."""
    choices = shown_units(recorded_unit)
    return next((unit for unit in choices if unit.name == wanted), choices[0])
