"""Bounds for what comes from outside: files, loggers, a database somebody edited."""

from __future__ import annotations

import json
import math
from datetime import UTC, datetime
from typing import Any

EARLIEST_MS = round(datetime(1900, 1, 1, tzinfo=UTC).timestamp() * 1000)
LATEST_MS = round(datetime(2200, 1, 1, tzinfo=UTC).timestamp() * 1000)
LONGEST_INTERVAL_MS = 366 * 86_400_000
_LARGEST = 2**62
DEEPEST = 32
"""So deep a value may be nested; our own are no deeper than six."""


def json_of(text: str | bytes) -> Any:
    """Return the value of a JSON text.

    Raises:
        ValueError: it is none, or nested beyond reason.
    """
    try:
        value = json.loads(text)
    except RecursionError as exc:
        raise ValueError("nested beyond reason") from exc
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
            raise ValueError("nested beyond reason")
        for part in value.values() if isinstance(value, dict) else value:
            shallow(part, deepest - 1)
    return value


def bounded_int(value: Any) -> int:
    """Return a whole number that is not beyond reason.

    Raises:
        TypeError, ValueError: it is none, infinite, or beyond 2^62.
    """
    if isinstance(value, float) and not math.isfinite(value):
        raise ValueError(f"{value} is no whole number")
    number = int(value)
    if not -_LARGEST < number < _LARGEST:
        shown = number if abs(number) < _LARGEST**2 else "a number"
        raise ValueError(f"{shown} is beyond reason")
    return number


def finite(value: Any) -> float:
    """Return a number that is neither infinite nor none.

    Raises:
        TypeError, ValueError: it is.
    """
    try:
        number = float(value)
    except OverflowError as exc:
        raise ValueError("a number beyond reason") from exc
    if not math.isfinite(number):
        raise ValueError(f"{value} is no number")
    return number


def instant_ms(value: Any) -> int:
    """Return an instant between the years 1900 and 2200.

    Raises:
        TypeError, ValueError: it is no number, or lies beyond.
    """
    at_ms = bounded_int(value)
    if not EARLIEST_MS <= at_ms < LATEST_MS:
        raise ValueError("an instant beyond the years 1900 to 2200")
    return at_ms
