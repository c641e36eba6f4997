"""What a kind of correction is: where in the chain it stands, what can be set, what it does."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import IntEnum
from typing import Any, TypeAlias

from gezeiten.domain.series.series import Series

Parameters: TypeAlias = Mapping[str, Any]


class Order(IntEnum):
    """Where in the chain from the source to the record a kind stands."""

    TRIM = 20
    CALIBRATION = 30
    REFERENCE = 35
    MARK = 40


@dataclass(frozen=True, slots=True)
class CorrectionKind:
    """A kind of correction. key and version name it for ever: whoever changes what comes out lifts
    the version and keeps the old one.

    apply: measured readings of the stretch in which it is in force, the parameters and that
    stretch's begin and end (UTC ms; the last may be `EVER_MS`) to readings; a pure function.
    checked: parameters as they are kept, raises ValueError with the reason. describe: in words, for
    a unit ("offset +0.3 °C"). is_fitted: its numbers were fitted to what the steps before it gave,
    whose ids its parameter `below` names.
    """

    key: str
    version: int
    order: Order
    name: str
    apply: Callable[[Series, Parameters, int, int], Series]
    checked: Callable[[Parameters], dict[str, Any]]
    describe: Callable[[Parameters, str], str]
    is_fitted: bool = False


def number_of(parameters: Parameters, key: str, usual: float | None = None) -> float:
    """Return a finite number of the parameters; raises ValueError."""
    said = parameters.get(key, usual)
    try:
        value = float(said if said is not None else "nothing")
    except (TypeError, ValueError):
        raise ValueError(f"“{said}” is not a number") from None
    if not abs(value) < 1e12:
        raise ValueError(f"“{said}” is too large")
    return value


def refuse_unknown_parameters(parameters: Parameters, *keys: str) -> None:
    """Raise ValueError where something is set that cannot be."""
    unknown = set(parameters) - set(keys)
    if unknown:
        raise ValueError(f"{', '.join(sorted(unknown))} cannot be set here")
