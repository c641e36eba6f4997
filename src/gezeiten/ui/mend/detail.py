"""What Mend shows of a gap, gathered off the main thread."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.alternative_sources import (
    AlternativeReadings,
    AlternativeSource,
    CarrierCard,
    find_alternatives,
)
from gezeiten.desk.field.estimates import FillMethod
from gezeiten.desk.field.gap_filling import (
    LineOffer,
    LoggerOffer,
    line_offer,
    logger_offer,
    steps_of,
)
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.desk.record.views.records import extent, read_around, view
from gezeiten.domain.quantities.quantities import ShownUnit, quantity
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.fills import straight_line
from gezeiten.domain.steps.steps import LINE, NOT_CALCULATED, RecordStep
from gezeiten.ui.charts.chart_lanes import Lane, Tint
from gezeiten.ui.charts.lanes import prepared_lanes, remarks_of, shown_checks, trace_of
from gezeiten.ui.format.units import Units, units_of
from gezeiten.ui.mend.model import SourceOffers, offers, surroundings


@dataclass(frozen=True, slots=True)
class GapDetail:
    """Everything about one gap. readings: measured ones of its point; others: what was measured
    beside its logger."""

    booked: BookedGap
    offers: SourceOffers
    lanes: list[Lane]
    steps: list[RecordStep]
    readings: int
    others: list[AlternativeReadings]


def load_detail(desk: Workspace, booked: BookedGap, cards: list[CarrierCard]) -> GapDetail:
    """Gather what is shown of a gap. cards: the couriers and drives at hand."""
    units, point = units_of(desk.settings), booked.point
    measured = [place.channel for place in point.measured]
    keys = list(booked.channels)
    if not keys and extent(desk, point.id, measured):
        keys = measured  # filled from the logger it names no channel: it was all of them
    lanes = [_lane(desk, units, booked, key) for key in keys]
    lanes = prepared_lanes(desk, lanes, surroundings(booked.gap))
    gap = booked.gap
    steps = [step for step in steps_of(desk, point.id) if step.touches(gap.start_ms, gap.end_ms)]
    readings = sum(view(desk, point.id, key).measured for key in measured)
    by_line = any(step.kind == LINE for step in steps if step.id in booked.steps)
    if booked.state == NOT_CALCULATED:
        source_offers = offers(booked, LoggerOffer("", 0, (), None, ""), LineOffer(0, {}, ""))
        return GapDetail(booked, source_offers, lanes, steps, readings, [])
    source_offers = offers(
        booked, logger_offer(desk, booked), line_offer(desk, booked), by_line=by_line
    )
    is_open = booked.state in ("open", "left open")
    others = find_alternatives(desk, booked, cards) if is_open else []
    return GapDetail(booked, source_offers, lanes, steps, readings, others)


def _lane(desk: Workspace, units: Units, booked: BookedGap, key: str) -> Lane:
    name, unit = quantity(key), units.of_series(booked.point, key)
    proposal = _proposal(desk, booked, key) if booked.channels else None
    if proposal is not None:
        proposal = _shown(proposal.values, proposal, unit)
    decimals = max(name.decimals + unit.extra_decimals, 0)
    trace = trace_of(desk, booked.point, key, unit)
    return Lane(
        name.name,
        unit.name,
        decimals,
        (trace,),
        (_tint(booked),),
        proposal,
        remarks=remarks_of(desk, booked.point, key),
        checks=shown_checks(desk, booked.point, key, unit),
    )


def _tint(booked: BookedGap) -> Tint:
    """Hatched while readings are absent; what fills the gap lies on a plain ground."""
    span = (booked.gap.start_ms, booked.gap.end_ms)
    if booked.state in ("open", "left open", NOT_CALCULATED):
        return Tint(span, "muted", alpha=190, hatched=True)
    return Tint(span, "brass", alpha=36)


def _proposal(desk: Workspace, booked: BookedGap, channel: str) -> Series | None:
    """The straight line through the gap, drawn from the reading before to the one after."""
    gap = booked.gap
    series = read_around(desk, booked.point.id, channel, (gap.start_ms, gap.end_ms), tolerant=True)
    fill = straight_line(series, gap)
    return fill if len(fill) else None


def with_other(
    lanes: list[Lane], booked: BookedGap, other: AlternativeReadings, units: Units
) -> list[Lane]:
    """Return lanes with the readings of another source; what is carried is not known yet."""
    fills = dict(other.fills) if isinstance(other, AlternativeSource) else {}
    found = []
    for lane, key in zip(lanes, booked.channels, strict=False):
        one, unit = fills.get(key), units.of_series(booked.point, key)
        found.append(replace(lane, proposal=None if one is None else _shown(one.values, one, unit)))
    return found


def _shown(values: Values, fill: Series, unit: ShownUnit) -> Series:
    in_unit = values * unit.factor + unit.offset
    return Series(fill.times_utc_ms, in_unit, fill.quality, fill.interval_ms)


def with_method(
    lanes: list[Lane], booked: BookedGap, method: FillMethod, units: Units
) -> list[Lane]:
    """Return lanes with what a way would fill in, and its band."""
    found = []
    for lane, key in zip(lanes, booked.channels, strict=False):
        one, unit = method.of.get(key), units.of_series(booked.point, key)
        if one is None:
            found.append(replace(lane, proposal=None))
            continue
        low, values, high = (
            _shown(part, one.fill, unit) for part in (one.low, one.fill.values, one.high)
        )
        band = None if one.is_beyond else (low, high)
        found.append(replace(lane, proposal=values, band=band))
    return found
