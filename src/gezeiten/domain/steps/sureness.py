"""How sure a corrected value is: ± U (k = 2) and its shares.

Source: docs/calculations.md, "Uncertainty"; first-order propagation after JCGM 100:2008, 5.1.2.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from gezeiten.domain.steps.chain import Correction
from gezeiten.domain.steps.corrections import Order
from gezeiten.domain.steps.formulas.formula import Formula

Kind = Literal["calibration", "reference", "resolution", "clock", "fill"]


@dataclass(frozen=True, slots=True)
class Share:
    """A part of what a value is not sure of. of: the input that it comes from, "" of its own; u:
    standard uncertainty, in the unit of the value."""

    kind: Kind
    u: float
    of: str = ""


@dataclass(frozen=True, slots=True)
class Sure:
    """All shares. is_least: one of them is not known, so the value is at least so unsure."""

    shares: tuple[Share, ...]
    is_least: bool

    @property
    def expanded(self) -> float:
        """± U, k = 2."""
        return 2 * math.hypot(*(one.u for one in self.shares))


def of_reading(
    decimals: int, steps: Iterable[Correction], slope_a_second: float, clock_u_ms: float | None
) -> Sure:
    """Return how sure a measured reading is.

    Args:
        decimals: of its quantity, what it is resolved to. steps: those that it passed. clock_u_ms:
            how sure its instant is (k = 2), None where nobody put its clock right.

    A sensor that nobody calibrated or tied to anything is unsure by an amount that is not known.
    Tied to what was read by hand its calibration is replaced: what is left is that of the tie.
    """
    its = list(steps)
    shares = [Share("resolution", 10.0**-decimals / math.sqrt(12))]
    known = _said(its, Order.REFERENCE, "reference") or _said(its, Order.CALIBRATION, "calibration")
    if clock_u_ms is not None:
        shares.append(Share("clock", abs(slope_a_second) * clock_u_ms / 2000))
    return Sure((*known, *shares), is_least=not known)


def _said(steps: Sequence[Correction], order: Order, kind: Kind) -> tuple[Share, ...]:
    said = (float(one.parameters.get("u", 0.0)) / 2 for one in steps if one.does.order is order)
    return tuple(Share(kind, u) for u in said if u > 0)


def of_fill(decimals: int, half_width: float, steps: Iterable[Correction]) -> Sure:
    """Return how sure an estimated reading is: U² = (2u)² + B², u what the readings around it are
    unsure of (`of_reading`), B half the width of its band (95 %).

    Args:
        steps: those that the readings around it passed.
    """
    around = of_reading(decimals, steps, 0.0, None)
    return Sure((Share("fill", half_width / 2), *around.shares), around.is_least)


def through(
    formula: Formula, parameters: Mapping[str, float], inputs: Sequence[tuple[str, float, Sure]],
    steps: Iterable[Correction],
) -> Sure:  # fmt: skip
    """Return how sure a value is that a formula makes of others.

    Args:
        inputs: name, value and how sure it is, by role; steps: that the calculated value passed.

    Each share of an input goes through with the slope of the formula there. Tied to what was read
    by hand, what is constant (calibrations) is replaced by the tie. A formula that looks back over
    time is as sure as its input at least: random shares shrink in a mean, so that is the larger
    bound.
    """
    tied = _said(list(steps), Order.REFERENCE, "reference")
    shares: list[Share] = []
    for place, (name, _, sure) in enumerate(inputs):
        slope = abs(_slope(formula, parameters, [value for _, value, _ in inputs], place))
        for one in sure.shares:
            if tied and one.kind in ("calibration", "reference"):
                continue
            shares.append(replace(one, u=one.u * slope, of=one.of or name))
    is_least = not tied and any(sure.is_least for _, _, sure in inputs)
    return Sure((*tied, *shares), is_least)


def _slope(
    formula: Formula, parameters: Mapping[str, float], values: Sequence[float], place: int
) -> float:
    """Return by how much a formula's value changes with one input, by a small step either way."""
    if formula.over is not None:
        return 1.0
    step = 1e-4 * max(abs(values[place]), 1.0)
    ends = []
    for sign in (1, -1):
        moved = [np.array([v + (sign * step if i == place else 0)]) for i, v in enumerate(values)]
        with np.errstate(all="ignore"):
            ends.append(float(formula.apply(tuple(moved), parameters)[0][0]))
    slope = (ends[0] - ends[1]) / (2 * step)
    return slope if math.isfinite(slope) else 0.0
