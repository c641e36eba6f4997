"""Building the lanes of a chart from the archive; runs off the main thread."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.overviews import OverviewLine, overview_lines
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.check_readings import checks_of
from gezeiten.desk.record.statements.remarks import remarks
from gezeiten.desk.record.views.record_view import RecordView
from gezeiten.desk.record.views.records import limits_at, read_ahead, read_around, view
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.facts.stored import Remark
from gezeiten.domain.limits.limits import InForce, LimitRule
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import ShownUnit
from gezeiten.domain.series.statistics.figures import Statistics, numbers
from gezeiten.domain.series.timeline import Span, Values
from gezeiten.ui.charts.chart_lanes import Lane, ShownCheck, Tint, Trace
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.rule_signs import RULE_SIGNS
from gezeiten.ui.shell.app_context import AppContext


def lanes_of(
    desk: Workspace, points: Iterable[PointPlace], view_span: Callable[[Span], Span]
) -> list[Lane]:
    """Return a lane for each quantity that any of the points records, ready to be drawn.

    view_span: of all that there is, which stretch will be shown.
    """
    selected = list(points)
    keys = dict.fromkeys(place.channel for point in selected for place in point.channels)
    lanes = [lane for key in keys if (lane := _lane(desk, selected, key)) is not None]
    whole = span_of(lanes)
    return lanes if whole is None else prepared_lanes(desk, lanes, view_span(whole))


def prepared_lanes(desk: Workspace, lanes: Iterable[Lane], span: Span) -> list[Lane]:
    """Return lanes with what they need to be drawn over a stretch in memory."""
    return [
        replace(lane, traces=tuple(_prepared_trace(desk, trace, span) for trace in lane.traces))
        for lane in lanes
    ]


def _prepared_trace(desk: Workspace, trace: Trace, span: Span) -> Trace:
    return replace(trace, view=read_ahead(desk, trace.view, span))


def faults_of(lanes: Iterable[Lane]) -> list[str]:
    """Return why some readings are not shown, each sentence once."""
    faults = (fault for lane in lanes for trace in lane.traces for fault in trace.view.faults)
    return list(dict.fromkeys(faults))


def _lane(desk: Workspace, points: list[PointPlace], key: str) -> Lane | None:
    """All points' readings of one quantity in one unit: the plan's where one point is shown."""
    traces: list[Trace] = []
    tints: list[Tint] = []
    seen: list[OverviewLine] = []
    places = [
        (point, place) for point in points for place in point.channels if place.channel == key
    ]
    alone, units = places[0] if len(places) == 1 else None, units_of(desk.settings)
    unit = units.of_series(alone[0], key) if alone else units.of(key)
    for point, place in places:
        trace = trace_of(desk, point, key, unit)
        if trace.view.span is not None:
            rules = tuple(shown_rule(rule, unit) for rule in place.rules)
            limits = tuple(
                _shown_limits(one, unit) for one in limits_at(desk, point.id).get(key, ())
            )
            traces.append(
                replace(
                    trace,
                    color=place.color,
                    rules=rules,
                    limits=limits,
                    averages=quantity(key).averages,
                )
            )
        seen.extend(_in_unit(line, unit) for line in overview_lines(desk, point.id, key))
        tints.extend(
            Tint((event.start_ms, event.end_ms), RULE_SIGNS[event.rule.side][1], event.rule.side)
            for event in excursions(desk, point.id)
            if event.rule.channel == key and not event.is_gone
        )
    if not traces and not seen:
        return None
    by_uid = {remark.uid: remark for point in points for remark in remarks_of(desk, point, key)}
    name = quantity(key)
    title = (alone[1].own_name if alone else "") or name.name
    return Lane(
        title,
        unit.name,
        max(name.decimals + unit.extra_decimals, 0),
        tuple(traces),
        tuple(tints),
        overviews=tuple(seen),
        symbol=name.symbol,
        remarks=tuple(by_uid.values()),
        checks=tuple(check for point in points for check in shown_checks(desk, point, key, unit)),
    )


def remarks_of(desk: Workspace, point: PointPlace, key: str) -> tuple[Remark, ...]:
    """Return the remarks that a series of a point is shown with."""
    return tuple(remark for remark in remarks(desk, point.id) if remark.series in ("", key))


def shown_checks(
    desk: Workspace, point: PointPlace, key: str, unit: ShownUnit
) -> tuple[ShownCheck, ...]:
    """Return what was read by hand for a series of a point, in the unit shown."""

    def shown(value: float | None) -> float | None:
        return None if value is None else unit.shown(value)

    return tuple(
        ShownCheck(
            check.at_ms,
            unit.shown(check.value),
            abs(unit.shown_difference(check.u)),
            shown(check.low),
            shown(check.high),
        )
        for check in checks_of(desk, point.id, key)
    )


def _in_unit(line: OverviewLine, unit: ShownUnit) -> OverviewLine:
    """Return an overview in the unit shown."""

    def shown(values: Values | None) -> Values | None:
        return None if values is None else values * unit.factor + unit.offset

    values = line.values * unit.factor + unit.offset
    return replace(line, values=values, lows=shown(line.lows), highs=shown(line.highs))


def shown_rule(rule: LimitRule, unit: ShownUnit) -> LimitRule:
    """Return a rule with its value in the unit shown, for drawing and counting beside readings."""
    hysteresis = unit.shown_difference(rule.hysteresis)
    return replace(rule, value=unit.shown(rule.value), hysteresis=hysteresis)


def _shown_limits(limit_period: InForce, unit: ShownUnit) -> InForce:
    return replace(limit_period, rules=tuple(shown_rule(rule, unit) for rule in limit_period.rules))


def trace_of(desk: Workspace, point: PointPlace, key: str, unit: ShownUnit | None = None) -> Trace:
    """Return the trace of a series, ready to be drawn from what is in memory.

    unit: to show it in; None is the recorded one.
    """
    factor, offset = (unit.factor, unit.offset) if unit else (1.0, 0.0)
    return Trace(point.name, view(desk, point.id, key), factor, offset)


def figures_of(desk: Workspace, trace: Trace, span: Span, zone: str) -> Statistics:
    """Return the figures of a stretch of a line, in the unit shown."""
    series = read_around(desk, trace.view.point_id, trace.view.key, span, tolerant=True)
    return numbers(trace.in_unit(series), span, trace.limits, zone=zone, averages=trace.averages)


def connect_readings(context: AppContext, chart: LaneChart, name: str) -> None:
    """Read what a chart asks for off the main thread; then it draws anew. name: of this wish, which
    a newer one replaces."""
    desk = context.desk

    def ask(record_views: list[RecordView], span: Span) -> None:
        def work(_task: object) -> bool:
            return [read_ahead(desk, one, span) for one in record_views] == record_views

        def done(is_current: bool) -> None:
            if is_current:
                chart.redraw()
            else:  # what is shown is of another state than the archive
                context.archive_changed.emit()

        context.run(work, done, latest=name)

    chart.wanted.connect(ask)


def span_of(lanes: list[Lane]) -> Span | None:
    """Return from the first to the last reading of all lanes."""
    known = [trace.view.span for lane in lanes for trace in lane.traces]
    spans = [span for span in known if span is not None]
    spans += [
        (int(line.times_utc_ms[0]), int(line.times_utc_ms[-1]))
        for lane in lanes
        for line in lane.overviews
    ]
    if not spans:
        return None
    return min(a for a, _ in spans), max(b for _, b in spans)
