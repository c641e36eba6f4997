"""What people say of series, for tests that do any deeds in any order."""

from __future__ import annotations

from gezeiten.desk.context import Desk
from gezeiten.desk.places import PointPlace, points
from gezeiten.desk.record.calculating import (
    Calculation,
    calculate,
    calculate_no_more,
    calculations,
)
from gezeiten.desk.record.limits import set_limit
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.errors import InputError


def _series(desk: Desk) -> list[tuple[PointPlace, str]]:
    return [(point, place.channel) for point in points(desk) for place in point.channels]


def subtract(desk: Desk, first: int, second: int, label: str) -> None:
    """Let the difference of the n-th series and the m-th be calculated; most have another unit."""
    listed = _series(desk)
    if not listed:
        raise InputError("nothing is measured yet")
    inputs = (listed[first % len(listed)], listed[second % len(listed)])
    calculate(desk, Calculation(FORMULAS["difference", 1], inputs, {}, label))


def subtract_no_more(desk: Desk, number: int) -> None:
    """Take the n-th calculated series back."""
    said = [one.how for point in points(desk) for one in calculations(desk, point.id)]
    if not said:
        raise InputError("nothing is calculated yet")
    calculate_no_more(desk, said[number % len(said)])


def set_some_limit(desk: Desk, number: int, side: str) -> None:
    """Set a limit on the n-th series, for all time."""
    listed = _series(desk)
    if not listed:
        raise InputError("nothing is measured yet")
    point, key = listed[number % len(listed)]
    set_limit(desk, point.id, key, LimitRule(key, side, 1.0), 0, None, "asked for")  # type: ignore[arg-type]
