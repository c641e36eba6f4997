"""How sure a corrected value is: ± U (k = 2) and its shares.

Source: docs/calculations.md, "Uncertainty"; first-order propagation after JCGM 100:2008, 5.1.2.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.chain import Correction
from gezeiten.domain.steps.corrections import Order
from gezeiten.domain.steps.formulas.formula import Formula

Kind = Literal["calibration", "reference", "resolution", "clock", "fill"]


@dataclass(frozen=True, slots=True)
class Share:
    """A part of what a value is not sure of. of: the input that it comes from, "" of its own; u:
    standard uncertainty, in the unit of the value, with the sign with which it goes into it; step:
    the step of a chain that it comes from: whatever rests on one step errs together, "" else."""

    kind: Kind
    u: float
    of: str = ""
    step: str = ""

    @property
    def expanded(self) -> float:
        """± U, k = 2."""
        return 2 * abs(self.u)


@dataclass(frozen=True, slots=True)
class Sure:
    """All shares. is_least: one of them is not known, so the value is at least so unsure."""

    shares: tuple[Share, ...]
    is_least: bool

    @property
    def is_known(self) -> bool:
        """Whether it tells anything: of a sensor that nobody calibrated resolution alone does
        not."""
        return not self.is_least or any(one.kind != "resolution" for one in self.shares)

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
    known = _known(its)
    if clock_u_ms is not None:
        shares.append(Share("clock", abs(slope_a_second) * clock_u_ms / 2000))
    return Sure((*known, *shares), is_least=not known)


def _said(steps: Sequence[Correction], order: Order, kind: Kind) -> tuple[Share, ...]:
    said = [(float(one.parameters.get("u", 0.0)) / 2, one.uid) for one in steps
            if one.does.order is order]  # fmt: skip
    return tuple(Share(kind, u, step=uid) for u, uid in said if u > 0)


def of_fill(decimals: int, half_width: float, steps: Iterable[Correction]) -> Sure:
    """Return how sure an estimated reading is: U² = (2u)² + B², u what the readings around it are
    unsure of (`of_reading`), B half the width of its band (95 %).

    Args:
        steps: those that the readings around it passed.
    """
    around = of_reading(decimals, steps, 0.0, None)
    return Sure((Share("fill", half_width / 2), *around.shares), around.is_least)


@dataclass(frozen=True, slots=True)
class Stretch:
    """What a mean or a sum over a stretch rests on.

    parts: shares of its held time, with the steps of the chain that were in force there; readings:
    how many; rise: last minus first value; length_s: of the stretch; fills: of each fill its share
    of the held time and half its band; sums: of each filled sum its expected error (rms).
    """

    parts: tuple[tuple[float, tuple[Correction, ...]], ...]
    readings: int
    rise: float
    length_s: float
    clock_u_ms: float | None = None
    fills: tuple[tuple[float, float], ...] = ()
    sums: tuple[float, ...] = ()


def of_mean(decimals: int, over: Stretch) -> Sure:
    """Return how sure the mean of a stretch is.

    What is random (resolution) shrinks with the number of readings; calibrations, ties and a
    clock's error do not, nor within one gap that of a fill; fills of different gaps err apart. Of
    several calibrations the shares add up as they stand: they may well be of one laboratory.
    """
    resolution = 10.0**-decimals / math.sqrt(12)
    shares = [Share("resolution", resolution / math.sqrt(max(over.readings, 1)))]
    known = [(share, _known(steps)) for share, steps in over.parts]
    for kind in ("calibration", "reference"):
        u = sum(share * math.hypot(*(one.u for one in its if one.kind == kind))
                for share, its in known)  # fmt: skip
        if u > 0:
            rested_on = {one.step for _, its in known for one in its if one.kind == kind}
            shares.append(Share(kind, u, step=",".join(sorted(rested_on))))
    if over.clock_u_ms is not None and over.length_s > 0:
        shares.append(Share("clock", abs(over.rise) / over.length_s * over.clock_u_ms / 2000))
    fills = math.hypot(*(share * half / 2 for share, half in over.fills))
    if fills > 0:
        shares.append(Share("fill", fills))
    return Sure(tuple(shares), is_least=not all(its for _, its in known))


def of_sum(decimals: int, over: Stretch) -> Sure:
    """Return how sure the sum of all readings of a stretch is: what is random grows with the root
    of their number, calibrations with their number; filled sums err apart."""
    return of_mean_of_sums(decimals, over, np.ones(over.readings, np.int64), 1)


def of_mean_of_sums(decimals: int, over: Stretch, counts: NDArray[np.int64], sums: int) -> Sure:
    """Return how sure the mean of running sums is: of readings that stand in several of them each.

    Random errors of a reading go in by how often it counts; calibrations as often as all readings
    together do; a filled sum no more than the reading that counts most.

    Args:
        over: the readings that any of the sums is of. counts: in how many of the sums each of them
            stands, (n,); sums: how many there are.
    """
    weights = counts / max(sums, 1)
    mean = of_mean(decimals, replace(over, clock_u_ms=None, fills=()))
    once = {"resolution": math.sqrt(over.readings * float((weights**2).sum()))}
    every = float(weights.sum())
    shares = [replace(one, u=one.u * once.get(one.kind, every)) for one in mean.shares]
    filled = math.hypot(*over.sums) * float(weights.max(initial=0.0))
    return Sure((*shares, *([Share("fill", filled)] if filled else [])), mean.is_least)


def _known(steps: Sequence[Correction]) -> tuple[Share, ...]:
    """Return the shares of what a sensor was calibrated by, or tied to instead."""
    its = list(steps)
    return _said(its, Order.REFERENCE, "reference") or _said(its, Order.CALIBRATION, "calibration")


def through(
    formula: Formula, parameters: Mapping[str, float], inputs: Sequence[tuple[str, float, Sure]],
    steps: Iterable[Correction],
) -> Sure:  # fmt: skip
    """Return how sure a value is that a formula makes of others.

    Args:
        inputs: name, value and how sure it is, by role; steps: that the calculated value passed.

    Each share of an input goes through with the slope of the formula there; what two inputs share
    (a calibration of one sensor) with both, added with their signs. Tied to what was read
    by hand, what is constant (calibrations) is replaced by the tie. Of a formula that looks back
    over time see `over_window`.
    """
    shares: list[Share] = []
    for place, (name, _, sure) in enumerate(inputs):
        slope = _slope(formula, parameters, [value for _, value, _ in inputs], place)
        shares += [replace(one, u=one.u * slope, of=one.of or name) for one in sure.shares]
    is_least = any(sure.is_least for _, _, sure in inputs)
    return _tied(Sure(tuple(_together(shares)), is_least), steps)


def over_window(name: str, gathered: Sure, steps: Iterable[Correction]) -> Sure:
    """Return how sure a value is that a formula makes of a window of one input.

    Args:
        gathered: how sure the mean, the sum, the extreme or the slope of the window is; steps: that
            the calculated value passed. A kinetic mean is as sure as the mean: equal errors of all
            its readings shift it by as much.
    """
    shares = tuple(replace(one, of=one.of or name) for one in gathered.shares)
    return _tied(Sure(shares, gathered.is_least), steps)


def _tied(sure: Sure, steps: Iterable[Correction]) -> Sure:
    """Return how sure a calculated value is behind its own steps: a tie replaces what is
    constant."""
    tied = _said(list(steps), Order.REFERENCE, "reference")
    if not tied:
        return sure
    stays = [one for one in sure.shares if one.kind not in ("calibration", "reference")]
    return Sure((*tied, *stays), is_least=False)


def of_slope(one: Sure, hours: Values) -> Sure:
    """Return how sure the slope of the least-squares line through readings is, a unit an hour.

    What is random in each reading goes in by 1 / sqrt(sum of (t - mean t)^2); what all have alike
    (a calibration, a tie, the clock's error) shifts the line and leaves its slope.

    Args:
        one: how sure a reading is; hours: their instants, (n,), not all the same.
    """
    spread = math.sqrt(float(((hours - hours.mean()) ** 2).sum()))
    shares = [replace(share, u=share.u / spread) for share in one.shares
              if share.kind == "resolution"]  # fmt: skip
    return Sure(tuple(shares), one.is_least)


def _together(shares: Iterable[Share]) -> list[Share]:
    """Return shares with those that come from one step added up, with their signs: the difference
    of two series by one sensor is not unsure of its calibration."""
    found: dict[tuple[str, str], Share] = {}
    alone: list[Share] = []
    for one in shares:
        if not one.step:
            alone.append(one)
            continue
        before = found.get((one.kind, one.step))
        if before is None:
            found[one.kind, one.step] = one
            continue
        names = " and ".join(dict.fromkeys((before.of, one.of)))
        found[one.kind, one.step] = replace(before, u=before.u + one.u, of=names)
    return [*found.values(), *alone]


def _slope(
    formula: Formula, parameters: Mapping[str, float], values: Sequence[float], place: int
) -> float:
    """Return by how much a formula's value changes with one input, by a small step either way."""
    step = 1e-4 * max(abs(values[place]), 1.0)
    ends = []
    for sign in (1, -1):
        moved = [np.array([v + (sign * step if i == place else 0)]) for i, v in enumerate(values)]
        with np.errstate(all="ignore"):
            ends.append(float(formula.apply(tuple(moved), parameters)[0][0]))
    slope = (ends[0] - ends[1]) / (2 * step)
    return slope if math.isfinite(slope) else 0.0
