"""Units that are multiplied, divided and compared: what a formula of somebody's own is checked by.

Units are known by their UCUM codes (The Unified Code for Units of Measure, 2.1). Percent, ppm, pH
and the like are dimensions of their own: none of them is silently a number.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import cache

from gezeiten.domain.quantities.quantities import UNITS
from gezeiten.errors import InputError

_PREFIXES = {"k": 1e3, "M": 1e6, "h": 1e2, "d": 1e-1, "c": 1e-2, "m": 1e-3, "u": 1e-6, "n": 1e-9}
_ATOMS: dict[str, tuple[float, dict[str, int]]] = {
    "m": (1.0, {"m": 1}),
    "g": (1e-3, {"kg": 1}),
    "s": (1.0, {"s": 1}),
    "K": (1.0, {"K": 1}),
    "A": (1.0, {"A": 1}),
    "mol": (1.0, {"mol": 1}),
    "min": (60.0, {"s": 1}),
    "h": (3600.0, {"s": 1}),
    "d": (86400.0, {"s": 1}),
    "L": (1e-3, {"m": 3}),
    "l": (1e-3, {"m": 3}),
    "N": (1.0, {"kg": 1, "m": 1, "s": -2}),
    "Pa": (1.0, {"kg": 1, "m": -1, "s": -2}),
    "bar": (1e5, {"kg": 1, "m": -1, "s": -2}),
    "J": (1.0, {"kg": 1, "m": 2, "s": -2}),
    "W": (1.0, {"kg": 1, "m": 2, "s": -3}),
    "V": (1.0, {"kg": 1, "m": 2, "s": -3, "A": -1}),
    "S": (1.0, {"kg": -1, "m": -2, "s": 3, "A": 2}),
    "[cft_i]": (0.028316846592, {"m": 3}),
    "[ft_i]": (0.3048, {"m": 1}),
    "[in_i]": (0.0254, {"m": 1}),
    "[mi_i]": (1609.344, {"m": 1}),
    "[kn_i]": (1852 / 3600, {"m": 1, "s": -1}),
    "[gal_us]": (0.003785411784, {"m": 3}),
    "[psi]": (6894.757293168, {"kg": 1, "m": -1, "s": -2}),
}
"""In SI units, with the powers of its base units."""
_SPOKEN = {
    "ft": "[ft_i]",
    "in": "[in_i]",
    "mi": "[mi_i]",
    "kn": "[kn_i]",
    "gal": "[gal_us]",
    "psi": "[psi]",
}
"""As people write them beside their UCUM codes."""
_TERM = re.compile(r"([./]?)(\[[^\]]+\]|[A-Za-z%]+)(-?\d+)?")
_OTHER_SIGNS = str.maketrans({"µ": "u", "²": "2", "³": "3", "·": ".", "⁻": "-", "¹": "1"})


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit: how much of SI it is, and the powers of its base units, by name, without zeros.
    is_point: its values are points on a scale, not amounts: °C, not K."""

    factor: float = 1.0
    powers: tuple[tuple[str, Fraction], ...] = ()
    is_point: bool = False

    def times(self, other: Unit, sign: int = 1) -> Unit:
        """Return the unit of a product, or with sign -1 of a quotient."""
        powers = dict(self.powers)
        for name, power in other.powers:
            powers[name] = powers.get(name, Fraction(0)) + sign * power
        return Unit(self.factor * other.factor**sign, _tidy(powers))

    def power(self, exponent: Fraction) -> Unit:
        """Return the unit of a power."""
        powers = {name: power * exponent for name, power in self.powers}
        return Unit(self.factor ** float(exponent), _tidy(powers))

    def is_compatible(self, other: Unit) -> bool:
        """Whether values of both can be added, but for points."""
        return self.powers == other.powers

    @property
    def is_pure(self) -> bool:
        """Whether it is that of a number."""
        return not self.powers


PURE = Unit()
KELVIN = Unit(1.0, (("K", Fraction(1)),))
CELSIUS = Unit(1.0, (("K", Fraction(1)),), is_point=True)


def _tidy(powers: Mapping[str, Fraction]) -> tuple[tuple[str, Fraction], ...]:
    return tuple(sorted((name, power) for name, power in powers.items() if power))


def unit_of(name: str) -> Unit:
    """Return the unit of a name as the program says it ("mS/cm", "°C"), or of a UCUM code.

    Raises:
        InputError: there is none.
    """
    known = UNITS.get(name)
    if known is None and name in _shown_units():
        return _shown_units()[name]
    code = known.ucum if known is not None else name.strip().translate(_OTHER_SIGNS)
    if code in ("1", ""):
        return PURE
    code = code[1:] if code.startswith("1/") else code
    if code in ("Cel", "°C"):
        return CELSIUS
    found, end = PURE, 0
    for term in _TERM.finditer(code):
        if term.start() != end:
            break
        end = term.end()
        sign, atom, exponent = term.groups()
        unit = _atom(atom).power(Fraction(int(exponent or 1)))
        found = found.times(unit, -1 if sign == "/" else 1)
    if end != len(code):
        raise InputError(f"“{name}” is not a unit; type one like kPa, m/s or 1/K.")
    return found


@cache
def _shown_units() -> dict[str, Unit]:
    """Return the units in which others can be shown or come, by name: mmHg, US gal, mph."""
    found = {}
    for name, recorded in UNITS.items():
        unit = unit_of(name)
        for one in (*recorded.shown, *recorded.texts):
            if one.offset == 0 and one.name not in UNITS and not unit.is_point:
                found[one.name] = Unit(unit.factor / one.factor, unit.powers)
    return found


def _atom(code: str) -> Unit:
    code = _SPOKEN.get(code, code)
    if code in _ATOMS:
        return _normalised(*_ATOMS[code])
    prefix, rest = _PREFIXES.get(code[:1]), code[1:]
    if prefix is not None and rest in _ATOMS:
        factor, powers = _ATOMS[rest]
        return _normalised(prefix * factor, powers)
    return _normalised(1.0, {code: 1})  # percent, pH, lux: only like itself


def _normalised(factor: float, powers: Mapping[str, int]) -> Unit:
    return Unit(factor, _tidy({name: Fraction(power) for name, power in powers.items()}))
