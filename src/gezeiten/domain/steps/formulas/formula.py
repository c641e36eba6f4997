"""What a formula is: what it takes, what can be set, and how values become a value."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import Averages, Quantity, quantity, running_key
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import HOUR_MS, Values

WINDOW_H = "window_h"
"""The parameter that says how far back a formula looks."""
TIMES = "times_utc_ms"
"""Under which a formula that wants them finds the instants of its first input."""
LONGEST_MS = 36 * HOUR_MS
"""Neighbours further apart than this are never interpolated between, however long intervals are."""


@dataclass(frozen=True, slots=True)
class Role:
    """An input of a formula. channels: those it takes; none: all of its unit, "" for any that its
    formula gives something for. longest_ms: how far neighbours may be apart that are interpolated
    between; None: 1.5 of their intervals. most_ms: 1.5 of their intervals where that is longer than
    longest_ms, but no longer than this; None: longest_ms exactly."""

    name: str
    unit: str
    channels: tuple[str, ...] = ()
    longest_ms: int | None = None
    most_ms: int | None = None

    def accepts(self, one: Quantity) -> bool:
        """Whether a quantity can stand here; `one.key` is its channel."""
        if self.channels:
            return one.key in self.channels
        return self.unit in ("", one.unit)

    @property
    def reach_ms(self) -> int:
        """How far from a reading of this input others may follow from it."""
        return self.most_ms or self.longest_ms or LONGEST_MS


@dataclass(frozen=True, slots=True)
class Parameter:
    """A number that people set, with the one that stands by itself (NaN: none does, so that it has
    to be typed), and what it may be. is_instant: it is one in time, UTC ms."""

    key: str
    name: str
    unit: str
    usual: float
    low: float
    high: float
    decimals: int
    is_instant: bool = False


Over: TypeAlias = Callable[[Series, Mapping[str, float], int], Series]
"""Readings with those of the window before them, parameters and the window (ms) to readings."""
Gathers: TypeAlias = Literal["nothing", "mean", "highest", "lowest", "sum", "slope"]
Made: TypeAlias = tuple[Values, NDArray[np.bool_]]
"""Values, NaN where there is none, and which are suspect; both of shape (n,)."""


@dataclass(frozen=True, slots=True)
class Formula:
    """How a series is calculated from others. key and version name it for ever: whoever changes
    what comes out lifts the version and keeps the old one.

    roles: its inputs; the calculated series has the instants of the first. results: the channel of
    what comes out, by the unit of the first input. apply: values of each input in the unit of its
    role, shape (n,) each, and parameters by key; a pure function. source: where it is written.
    over: of one that looks back over a window of its first and only input: then results may be
    empty, and what comes out is of the quantity that went in; gathers: what it makes of what it
    finds there; is_running: that is a quantity of its own (`running_key`). averages: of which
    kinds of quantities, () for all. uses_sensor_depth: among its parameters it finds rim and length
    (`steps/sensor_depth.py`) at each instant, (n,). superseded: of an older version, what is
    wrong with it in words.
    uses_times: among its parameters it finds the instants, UTC ms (n,), under `TIMES`. is_of_any:
    what comes out is of whatever quantity is chosen.
    """

    key: str
    version: int
    name: str
    roles: tuple[Role, ...]
    results: Mapping[str, str]
    apply: Callable[[tuple[Values, ...], Mapping[str, float]], Made]
    source: str
    parameters: tuple[Parameter, ...] = ()
    needs_one_unit: bool = False
    over: Over | None = None
    gathers: Gathers = "nothing"
    is_running: bool = False
    averages: tuple[Averages, ...] = ()
    uses_sensor_depth: bool = False
    superseded: str = ""
    uses_times: bool = False
    is_of_any: bool = False

    def result(self, channel: str) -> str:
        """Return the channel of what comes out where the first input is of one."""
        if self.over is not None and not self.results:
            return running_key(channel) if self.is_running else channel
        return self.results.get(quantity(channel).unit, "")

    def starts_from(self, channel: str) -> bool:
        """Whether something comes out where the first input is of a channel."""
        its = quantity(channel)
        return bool(self.result(channel)) and (not self.averages or its.averages in self.averages)

    def window_ms(self, parameters: Mapping[str, float]) -> int:
        """Return how far back it looks at the first input, 0 where it looks at each reading."""
        return round(parameters[WINDOW_H] * HOUR_MS) if self.over is not None else 0

    def problem(self, inputs: tuple[Quantity, ...]) -> str:
        """Return why it cannot be made of these quantities, "" where it can."""
        if len(inputs) != len(self.roles):
            return f"it needs {len(self.roles)} series"
        for role, one in zip(self.roles, inputs, strict=True):
            if not role.accepts(one):
                return f"{one.name} cannot be its {role.name.lower()}"
        if self.averages and inputs[0].averages not in self.averages:
            return f"{inputs[0].name.lower()} is not a quantity it applies to"
        if self.results and inputs[0].unit not in self.results:
            return f"it gives no known quantity from {inputs[0].unit or 'numbers'}"
        if self.needs_one_unit and len({one.unit for one in inputs}) > 1:
            return "both must have the same unit"
        return ""

    def checked(self, parameters: Mapping[str, float]) -> dict[str, float]:
        """Return all its parameters, the usual ones where nothing is said.

        Raises:
            ValueError: one is out of its range, or is none of this formula.
        """
        unknown = set(parameters) - {parameter.key for parameter in self.parameters}
        if unknown:
            raise ValueError(f"{', '.join(sorted(unknown))} cannot be set here")
        found = {}
        for parameter in self.parameters:
            value = float(parameters.get(parameter.key, parameter.usual))
            if not parameter.low <= value <= parameter.high:
                raise ValueError(
                    f"{parameter.name} lies between {parameter.low:g} and "
                    f"{parameter.high:g} {parameter.unit}"
                )
            found[parameter.key] = value
        return found
