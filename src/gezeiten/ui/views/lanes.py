"""Building the lanes of a chart from the archive; runs off the main thread."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import replace

from gezeiten.desk.context import Desk
from gezeiten.desk.intake.overviews import OverviewLine, overview_lines
from gezeiten.desk.places import PointPlace
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.records import limits_at, record
from gezeiten.domain.limits import InForce, LimitRule
from gezeiten.domain.quantities import quantity
from gezeiten.domain.timeline import Span, Values
from gezeiten.domain.units import ShownUnit
from gezeiten.ui.chart_lanes import Lane, Tint, Trace, make_trace
from gezeiten.ui.rules import RULE_SIGNS
from gezeiten.ui.units import units_of


def lanes_of(desk: Desk, points: Iterable[PointPlace]) -> list[Lane]:
    """Return a lane for each quantity that any of the points records."""
    chosen = list(points)
    keys = dict.fromkeys(place.channel for point in chosen for place in point.channels)
    return [lane for key in keys if (lane := _lane(desk, chosen, key)) is not None]


def _lane(desk: Desk, points: list[PointPlace], key: str) -> Lane | None:
    """All points' readings of one quantity in one unit: the plan's where one point is shown."""
    traces: list[Trace] = []
    tints: list[Tint] = []
    seen: list[OverviewLine] = []
    places = [(point, place) for point in points for place in point.channels
              if place.channel == key]  # fmt: skip
    alone = places[0][1] if len(places) == 1 else None
    recorded = places[0][1].unit if places else quantity(key).unit
    unit = units_of(desk.settings).of(recorded, alone.shown_unit if alone else "")
    for point, place in places:
        if len(record(desk, point.id, key)):
            trace = cached_trace(desk, point, key, unit)
            rules = tuple(shown_rule(rule, unit) for rule in place.rules)
            limits = tuple(
                _shown_limits(one, unit) for one in limits_at(desk, point.id).get(key, ())
            )
            traces.append(replace(trace, color=place.color, rules=rules, limits=limits,
                                  averages=quantity(key).averages))  # fmt: skip
        seen.extend(_in_unit(line, unit) for line in overview_lines(desk, point.id, key))
        tints.extend(
            Tint((event.start_ms, event.end_ms), RULE_SIGNS[event.rule.side][1], event.rule.side)
            for event in excursions(desk, point.id)
            if event.rule.channel == key and not event.gone
        )
    if not traces and not seen:
        return None
    name = quantity(key)
    title = alone.own_name if alone and alone.own_name else name.name
    return Lane(title, unit.name, max(name.decimals + unit.extra_decimals, 0), tuple(traces),
                tuple(tints), overviews=tuple(seen), symbol=name.symbol)  # fmt: skip


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


def _shown_limits(stretch: InForce, unit: ShownUnit) -> InForce:
    return replace(stretch, rules=tuple(shown_rule(rule, unit) for rule in stretch.rules))


_TRACES: OrderedDict[tuple[int, int, str, str], tuple[object, Trace]] = OrderedDict()
_MOST_TRACES = 16
"""Kept in memory, each with its record: as many as a chart shows at once."""


def cached_trace(desk: Desk, point: PointPlace, key: str, unit: ShownUnit | None = None) -> Trace:
    """Return the trace of a record, made anew only when the record has changed.

    unit: to show it in; None is the recorded one.
    """
    series = record(desk, point.id, key)
    name = (id(desk), point.id, key, unit.name if unit else "")
    known = _TRACES.get(name)
    if known is not None and known[0] is series:
        return known[1]
    shown = series
    if unit is not None and (unit.factor, unit.offset) != (1.0, 0.0):
        shown = replace(series, values=series.values * unit.factor + unit.offset)
    trace = make_trace(point.name, shown)
    _TRACES[name] = (series, trace)
    _TRACES.move_to_end(name)
    while len(_TRACES) > _MOST_TRACES:
        _TRACES.popitem(last=False)
    return trace


def span_of(lanes: list[Lane]) -> Span | None:
    """Return from the first to the last reading of all lanes."""
    spans = [
        (int(t.series.times_utc_ms[0]), int(t.series.times_utc_ms[-1]))
        for lane in lanes
        for t in lane.traces
    ]
    spans += [
        (int(line.times_utc_ms[0]), int(line.times_utc_ms[-1]))
        for lane in lanes
        for line in lane.overviews
    ]
    if not spans:
        return None
    return min(a for a, _ in spans), max(b for _, b in spans)
