"""A value read by hand: with a dip tape, a reference thermometer, a staff gauge; a lowest and
highest since the look before."""

from __future__ import annotations

import math
from dataclasses import dataclass

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.errors import InputError

DIPPED = ("water_level", "water_depth", "water_height", "depth_to_water")
"""Quantities whose value can follow from a dip."""
LEVELS = ("water_level", "water_depth")
"""Those that count from a sensor, or from the ground that it stands on."""
_TAPE_M, _TAPE_PART = 0.006, 0.0002
"""Of a dip: 3 mm and 0.1 mm a metre, twice."""


@dataclass(frozen=True, slots=True)
class CheckReading:
    """What somebody read at a point (its id) at an instant (UTC ms), for a series (its key).

    value: what the series should say then, in the unit it is recorded in, NaN where only lowest and
    highest were read, or a dip of which nobody said how far the sensor hangs below its mark; u: its
    uncertainty (k = 2). low, high: since the look before, None where they were not read. dip_m: how
    far below the measuring point the water stood, rim_m: how high that was, 0 where heights are
    counted from it; both None where the value itself was read. by: who read it; stated_by: who
    entered it.
    """

    uid: str
    point: str
    series: str
    at_ms: int
    value: float
    u: float
    low: float | None
    high: float | None
    dip_m: float | None
    rim_m: float | None
    by: str
    remark: str
    stated_ms: int
    stated_by: str


def dip_uncertainty_m(dip_m: float) -> float:
    """Return the uncertainty (k = 2) of a dip with a tape, where nothing else is said.

    Source: docs/calculations.md, "Check readings".
    """
    return _TAPE_M + _TAPE_PART * abs(dip_m)


def value_of_dip(channel: str, dip_m: float, base_m: float) -> float:
    """Return what a series says when the water stands so far below a measuring point: its height
    above the point's datum, its level above the sensor, or the depth to it.

    Args:
        base_m: what the series says where the water stands at the measuring point (`base_of_dip`).
    """
    return dip_m if channel == "depth_to_water" else base_m - dip_m


def dip_of_value(channel: str, value: float, base_m: float) -> float:
    """Return the dip at which a series says a value; the inverse of `value_of_dip`."""
    return value if channel == "depth_to_water" else base_m - value


def base_of_dip(channel: str, rim_m: float, length_m: float | None, *, is_height: bool) -> float:
    """Return what a series says where the water stands at the measuring point: of a height that of
    the measuring point, of a level above the sensor how far that hangs below it; NaN of a level
    where nobody said so: a height is no level.

    Args:
        length_m: of the sensor below the measuring point, None where nobody said it; is_height: a
            level was tied to heights, so that it says such.
    """
    if channel not in LEVELS or is_height:
        return rim_m
    return math.nan if length_m is None else length_m


def checked(check: CheckReading) -> CheckReading:
    """Return a check reading that can be.

    Raises:
        InputError: it cannot; the sentence says why.
    """
    its = quantity(check.series)
    numbers = [check.value, *(x for x in (check.low, check.high, check.u) if x is not None)]
    has_nothing = math.isnan(check.value) and check.low is None and check.high is None
    if has_nothing or any(math.isinf(x) for x in numbers):
        raise InputError(f"There is no value for {its.name}; type one, or leave the row empty.")
    if check.u < 0:
        raise InputError("An uncertainty cannot be below 0; correct it.")
    for value in numbers[:-1]:
        if not (math.isnan(value) or its.low <= value <= its.high):
            raise InputError(f"{value:g} {its.unit} is out of range for {its.name}; correct it.")
    if check.low is not None and check.high is not None and check.low > check.high:
        raise InputError("The lowest value is above the highest; swap them.")
    if not check.by.strip():
        raise InputError("The reader is missing; type a name or initials.")
    return check
