"""One list of what could fill a gap: the methods are tried and measured against each other.

Estimates, the simplest first, each with its measured error.

Source: docs/calculations.md, "Fills".
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.signal import correlate

from gezeiten.domain.quantities.quantities import Quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.timeline import HOUR_MS, Span, Times, Values
from gezeiten.domain.steps.calculation import EXTRA_DECIMALS, at_instants
from gezeiten.domain.steps.filling.cycles import columns, daily, may_be_of_water, tidal
from gezeiten.domain.steps.filling.fitting import Matrix, fitted
from gezeiten.domain.steps.filling.hidden_periods import (
    BESIDE,
    LEAST,
    WORDED,
    at_that_time_of_day,
    count_disjoint,
    possible_starts,
    sample_starts,
)
from gezeiten.domain.steps.filling.joining import faded
from gezeiten.domain.steps.filling.measuring import Errors, Model, ends_of, half_widths, measured
from gezeiten.domain.steps.filling.scales import MORE, Scale, scale_of
from gezeiten.domain.steps.filling.sums import by_sums
from gezeiten.domain.steps.filling.unrest import (
    LEAST_ALIKE,
    WIDENED,
    SimilarPeriods,
    Unrest,
    similar_spans,
)
from gezeiten.domain.steps.formulas.formula import Role

Kind = Literal["line", "own", "companion", "companion and own"]
_LAG_MS, _LAG_OF_WATER_MS = HOUR_MS, 6 * HOUR_MS
_BETTER = 0.95
"""A lag is kept where it brings the error below so much of what it was."""
_OUT_OF_RANGE = 0.1
_SURELY, _MOSTLY = 2.0, 0.9
_STEP = 1.25
"""So much more than on hidden stretches both ends are apart where the gap holds a step: forty tell
the largest of a hundred only roughly."""


@dataclass(frozen=True, slots=True)
class Companion:
    """A series that may help. name: for people; series: its readings around the gap, with the lag
    on either side; quantity: what it measures."""

    name: str
    series: Series
    quantity: Quantity


@dataclass(frozen=True, slots=True)
class Candidate:
    """A way to fill a gap. facts: by what (companion, lag_ms, cycles, fade); fill: estimates at the
    due instants that it can say something about; low, high: the band of 95 % for each, (n,); rmse:
    of single readings, in the series' unit; is_worded: the band holds "at least"; unrest: the gap
    begins or ends in unrest, and the band was measured on stretches that do alike, or only widened;
    is_beyond: a companion leaves the range it was known in, so no band is promised; refusal: why it
    cannot serve, "" where it can; of_sum: the error is that of the sum, and there is no band.
    """

    kind: Kind
    facts: dict[str, Any]
    fill: Series
    low: Values
    high: Values
    rmse: float
    periods: int
    by_period: Values
    is_worded: bool = False
    unrest: Literal["", "measured", "not measured"] = ""
    is_beyond: bool = False
    refusal: str = ""
    of_sum: bool = False


@dataclass(frozen=True, slots=True)
class _MethodContext:
    """What all ways of filling have in common. at: the place of the first reading after the gap."""

    series: Series
    gap: Gap
    quantity: Quantity
    scale: Scale
    values: Values
    starts: NDArray[np.intp]
    due: Times
    at: int
    companions: Sequence[Companion] = field(default_factory=tuple)
    in_unrest: SimilarPeriods | None = None

    @property
    def span(self) -> Span:
        return int(self.series.times_utc_ms[0]), int(self.series.times_utc_ms[-1]) + 1


def estimate_refusal(series: Series, gap: Gap, quantity: Quantity) -> str:
    """Return why nothing can be estimated, "" where something can.

    Args:
        series: known readings around the gap (`hidden.known`).
    """
    if quantity.averages == "direction":
        return "a direction cannot be interpolated"
    at = int(series.times_utc_ms.searchsorted(gap.start_ms))
    if quantity.averages != "sum" and (at < BESIDE or at + BESIDE > len(series)):
        return "no reading before or after it"
    starts = possible_starts(series, gap)
    if count_disjoint(starts, gap.missing) < LEAST:
        return "too few readings around it to measure the error"
    return ""


def straight(
    series: Series, gap: Gap, quantity: Quantity, seed: int = 0, unrest: Unrest | None = None
) -> Candidate:
    """Return the straight line over a gap, of what is not summed.

    Args:
        series: known readings around the gap, for which `estimate_refusal` is "".
    """
    return next(candidates(series, gap, quantity, seed=seed, unrest=unrest))


def _due(gap: Gap) -> Times:
    due = np.arange(gap.start_ms, gap.end_ms, gap.interval_ms, dtype=np.int64)
    return due[due <= gap.end_ms - gap.interval_ms // 2]


def _by_all_sums(
    series: Series, gap: Gap, quantity: Quantity, companions: Sequence[Companion], seed: int
) -> Iterator[Candidate]:
    """Yield what companions give for what is summed."""
    due, digits = _due(gap), quantity.decimals + EXTRA_DECIMALS
    for which, one in enumerate(companions):
        facts = {"companion": one.name, "which": which, "lag_ms": 0}
        made = by_sums(series, gap, due, one.series, seed)
        if made.refusal:
            yield _no_candidate(gap, "companion", facts, made.refusal)
            continue
        can = np.isfinite(made.values)
        values = np.maximum(made.values[can], 0.0).round(digits)
        fill = make_series(due[can], values, gap.interval_ms, Quality.ESTIMATE)
        squares = made.errors**2
        yield Candidate(
            "companion",
            {**facts, "ratio": made.ratio},
            fill,
            values,
            values,
            float(np.sqrt(squares.mean())),
            len(squares),
            squares,
            made.disjoint < WORDED,
            of_sum=True,
        )


def candidates(
    series: Series,
    gap: Gap,
    quantity: Quantity,
    companions: Sequence[Companion] = (),
    seed: int = 0,
    unrest: Unrest | None = None,
) -> Iterator[Candidate]:
    """Yield what could fill a gap, the simplest and quickest first.

    Args:
        series: known readings around the gap, for which `estimate_refusal` is "".
        unrest: what is unusual beside it.
    """
    if quantity.averages == "sum":
        yield from _by_all_sums(series, gap, quantity, companions, seed)
        return
    scale = scale_of(quantity)
    possible = possible_starts(series, gap)
    starts = at_that_time_of_day(series, possible, gap)
    in_unrest = None
    if unrest is not None:
        in_unrest = similar_spans(scale.forward(series.values), possible, gap.missing, unrest)
    due = _due(gap)
    at = int(series.times_utc_ms.searchsorted(gap.start_ms))
    known = _MethodContext(
        series,
        gap,
        quantity,
        scale,
        scale.forward(series.values),
        sample_starts(starts, gap, seed),
        due,
        at,
        companions,
        in_unrest,
    )
    n, m = len(series), len(due)
    line = Model(np.empty((n, 0)), None)
    yield from _tried(known, "line", {}, line, np.empty((m, 0)))
    own, own_due, names = _own(known)
    if names:
        yield from _by_own(known, own, own_due, names)
    best: Candidate | None = None
    for i in range(len(companions)):
        for candidate in _by_companion(known, i):
            yield candidate
            if not candidate.refusal and (
                best is None or _scaled_error(candidate) < _scaled_error(best)
            ):
                best = candidate
    if best is not None and names:
        yield from _by_both(known, best, own, own_due, names)


def ranked(found: Sequence[Candidate]) -> list[Candidate]:
    """Return those that can serve, the best first. Where a simpler one is worse by less than a
    standard error of their difference it stands before."""
    serving = [candidate for candidate in found if not candidate.refusal]
    if not serving:
        return []
    best = min(serving, key=_scaled_error)
    simplest = next(one for one in serving if _is_as_good(one, best))
    return [simplest, *sorted((one for one in serving if one is not simplest), key=_scaled_error)]


def _scaled_error(candidate: Candidate) -> float:
    """How far off a way is, in the scale in which all ways are compared."""
    return float(candidate.by_period.mean())


def is_significantly_better(candidate: Candidate, other: Candidate) -> bool:
    """Whether one way does better than another candidate: by more than two standard errors of their
    difference over all hidden stretches, and on nine of ten of these."""
    if (
        candidate is other
        or len(candidate.by_period) != len(other.by_period)
        or not len(candidate.by_period)
    ):
        return False
    difference = other.by_period - candidate.by_period
    error = float(difference.std(ddof=1)) / np.sqrt(len(difference))
    is_more = difference.mean() > _SURELY * error
    return bool(is_more and (difference > 0).mean() >= _MOSTLY)


def _is_as_good(candidate: Candidate, best: Candidate) -> bool:
    if candidate is best:
        return True
    if len(candidate.by_period) != len(best.by_period):
        return False
    difference = candidate.by_period - best.by_period
    error = float(difference.std(ddof=1)) / np.sqrt(len(difference))
    return bool(difference.mean() < error)


# -- ways --------------------------------------------------------------------------------------
def _own(known: _MethodContext) -> tuple[Matrix, Matrix, list[str]]:
    """Return the columns of the series' own cycles at known and due instants, and their names."""
    length_ms = known.span[1] - known.span[0]
    of_water = may_be_of_water(known.quantity.unit) and known.quantity.key != "air_pressure"
    cycles = tidal(length_ms) if of_water else daily(length_ms)
    origin = known.gap.start_ms
    both = [
        np.column_stack((np.ones(len(times)), columns(times, cycles, origin)))
        for times in (known.series.times_utc_ms, known.due)
    ]
    return both[0], both[1], [name for name, _ in cycles]


def _by_own(
    known: _MethodContext, own: Matrix, due: Matrix, names: list[str]
) -> Iterator[Candidate]:
    fit, facts = fitted(own, known.values), {"cycles": names}
    if fit is None:
        yield _refused(known, "own", facts, "too few readings to find cycles")
        return
    yield from _tried(known, "own", facts, Model(own, fit), due)


def _of_companion(known: _MethodContext, which: int, lag_ms: int, times: Times) -> Values:
    """Return what a companion shows a lag before some instants, in the scale of the series; NaN
    where it has no measured reading."""
    its = known.companions[which]
    role = Role(its.quantity.name, its.quantity.unit)
    values, codes = at_instants(its.series, times - lag_ms, role, its.quantity.averages)
    values = np.where(codes == Quality.ESTIMATE, np.nan, values)
    return scale_of(its.quantity).forward(values)


def _with_companion(known: _MethodContext, which: int, lag_ms: int) -> tuple[Matrix, Matrix]:
    both = [
        _of_companion(known, which, lag_ms, times)
        for times in (known.series.times_utc_ms, known.due)
    ]
    middle = float(np.nanmean(both[0])) if np.isfinite(both[0]).any() else 0.0
    first, second = (np.column_stack((np.ones(len(one)), one - middle)) for one in both)
    return first, second


def _by_companion(known: _MethodContext, which: int) -> Iterator[Candidate]:
    name = known.companions[which].name
    best: Candidate | None = None
    for lag_ms in dict.fromkeys((0, _lag(known, which))):
        design, due = _with_companion(known, which, lag_ms)
        facts = {"companion": name, "which": which, "lag_ms": lag_ms}
        fit = fitted(design, known.values)
        if fit is None:
            yield _refused(known, "companion", facts, "it has too few readings at the same time")
            return
        for candidate in _tried(known, "companion", facts, Model(design, fit), due):
            if (
                best is None
                or best.refusal
                or (
                    not candidate.refusal
                    and _scaled_error(candidate) < _BETTER**2 * _scaled_error(best)
                )
            ):
                best = candidate
    if best is not None:
        yield _in_range(known, which, best)


def _by_both(
    known: _MethodContext, best: Candidate, own: Matrix, own_due: Matrix, names: list[str]
) -> Iterator[Candidate]:
    which, lag_ms = best.facts["which"], best.facts["lag_ms"]
    design, due = _with_companion(known, which, lag_ms)
    design, due = (
        np.column_stack((one, cycles[:, 1:])) for one, cycles in ((design, own), (due, own_due))
    )
    fit = fitted(design, known.values)
    if fit is not None:
        facts = {**best.facts, "cycles": names}
        for candidate in _tried(known, "companion and own", facts, Model(design, fit), due):
            yield _in_range(known, which, candidate)


def _in_range(known: _MethodContext, which: int, candidate: Candidate) -> Candidate:
    """Say where a companion leaves the range it was known in by more than a tenth."""
    lag_ms = candidate.facts["lag_ms"]
    there = _of_companion(known, which, lag_ms, known.series.times_utc_ms)
    here = _of_companion(known, which, lag_ms, known.due)
    if not np.isfinite(here).any() or not np.isfinite(there).any():
        return candidate
    low, high = float(np.nanmin(there)), float(np.nanmax(there))
    more = _OUT_OF_RANGE * (high - low)
    is_beyond = bool(np.nanmin(here) < low - more or np.nanmax(here) > high + more)
    return replace(candidate, is_beyond=is_beyond)


def _lag(known: _MethodContext, which: int) -> int:
    """Return by how much a companion runs ahead, ms: where the first differences of both go
    together most; 0 where that is at the edge of what is looked at."""
    step = known.gap.interval_ms
    longest = _LAG_OF_WATER_MS if may_be_of_water(known.quantity.unit) else _LAG_MS
    most = longest // step
    if most < 1:
        return 0
    grid = np.arange(known.span[0], known.span[1], step, dtype=np.int64)
    role = Role("", known.quantity.unit)
    own, _ = at_instants(known.series, grid, role)
    other = _of_companion(known, which, 0, grid)
    a, b = (np.nan_to_num(np.diff(one)) for one in (own, other))
    together = correlate(a, b, mode="full", method="fft")
    middle = len(b) - 1
    near = together[middle - most : middle + most + 1]
    at = int(np.argmax(np.abs(near)))
    return 0 if at in (0, len(near) - 1) else (at - most) * step


# -- trying one ----------------------------------------------------------------------------------
def _tried(
    known: _MethodContext, kind: Kind, facts: dict[str, Any], model: Model, due: Matrix
) -> Iterator[Candidate]:
    errors = measured(model, known.series, known.values, known.starts, known.gap.missing)
    if errors is None:
        yield _refused(known, kind, facts, "too few readings to measure the error")
        return
    none = np.zeros(model.design.shape[1])
    coefficients = model.fit.coefficients if model.fit is not None else none
    left, right = ends_of(model, coefficients, known.values, known.at, known.at)
    if model.fit is not None and abs(right - left) > _STEP * errors.most_step:
        yield _refused(known, kind, facts, "the level differs before and after the gap")
        return
    times = known.series.times_utc_ms
    begin, end = times[known.at - 1], times[known.at]
    shares = (known.due - begin) / (end - begin)
    guess = due @ coefficients + faded(left, right, shares, errors.fade)
    widths, unrest, its = _widths(known, model, errors)
    widths = _at_each(widths, len(guess))
    guess, widths = _over_holes(guess, widths)
    can = np.isfinite(guess)
    if can.mean() < 0.9:
        yield _refused(known, kind, facts, "it has no readings in the gap either")
        return
    made = _candidate(
        known, kind, {**facts, "fade": errors.fade}, (guess[can], widths[can], can), errors
    )
    if its is not None:
        worse = _rmse(known.scale, its, made.fill.values)
        made = replace(made, rmse=max(made.rmse, worse))
    yield replace(made, unrest=unrest)


def _widths(
    known: _MethodContext, model: Model, errors: Errors
) -> tuple[Values, Literal["", "measured", "not measured"], Errors | None]:
    """Return half the band at each place of the gap: beside what is unusual that of stretches which
    begin alike where there are enough, and no narrower than the ordinary one; and their errors."""
    usual = half_widths(errors)
    alike = known.in_unrest
    if alike is None:
        return usual, "", None
    its = measured(
        model, known.series, known.values, alike.starts, known.gap.missing, errors.fade, alike.sizes
    )
    if its is None:
        return WIDENED * usual, "not measured", None
    widened = half_widths(its)
    if its.disjoint >= LEAST_ALIKE:
        return np.maximum(usual, widened), "measured", its
    return np.maximum(WIDENED * usual, widened), "not measured", its


def _over_holes(guess: Values, widths: Values) -> tuple[Values, Values]:
    """Return estimates with single readings that a companion lacked put on the line between those
    beside them, their band as much wider as these are apart."""
    holes = np.flatnonzero(~np.isfinite(guess))
    inner = holes[(holes > 0) & (holes < len(guess) - 1)]
    alone = inner[np.isfinite(guess[inner - 1]) & np.isfinite(guess[inner + 1])]
    guess, widths = guess.copy(), widths.copy()
    before, after = guess[alone - 1], guess[alone + 1]
    guess[alone] = (before + after) / 2
    widths[alone] = np.hypot(widths[alone], np.abs(after - before) / 2)
    return guess, widths


def _at_each(widths: Values, many: int) -> Values:
    """Return half-widths for as many instants as are due: one more or less than the gap counts."""
    return widths[np.minimum(np.arange(many), len(widths) - 1)]


def _candidate(
    known: _MethodContext,
    kind: Kind,
    facts: dict[str, Any],
    made: tuple[Values, Values, NDArray[np.bool_]],
    errors: Errors,
) -> Candidate:
    guess, widths, can = made
    decimals = known.quantity.decimals
    digits, least = decimals + EXTRA_DECIMALS, 0.5 * 10.0**-decimals
    values = known.scale.unscale(guess)
    low = np.minimum(known.scale.unscale(guess - widths), values - least)
    high = np.maximum(known.scale.unscale(guess + widths), values + least)
    low, high = known.scale.clipped(low.round(digits)), known.scale.clipped(high.round(digits))
    fill = make_series(
        known.due[can],
        np.round(known.scale.clipped(values), digits) + 0.0,
        known.gap.interval_ms,
        Quality.ESTIMATE,
    )
    return Candidate(
        kind,
        facts,
        fill,
        low,
        high,
        _rmse(known.scale, errors, values),
        len(errors.by_period),
        errors.by_period,
        errors.is_worded,
    )


def _rmse(scale: Scale, errors: Errors, values: Values) -> float:
    """Return the error to be expected of single readings, as they are recorded. On a logarithmic
    scale errors grow with the values: it is that of the values that were filled in."""
    if scale.is_log:
        grows = float(np.mean((values + MORE) ** 2))
        return float(np.sqrt(grows * np.nanmean((1 - np.exp(-errors.of)) ** 2)))
    off = scale.clipped(errors.known + errors.of) - errors.known
    return float(np.sqrt(np.nanmean(off**2)))


def _refused(known: _MethodContext, kind: Kind, facts: dict[str, Any], reason: str) -> Candidate:
    return _no_candidate(known.gap, kind, facts, reason)


def _no_candidate(gap: Gap, kind: Kind, facts: dict[str, Any], reason: str) -> Candidate:
    nothing = np.empty(0)
    empty = make_series(np.empty(0, np.int64), nothing, gap.interval_ms, Quality.ESTIMATE)
    return Candidate(kind, facts, empty, nothing, nothing, float("nan"), 0, nothing, refusal=reason)
