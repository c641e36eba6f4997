"""Building the lanes of a chart from the archive; runs off the main thread."""

from __future__ import annotations

from collections.abc import Iterable

from gezeiten.desk.context import Desk
from gezeiten.desk.excursion_book import excursions
from gezeiten.desk.places import PointPlace
from gezeiten.desk.records import record
from gezeiten.domain.quantities import quantity
from gezeiten.domain.timeline import Span
from gezeiten.ui.charts import Lane, Tint, Trace, make_trace
from gezeiten.ui.rules import RULE_SIGNS


def lanes_of(desk: Desk, points: Iterable[PointPlace]) -> list[Lane]:
    """Return a lane for each quantity that any of the points records."""
    chosen = list(points)
    keys = dict.fromkeys(place.channel for point in chosen for place in point.channels)
    return [lane for key in keys if (lane := _lane(desk, chosen, key)) is not None]


def _lane(desk: Desk, points: list[PointPlace], key: str) -> Lane | None:
    traces, rules, tints = [], [], []
    unit = quantity(key).unit
    for point in points:
        place = next((p for p in point.channels if p.channel == key), None)
        if place is None:
            continue
        unit = place.unit
        series = record(desk, point.id, key)
        if len(series):
            traces.append(cached_trace(desk, point, key))
        rules.extend(rule for rule in place.rules if rule not in rules)
        tints.extend(
            Tint((event.start_ms, event.end_ms), RULE_SIGNS[event.rule.side][1],
                 event.rule.side)
            for event in excursions(desk, point.id)
            if event.rule.channel == key and not event.gone
        )  # fmt: skip
    if not traces:
        return None
    name = quantity(key)
    return Lane(name.name, unit, name.decimals, tuple(traces), tuple(rules), tuple(tints))


_TRACES: dict[tuple[int, int, str], tuple[object, Trace]] = {}


def cached_trace(desk: Desk, point: PointPlace, key: str) -> Trace:
    """Return the trace of a record, made anew only when the record has changed."""
    series = record(desk, point.id, key)
    known = _TRACES.get((id(desk), point.id, key))
    if known is not None and known[0] is series:
        return known[1]
    trace = make_trace(point.name, series)
    _TRACES[(id(desk), point.id, key)] = (series, trace)
    return trace


def span_of(lanes: list[Lane]) -> Span | None:
    """Return from the first to the last reading of all lanes."""
    spans = [
        (int(t.series.times_utc_ms[0]), int(t.series.times_utc_ms[-1]))
        for lane in lanes
        for t in lane.traces
    ]
    if not spans:
        return None
    return min(a for a, _ in spans), max(b for _, b in spans)
