"""How sure a corrected value is: ± U (k = 2) and its shares.

Source: docs/calculations.md, "Uncertainty"; first-order propagation after JCGM 100:2008, 5.1.2.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.chain import Correction, in_order
from gezeiten.domain.steps.corrections import Order
from gezeiten.domain.steps.corrections.marks import mark_of

Kind = Literal["calibration", "reference", "resolution", "clock", "fill"]


@dataclass(frozen=True, slots=True)
class UncertaintyShare:
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
class Uncertainty:
    """All shares. is_least: one of them is not known, so the value is at least so unsure."""

    shares: tuple[UncertaintyShare, ...]
    is_least: bool

    @property
    def has_value(self) -> bool:
        """Whether it tells anything: of a sensor that nobody calibrated resolution alone does
        not."""
        return not self.is_least or any(share.kind != "resolution" for share in self.shares)

    @property
    def expanded(self) -> float:
        """± U, k = 2."""
        return 2 * math.hypot(*(share.u for share in self.shares))


def of_reading(
    decimals: int,
    steps: Iterable[Correction],
    raw: Series,
    slope_a_second: float,
    clock_u_ms: float | None,
) -> Uncertainty:
    """Return how sure a measured reading is.

    Args:
        decimals: of its quantity, what it is resolved to. steps: those that it passed, raw: the
            reading before them, (1,). slope_a_second: of the record as it stands. clock_u_ms: how
            sure its instant is (k = 2), None where nobody put its clock right.

    A sensor that nobody calibrated or tied to anything is unsure by an amount that is not known.
    Tied to what was read by hand its calibration is replaced: what is left is that of the tie.
    """
    bare = Uncertainty(
        (UncertaintyShare("resolution", 10.0**-decimals / math.sqrt(12)),), is_least=True
    )
    uncertainty = propagate_through(bare, steps, raw)
    if clock_u_ms is None:
        return uncertainty
    clock = UncertaintyShare("clock", abs(slope_a_second) * clock_u_ms / 2000)
    return replace(uncertainty, shares=(*uncertainty.shares, clock))


def propagate_through(
    uncertainty: Uncertainty, steps: Iterable[Correction], value: Series
) -> Uncertainty:
    """Return how sure a value is once it passed the steps of a chain, in their order.

    Each share is multiplied by the slope of every step that comes after what it is of: a gain of 2
    doubles what an offset before it is unsure of. A calibration adds its own share; a tie replaces
    what is constant. Source: JCGM 100:2008, 5.1.2, step by step.

    Args:
        value: before the steps, (1,).
    """
    shares, is_least = list(uncertainty.shares), uncertainty.is_least
    for step in in_order([one for one in steps if one.is_on]):
        slope, value = _through_step(step, value)
        shares = [replace(share, u=share.u * slope) for share in shares]
        own = float(step.parameters.get("u", 0.0)) / 2
        if own <= 0:
            continue
        if step.does.order is Order.CALIBRATION:
            shares.insert(0, UncertaintyShare("calibration", own, step=step.uid))
            is_least = False
        elif step.does.order is Order.REFERENCE:
            stays = [share for share in shares if share.kind not in ("calibration", "reference")]
            shares, is_least = [UncertaintyShare("reference", own, step=step.uid), *stays], False
    return Uncertainty(tuple(shares), is_least)


def _through_step(step: Correction, value: Series) -> tuple[float, Series]:
    """Return the slope of a step at a value, 1 where it takes it out, and the value behind it."""
    if not len(value) or mark_of(step.kind, step.parameters):
        return 1.0, value
    x = float(value.values[0])
    h = 1e-4 * max(abs(x), 1.0)
    ends = [_apply_step(step, value, by) for by in (-h, 0.0, h)]
    below, there, above = (float(one.values[0]) if len(one) else math.nan for one in ends)
    slope = (above - below) / (2 * h)
    return (slope if math.isfinite(slope) else 1.0), ends[1] if math.isfinite(there) else value


def _apply_step(step: Correction, value: Series, by: float) -> Series:
    moved = replace(value, values=value.values + by)
    with np.errstate(all="ignore"):
        return step.does.apply(moved, step.parameters, step.start_ms, step.until_ms)


def of_fill(
    decimals: int, half_width: float, steps: Iterable[Correction], raw: Series
) -> Uncertainty:
    """Return how sure an estimated reading is: U² = (2u)² + B², u what the readings around it are
    unsure of (`of_reading`), B half the width of its band (95 %).

    Args:
        steps: those that the readings around it passed; raw: one of these before them, (1,).
    """
    around = of_reading(decimals, steps, raw, 0.0, None)
    return Uncertainty((UncertaintyShare("fill", half_width / 2), *around.shares), around.is_least)


@dataclass(frozen=True, slots=True)
class AveragedPeriod:
    """What a mean or a sum over a stretch rests on.

    segments: shares of its held time, with how sure a reading is there without its clock; readings:
    how many; rise: last minus first value; length_s: of the stretch; fills: of each fill its share
    of the held time and half its band; sums: of each filled sum its expected error (rms).
    """

    segments: tuple[tuple[float, Uncertainty], ...]
    readings: int
    rise: float
    length_s: float
    clock_u_ms: float | None = None
    fills: tuple[tuple[float, float], ...] = ()
    sums: tuple[float, ...] = ()


def of_mean(over: AveragedPeriod) -> Uncertainty:
    """Return how sure the mean of a stretch is.

    What is random (resolution) shrinks with the number of readings; calibrations, ties and a
    clock's error do not, nor within one gap that of a fill; fills of different gaps err apart. Of
    several calibrations the shares add up as they stand: they may well be of one laboratory.
    """
    shares = [
        UncertaintyShare(
            "resolution", _weighed(over, "resolution") / math.sqrt(max(over.readings, 1))
        )
    ]
    for kind in ("calibration", "reference"):
        u = _weighed(over, kind)
        if u > 0:
            rested_on = {
                one.step for _, its in over.segments for one in its.shares if one.kind == kind
            }
            shares.append(UncertaintyShare(kind, u, step=",".join(sorted(rested_on))))
    if over.clock_u_ms is not None and over.length_s > 0:
        shares.append(
            UncertaintyShare("clock", abs(over.rise) / over.length_s * over.clock_u_ms / 2000)
        )
    fills = math.hypot(*(share * half / 2 for share, half in over.fills))
    if fills > 0:
        shares.append(UncertaintyShare("fill", fills))
    return Uncertainty(tuple(shares), is_least=any(its.is_least for _, its in over.segments))


def _weighed(over: AveragedPeriod, kind: str) -> float:
    """Return the shares of a kind, each part's by how much of the stretch it is."""
    return sum(
        share * math.hypot(*(one.u for one in its.shares if one.kind == kind))
        for share, its in over.segments
    )


def of_sum(over: AveragedPeriod) -> Uncertainty:
    """Return how sure the sum of all readings of a stretch is: what is random grows with the root
    of their number, calibrations with their number; filled sums err apart."""
    return of_mean_of_sums(over, np.ones(over.readings, np.int64), 1)


def of_mean_of_sums(over: AveragedPeriod, counts: NDArray[np.int64], sums: int) -> Uncertainty:
    """Return how sure the mean of running sums is: of readings that stand in several of them each.

    Random errors of a reading go in by how often it counts; calibrations as often as all readings
    together do; a filled sum no more than the reading that counts most.

    Args:
        over: the readings that any of the sums is of. counts: in how many of the sums each of them
            stands, (n,); sums: how many there are.
    """
    weights = counts / max(sums, 1)
    mean = of_mean(replace(over, clock_u_ms=None, fills=()))
    once = {"resolution": math.sqrt(over.readings * float((weights**2).sum()))}
    every = float(weights.sum())
    shares = [replace(share, u=share.u * once.get(share.kind, every)) for share in mean.shares]
    filled = math.hypot(*over.sums) * float(weights.max(initial=0.0))
    return Uncertainty(
        (*shares, *([UncertaintyShare("fill", filled)] if filled else [])), mean.is_least
    )


def over_window(
    name: str, gathered: Uncertainty, steps: Iterable[Correction], value: Series
) -> Uncertainty:
    """Return how sure a value is that a formula makes of a window of one input.

    Args:
        gathered: how sure the mean, the sum, the extreme or the slope of the window is; steps: of
            the calculated value's own chain; value: before these steps, (1,). A kinetic mean is as
            sure as the mean: equal errors of all its readings shift it by as much.
    """
    shares = tuple(replace(share, of=share.of or name) for share in gathered.shares)
    return propagate_through(Uncertainty(shares, gathered.is_least), steps, value)


def times(uncertainty: Uncertainty, factor: float) -> Uncertainty:
    """Return how sure a value is times an exact number."""
    return replace(
        uncertainty,
        shares=tuple(replace(share, u=share.u * factor) for share in uncertainty.shares),
    )


def of_slope(uncertainty: Uncertainty, hours: Values) -> Uncertainty:
    """Return how sure the slope of the least-squares line through readings is, a unit an hour.

    What is random in each reading goes in by 1 / sqrt(sum of (t - mean t)^2); what all have alike
    (a calibration, a tie, the clock's error) shifts the line and leaves its slope.

    Args:
        uncertainty: how sure a reading is; hours: their instants, (n,), not all the same.
    """
    spread = math.sqrt(float(((hours - hours.mean()) ** 2).sum()))
    shares = [
        replace(share, u=share.u / spread)
        for share in uncertainty.shares
        if share.kind == "resolution"
    ]
    return Uncertainty(tuple(shares), uncertainty.is_least)
