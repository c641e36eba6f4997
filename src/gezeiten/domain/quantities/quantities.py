"""The quantities that channels measure, read from a list that ships with the program and from what
users add. Data, not behaviour: `data/quantities.toml` says what each line means."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from importlib.resources import files
from itertools import pairwise
from typing import Any, Literal, get_args

from gezeiten.domain.series.series_keys import channel_of, label_of
from gezeiten.errors import InputError

Averages = Literal["plain", "direction", "sum"]
Stamp = Literal["instant", "end"]


@dataclass(frozen=True, slots=True)
class ShownUnit:
    """A unit to show values in, or that a text holds: value shown = value recorded x factor +
    offset. extra_decimals: digits more (or fewer) than the recorded unit. ucum: its code."""

    name: str
    factor: float = 1.0
    offset: float = 0.0
    extra_decimals: int = 0
    ucum: str = ""

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


@dataclass(frozen=True, slots=True)
class RecordedUnit:
    """A unit in which readings are kept, with its UCUM code; shown: in which others they can be
    shown; texts: in which others files hold them and nobody is shown them."""

    name: str
    ucum: str
    shown: tuple[ShownUnit, ...] = ()
    texts: tuple[ShownUnit, ...] = ()


@dataclass(frozen=True, slots=True)
class Quantity:
    """One measured quantity. low, high: what can be at all, in its unit. averages: how values of a
    stretch become one; stamp: whether an instant is that of the value or ends its interval.
    is_temperature: has a kinetic mean (unit °C). molar_mass: of a gas, g/mol, else 0. dose_unit: of
    distance beyond a limit over time, "" where that means nothing. is_usual: offered first; is_own:
    a user added it."""

    key: str
    name: str
    symbol: str
    unit: str
    decimals: int
    is_temperature: bool = False
    dose_unit: str = ""
    low: float = float("-inf")
    high: float = float("inf")
    averages: Averages = "plain"
    stamp: Stamp = "instant"
    is_usual: bool = False
    is_own: bool = False
    molar_mass: float = 0.0


PARTICLE_SIZES_UM = (0.3, 0.5, 1.0, 2.5, 5.0, 10.0)
"""Lower bounds of the size classes of the trade (0.5, 1 and 5 µm are those of ISO 14644-1 too)."""


def particles_from(size_um: float) -> str:
    """Return the key of the cumulative count: all particles from a size on."""
    return f"particles_from_{size_um}".replace(".", "_")


def particles_between(low_um: float, high_um: float) -> str:
    """Return the key of the differential count: particles from a size on, below another."""
    return f"particles_{low_um}_to_{high_um}".replace(".", "_")


def particle_quantities() -> tuple[Quantity, ...]:
    """Return counts per cubic metre (ISO 14644-1), cumulative and by class."""
    keys = [particles_from(size) for size in PARTICLE_SIZES_UM]
    keys += [particles_between(low, high) for low, high in pairwise(PARTICLE_SIZES_UM)]
    return tuple(QUANTITIES[key] for key in keys)


# -- reading the list ------------------------------------------------------------------------------
def read_units(listed: Mapping[str, Any]) -> dict[str, RecordedUnit]:
    """Return the units of a list, by name.

    Raises:
        InputError: one makes no sense; the sentence names it.
    """
    units = {}
    for name, facts in listed.items():
        try:
            shown, texts = (
                tuple(map(_shown_unit, facts.get(kind, ()))) for kind in ("shown", "texts")
            )
            units[name] = RecordedUnit(name, str(facts["ucum"]), shown, texts)
        except (KeyError, TypeError, ValueError, ZeroDivisionError, AttributeError) as exc:
            raise InputError(f"The unit “{name}” cannot be read ({exc!r}); correct it.") from exc
    return units


def _shown_unit(facts: Mapping[str, Any]) -> ShownUnit:
    above, _, below = str(facts.get("factor", "1")).partition("/")
    factor = float(above) / float(below or "1")
    if factor == 0:
        raise ValueError("its factor is 0")
    offset, decimals = float(facts.get("offset", "0")), int(facts.get("decimals", 0))
    return ShownUnit(str(facts["name"]), factor, offset, decimals, str(facts.get("ucum", "")))


def read_quantities(
    listed: Mapping[str, Any], units: Mapping[str, RecordedUnit]
) -> dict[str, Quantity]:
    """Return the quantities of a list, by key.

    Raises:
        InputError: a unit is not known, or something else makes no sense; the sentence says which.
    """
    return {key: _quantity(key, facts, units) for key, facts in listed.items()}


def _quantity(key: str, facts: Mapping[str, Any], units: Mapping[str, RecordedUnit]) -> Quantity:
    try:
        unit, (low, high) = str(facts["unit"]), map(float, facts["range"])
        made = Quantity(
            key,
            str(facts["name"]),
            str(facts["symbol"]),
            unit,
            int(facts["decimals"]),
            bool(facts.get("kinetic", False)),
            "",
            low,
            high,
            facts.get("averages", "plain"),
            facts.get("stamp", "instant"),
            bool(facts.get("usual", False)),
            molar_mass=float(facts.get("molar_mass", 0.0)),
        )
    except (KeyError, TypeError, ValueError) as exc:
        raise InputError(f"The quantity “{key}” cannot be read ({exc!r}); correct it.") from exc
    is_plain = facts.get("dose", True) and made.averages == "plain"
    return checked_quantity(replace(made, dose_unit=f"{unit}·h" if is_plain else ""), units)


def checked_quantity(one: Quantity, units: Mapping[str, RecordedUnit]) -> Quantity:
    """Return a quantity that makes sense.

    Raises:
        InputError: it does not; the sentence says why.
    """
    why = ""
    if one.unit not in units:
        why = f"its unit “{one.unit}” is not known"
    elif not one.name.strip() or not one.symbol.strip():
        why = "it needs a name and a symbol"
    elif not one.key.isidentifier() or one.key != one.key.lower():
        why = "its key may have only small letters, digits and _"
    elif not one.low < one.high:
        why = "its lowest value must be below its highest"
    elif not 0 <= one.decimals <= 9:
        why = "it has 0 to 9 decimals"
    elif one.averages not in get_args(Averages) or one.stamp not in get_args(Stamp):
        why = "its aggregation or timestamp rule is not known"
    elif one.averages == "direction" and one.unit != "°":
        why = "a direction is measured in °"
    if why:
        raise InputError(f"The quantity “{one.name or one.key}” is not valid: {why}.")
    return one


def own_quantity(key: str, facts: Mapping[str, Any]) -> Quantity:
    """Return a quantity that a user added, from its facts.

    Raises:
        InputError: it makes no sense.
    """
    return replace(_quantity(key, facts, UNITS), is_own=True)


def own_facts(one: Quantity) -> dict[str, Any]:
    """Return the facts of a quantity as they are kept."""
    return {
        "name": one.name,
        "symbol": one.symbol,
        "unit": one.unit,
        "decimals": one.decimals,
        "range": [one.low, one.high],
        "averages": one.averages,
        "stamp": one.stamp,
        "dose": bool(one.dose_unit),
        "kinetic": one.is_temperature,
    }


_LIST = tomllib.loads(files("gezeiten.domain").joinpath("data/quantities.toml").read_text("utf-8"))
UNITS: dict[str, RecordedUnit] = read_units(_LIST["units"])
"""All recorded units, by name."""
SHIPPED: dict[str, Quantity] = read_quantities(_LIST["quantities"], UNITS)
"""The quantities that ship with the program."""
QUANTITIES: dict[str, Quantity] = dict(SHIPPED)
"""All that is known: those that ship, and those that users of the open archive added."""


def set_own_quantities(added: Iterable[Quantity]) -> None:
    """Know these quantities of users from here on, and no others of theirs; one that ships is what
    it is."""
    own = {one.key: one for one in added if one.key not in SHIPPED}
    for key in [key for key in QUANTITIES if key not in SHIPPED and key not in own]:
        del QUANTITIES[key]
    QUANTITIES.update(own)


_RUNNING = "_running"


def running_key(summed: str) -> str:
    """Return the key of the quantity that running sums of a summed quantity are of."""
    return summed + _RUNNING


def quantity(key: str) -> Quantity:
    """Return the quantity of a key; an unknown key keeps its name and has no unit. That of a series
    with a label carries it in its name; that of running sums is made of the summed one."""
    known = QUANTITIES.get(key)
    if known is not None:
        return known
    channel, label = channel_of(key), label_of(key)
    if label:
        of_channel = quantity(channel)
        return replace(of_channel, key=key, name=f"{of_channel.name} ({label})")
    summed = QUANTITIES.get(key.removesuffix(_RUNNING))
    if summed is not None and summed.averages == "sum":
        return _running(key, summed)
    return Quantity(key, key.replace("_", " "), key, "", 2)


def _running(key: str, summed: Quantity) -> Quantity:
    """Sums of windows that overlap: added up they would count each reading many times."""
    return replace(
        summed,
        key=key,
        name=f"{summed.name}, running sum",
        symbol=f"Σ{summed.symbol}",
        averages="plain",
        low=min(summed.low, 0.0),
        high=float("inf"),
        is_usual=False,
        is_own=False,
    )


def in_order(quantities: Iterable[Quantity]) -> list[Quantity]:
    """Return quantities as they are offered: the usual ones in their order, one's own, then the
    others by name."""
    known = list(quantities)
    usual = [one for one in known if one.is_usual]
    own = sorted((one for one in known if one.is_own), key=lambda one: one.name.casefold())
    rest = [one for one in known if not one.is_usual and not one.is_own]
    return [*usual, *own, *sorted(rest, key=lambda one: one.name.casefold())]
