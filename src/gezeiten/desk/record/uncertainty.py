"""How sure a reading is, measured, calculated or estimated, by what was said of its chain."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.clocks import clocks_in_force
from gezeiten.archive.queries.corrections import chain_of
from gezeiten.archive.queries.steps import active_steps
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import read_around, record, uncorrected
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.clocks.clock_uncertainty import clock_u_ms
from gezeiten.domain.series.series import Series, clip_holds
from gezeiten.domain.series.series_keys import channel_of, is_derived
from gezeiten.domain.series.timeline import HOUR_MS, Span, Times
from gezeiten.domain.steps.calculated_series import CalculatedSeries
from gezeiten.domain.steps.calculation import at_instants
from gezeiten.domain.steps.chain import Correction, in_order
from gezeiten.domain.steps.checks.comparing import slope_a_second
from gezeiten.domain.steps.fills import half_band
from gezeiten.domain.steps.formulas.formula import LONGEST_MS
from gezeiten.domain.steps.propagation import through
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.domain.steps.uncertainty import (
    AveragedPeriod,
    Uncertainty,
    of_fill,
    of_mean,
    of_mean_of_sums,
    of_reading,
    of_slope,
    of_sum,
    over_window,
    times,
)


def reading_uncertainty(
    desk: Workspace, point: PointPlace, series: str, at_ms: int
) -> Uncertainty | None:
    """Return how sure the reading of a series at an instant is, None where it has none.

    Raises:
        ArchiveDamagedError: readings around it are damaged.
    """
    stands = read_around(desk, point.id, series, (at_ms, at_ms + 1))
    decimals = quantity(channel_of(series)).decimals
    steps = _steps(desk, point, series, (at_ms, at_ms + 1))
    with desk.archive.reading() as session:
        how = layout(session).calculated(point.id, series)
        fills = [
            one
            for one in active_steps(session, point.id).get(point.id, [])
            if one.does.has_estimates and one.channel == series and one.touches(at_ms, at_ms + 1)
        ]
        assignments = layout(session).of_series(point.id, series)
        its = {feed.mission for feed in assignments if feed.start_ms <= at_ms < feed.end_ms}
        clocks = [
            clock_u_ms(one.map, one.uncertainty, at_ms)
            for uid, one in clocks_in_force(session).items()
            if uid in its
        ]
    if fills:
        facts = fills[-1].facts
        if facts.get("of_sum"):
            return None  # how sure it is was measured of the sum alone
        half = half_band(facts, (at_ms - fills[-1].start_ms) // fills[-1].interval_ms)
        return of_fill(decimals, half, steps, _raw(desk, point, series, at_ms))
    if not len(stands.between(at_ms, at_ms + 1)):
        return None
    if how is not None:
        return _calculated(desk, how, steps, at_ms)
    raw, slope = _raw(desk, point, series, at_ms), slope_a_second(stands, at_ms)
    return of_reading(decimals, steps, raw, slope, clocks[-1] if clocks else None)


def _raw(desk: Workspace, point: PointPlace, series: str, at_ms: int) -> Series:
    """Return the reading nearest to an instant as its source gave it, (1,), or none; `given` begins
    where there is one."""
    beside = uncorrected(desk, point.id, series, (at_ms - LONGEST_MS, at_ms + LONGEST_MS))
    if not len(beside):
        return beside
    at = int(np.argmin(np.abs(beside.times_utc_ms - at_ms)))
    return beside.subset(slice(at, at + 1))


def _steps(desk: Workspace, point: PointPlace, series: str, span: Span) -> list[Correction]:
    """Return the steps of a series that are in force in a stretch, in their order."""
    with desk.archive.reading() as session:
        its = in_order(chain_of(session, point.id, series))
    return [one for one in its if one.is_on and one.touches(*span)]


def _calculated(
    desk: Workspace, calculated: CalculatedSeries, steps: list[Correction], at_ms: int
) -> Uncertainty | None:
    if calculated.formula_in_force.over is not None:
        return _over_window(desk, calculated, steps, (at_ms, at_ms))
    places = {point.uid: point for point in points(desk)}
    inputs = []
    for role, (uid, key) in zip(calculated.formula_in_force.roles, calculated.inputs, strict=True):
        series = read_around(desk, places[uid].id, key, (at_ms, at_ms + 1))
        its = quantity(channel_of(key))
        value, _ = at_instants(series, np.array([at_ms]), role, its.averages)
        uncertainty = reading_uncertainty(desk, places[uid], key, _nearest(series, at_ms))
        if uncertainty is None or not np.isfinite(value[0]):
            return None
        inputs.append((its.name, float(value[0]), uncertainty))
    return through(calculated.formula_in_force, calculated.numbers_at(at_ms), inputs, steps, at_ms)


def _single_input(desk: Workspace, calculated: CalculatedSeries) -> tuple[PointPlace, str]:
    """Return the one series that a formula which looks back over a window is of."""
    [(uid, key)] = calculated.inputs
    return _place(desk, uid), key


def _place(desk: Workspace, uid: str) -> PointPlace:
    return next(point for point in points(desk) if point.uid == uid)


def _over_window(
    desk: Workspace, calculated: CalculatedSeries, steps: list[Correction], span: Span
) -> Uncertainty | None:
    """Return how sure what looks back over a window is: at an instant, or as a mean of several,
    both ends included."""
    place, key = _single_input(desk, calculated)
    its = quantity(channel_of(key))
    length_ms, gathers = (
        calculated.formula_in_force.window_ms(calculated.numbers_at(span[0])),
        calculated.formula_in_force.gathers,
    )
    window = (span[0] - length_ms, span[1])
    if gathers in ("mean", "sum"):
        from_ms, until_ms = (window[0] + 1, window[1] + 1) if gathers == "sum" else window
        gathered = mean_uncertainty(desk, place, key, (from_ms, until_ms))
    elif gathers == "slope":
        gathered = _of_line(desk, place, key, window)
    else:
        stands, _ = clip_holds(read_around(desk, place.id, key, window), window)
        at = stands.values.argmax() if gathers == "highest" else stands.values.argmin()
        gathered = reading_uncertainty(desk, place, key, int(stands.times_utc_ms[at]))
    if gathered is None:
        return None
    last = _raw(desk, _place(desk, calculated.point), calculated.series, span[1])
    return over_window(its.name, gathered, steps, last)


def _mean_of_sums(
    desk: Workspace, calculated: CalculatedSeries, steps: list[Correction], times_utc_ms: Times
) -> Uncertainty | None:
    """Return how sure the mean of running sums at some instants is, (n,) of at least one; None
    where what they sum is calculated itself."""
    place, key = _single_input(desk, calculated)
    if is_derived(key):
        return None
    its = quantity(channel_of(key))
    window_ms = calculated.formula_in_force.window_ms(calculated.numbers_at(int(times_utc_ms[0])))
    span = (int(times_utc_ms[0]) - window_ms + 1, int(times_utc_ms[-1]) + 1)
    series = read_around(desk, place.id, key, span).between(*span)
    if not len(series):
        return None
    over = _averaged_period(
        desk, place, key, span, series, _steps(desk, place, key, span), its.decimals
    )
    at = series.times_utc_ms
    counts = times_utc_ms.searchsorted(at + window_ms) - times_utc_ms.searchsorted(at)
    gathered = of_mean_of_sums(over, counts, len(times_utc_ms))
    last = _raw(desk, _place(desk, calculated.point), calculated.series, int(times_utc_ms[-1]))
    return over_window(its.name, gathered, steps, last)


def _of_line(desk: Workspace, place: PointPlace, key: str, window: Span) -> Uncertainty | None:
    """Return how sure the slope of a line through readings is, both ends included; None where some
    are estimates: how those err together is not known."""
    series = record(desk, place.id, key, (window[0], window[1] + 1))
    if len(series) < 2 or bool(series.estimated.any()):
        return None
    uncertainty = reading_uncertainty(desk, place, key, int(series.times_utc_ms[-1]))
    return (
        None
        if uncertainty is None
        else of_slope(uncertainty, (series.times_utc_ms - window[1]) / HOUR_MS)
    )


def mean_uncertainty(
    desk: Workspace, point: PointPlace, series: str, span: Span
) -> Uncertainty | None:
    """Return how sure the mean of a stretch of a series is, the sum of what is summed; None where
    it has no reading there, and of directions.

    Of a calculated series it goes through the formula at the means of its inputs. A mean of running
    means or sums is one of all readings they look at; of running extremes and of slopes it is as
    sure as the last of them: how they err together is not known, so nothing shrinks.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    its = quantity(channel_of(series))
    stands = read_around(desk, point.id, series, span).between(*span)
    if not len(stands) or its.averages == "direction":
        return None
    with desk.archive.reading() as session:
        how = layout(session).calculated(point.id, series)
    steps = _steps(desk, point, series, span)
    if how is None:
        over = _averaged_period(desk, point, series, span, stands, steps, its.decimals)
        return of_sum(over) if its.averages == "sum" else of_mean(over)
    if how.formula_in_force.gathers == "sum":
        return _mean_of_sums(desk, how, steps, stands.times_utc_ms)
    last_ms = int(stands.times_utc_ms[-1])
    if how.formula_in_force.gathers == "mean":
        return _over_window(desk, how, steps, (int(stands.times_utc_ms[0]), last_ms))
    if how.formula_in_force.over is not None:
        return reading_uncertainty(desk, point, series, last_ms)
    return _calculated_mean(desk, how, steps, span)


def _averaged_period(
    desk: Workspace,
    point: PointPlace,
    series: str,
    span: Span,
    stands: Series,
    steps: list[Correction],
    decimals: int,
) -> AveragedPeriod:
    """Gather what a mean of measured readings rests on."""
    with desk.archive.reading() as session:
        fills = [
            one
            for one in active_steps(session, point.id).get(point.id, [])
            if one.does.has_estimates and one.channel == series and one.touches(*span)
        ]
        assignments = layout(session).of_series(point.id, series)
        its = {
            feed.mission
            for feed in assignments
            if feed.start_ms < span[1] and feed.end_ms > span[0]
        }
        ends = (max(span[0], int(stands.times_utc_ms[0])), int(stands.times_utc_ms[-1]))
        clocks = [
            clock_u_ms(one.map, one.uncertainty, at_ms)
            for uid, one in clocks_in_force(session).items()
            if uid in its
            for at_ms in (*ends, sum(ends) // 2)
        ]
    edges = sorted(
        {
            span[0],
            span[1],
            *(
                edge
                for step in steps
                for edge in (step.start_ms, step.until_ms)
                if span[0] < edge < span[1]
            ),
        }
    )
    of = (point, series)
    parts = [
        (_share(stands, part, span), _part_uncertainty(desk, of, stands, part, steps, decimals))
        for part in pairwise(edges)
    ]
    filled = [(fill, _share(stands, (fill.start_ms, fill.end_ms), span)) for fill in fills]
    return AveragedPeriod(
        tuple(one for one in parts if one[0] > 0),
        len(stands),
        float(stands.values[-1] - stands.values[0]),
        (span[1] - span[0]) / 1000,
        max(clocks, default=None),
        tuple((share, _mean_half_band(one, span)) for one, share in filled),
        tuple(float(fill.facts["rmse"]) for fill in fills if fill.facts.get("of_sum")),
    )


def _mean_half_band(step: RecordStep, span: Span) -> float:
    """Return half the band of the readings that a fill has in a stretch, on average."""
    first, last = (min(max(at, step.start_ms), step.end_ms) for at in span)
    places = range(
        (first - step.start_ms) // step.interval_ms, -(-(last - step.start_ms) // step.interval_ms)
    )
    return sum(half_band(step.facts, place) for place in places) / max(len(places), 1)


def _part_uncertainty(
    desk: Workspace,
    of: tuple[PointPlace, str],
    series: Series,
    part: Span,
    steps: list[Correction],
    decimals: int,
) -> Uncertainty:
    """Return how sure the middle reading of a part of a stretch is, without its clock."""
    there = [step for step in steps if step.touches(*part)]
    its = series.between(*part).times_utc_ms
    at_ms = int(its[len(its) // 2]) if len(its) else part[0]
    return of_reading(decimals, there, _raw(desk, *of, at_ms), 0.0, None)


def _share(series: Series, part: Span, whole: Span) -> float:
    """Return the share of a stretch's held time that lies in a part of it."""
    inside = (max(part[0], whole[0]), min(part[1], whole[1]))
    held = float(clip_holds(series, whole)[1].sum())
    return (
        float(clip_holds(series, inside)[1].sum()) / held if held and inside[1] > inside[0] else 0.0
    )


def _calculated_mean(
    desk: Workspace, calculated: CalculatedSeries, steps: list[Correction], span: Span
) -> Uncertainty | None:
    """Return how sure the mean of calculated values is, the sum of what is summed: through the
    formula at the means of its inputs. An input that is summed goes in by the mean of its readings,
    and what comes out summed as often as there are values."""
    places = {point.uid: point for point in points(desk)}
    series = read_around(desk, places[calculated.point].id, calculated.series, span).between(*span)
    inputs = []
    for uid, key in calculated.inputs:
        sure = mean_uncertainty(desk, places[uid], key, span)
        there = read_around(desk, places[uid].id, key, span).between(*span)
        if sure is None or not len(there):
            return None
        its = quantity(channel_of(key))
        one = times(sure, 1 / len(there)) if its.averages == "sum" else sure
        inputs.append((its.name, float(there.values.mean()), one))
    uncertainty = through(
        calculated.formula_in_force, calculated.numbers_at(span[0]), inputs, steps, sum(span) // 2
    )
    is_sum = quantity(channel_of(calculated.series)).averages == "sum"
    return times(uncertainty, len(series)) if is_sum else uncertainty


def _nearest(series: Series, at_ms: int) -> int:
    if not len(series):
        return at_ms
    return int(series.times_utc_ms[np.argmin(np.abs(series.times_utc_ms - at_ms))])
