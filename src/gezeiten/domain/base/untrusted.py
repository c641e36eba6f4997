"""Bounds for what comes from outside: files, loggers, a database somebody edited."""

from __future__ import annotations

import json
import math
import sys
from datetime import UTC, datetime
from typing import Annotated, Any, TypeVar

import msgspec

EARLIEST_MS = round(datetime(1900, 1, 1, tzinfo=UTC).timestamp() * 1000)
LATEST_MS = round(datetime(2200, 1, 1, tzinfo=UTC).timestamp() * 1000)
LONGEST_INTERVAL_MS = 366 * 86_400_000
_LARGEST = 2**62
DEEPEST = 32
"""So deep a value may be nested; our own are no deeper than six."""
WholeNumber = Annotated[int, msgspec.Meta(gt=-_LARGEST, lt=_LARGEST)]
"""A field that holds a whole number which is not beyond reason."""
FiniteNumber = Annotated[float, msgspec.Meta(ge=-sys.float_info.max, le=sys.float_info.max)]
"""A field that holds a number which is neither infinite nor none."""
InstantMs = Annotated[int, msgspec.Meta(ge=EARLIEST_MS, lt=LATEST_MS)]
"""A field that holds an instant between the years 1900 and 2200, UTC ms."""
_Kind = TypeVar("_Kind")


def validated(data: Any, kind: type[_Kind]) -> _Kind:
    """Return the value of a frozen dataclass out of dicts, lists and plain values. Fields that the
    data lacks take their defaults, those that the class lacks are passed over; numbers may be
    texts.

    Raises:
        ValueError: a field is missing or of another kind; says which.
    """
    try:
        return msgspec.convert(data, kind, strict=False)
    except msgspec.ValidationError as exc:
        what, _, where = str(exc).partition(" - at `$.")
        raise ValueError(f"{where.rstrip('`')}: {what}" if where else what) from exc


def plain(value: Any) -> Any:
    """Return the value of a frozen dataclass as JSON knows it: dicts, lists and plain values."""
    return msgspec.json.decode(msgspec.json.encode(value))


def json_of(text: str | bytes) -> Any:
    """Return the value of a JSON text.

    Raises:
        ValueError: it is none, or nested beyond reason.
    """
    try:
        value = json.loads(text)
    except RecursionError as exc:
        raise ValueError("nested too deep") from exc
    # what opens few brackets is nested no deeper, and need not be walked through
    return value if _opened(text) <= DEEPEST else shallow(value)


def _opened(text: str | bytes) -> int:
    if isinstance(text, bytes):
        return text.count(b"[") + text.count(b"{")
    return text.count("[") + text.count("{")


def shallow(value: Any, deepest: int = DEEPEST) -> Any:
    """Return a value of lists and dicts that is not nested beyond reason, nor holds itself.

    Raises:
        ValueError: it is.
    """
    if isinstance(value, (dict, list, tuple)):
        if not deepest:
            raise ValueError("nested too deep")
        for part in value.values() if isinstance(value, dict) else value:
            shallow(part, deepest - 1)
    return value


def bounded_int(value: Any) -> int:
    """Return a whole number that is not beyond reason.

    Raises:
        TypeError, ValueError: it is none, infinite, or beyond 2^62.
    """
    if isinstance(value, float) and not math.isfinite(value):
        raise ValueError(f"{value} is not a whole number")
    number = int(value)
    if not -_LARGEST < number < _LARGEST:
        shown = number if abs(number) < _LARGEST**2 else "a number"
        raise ValueError(f"{shown} is out of range")
    return number


def finite(value: Any) -> float:
    """Return a number that is neither infinite nor none.

    Raises:
        TypeError, ValueError: it is.
    """
    try:
        number = float(value)
    except OverflowError as exc:
        raise ValueError("a number out of range") from exc
    if not math.isfinite(number):
        raise ValueError(f"{value} is not a number")
    return number


def instant_ms(value: Any) -> int:
    """Return an instant between the years 1900 and 2200.

    Raises:
        TypeError, ValueError: it is no number, or lies beyond.
    """
    at_ms = bounded_int(value)
    if not EARLIEST_MS <= at_ms < LATEST_MS:
        raise ValueError("a time outside the years 1900 to 2200")
    return at_ms
