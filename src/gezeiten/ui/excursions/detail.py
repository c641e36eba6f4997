"""One excursion in its surroundings: its picture and what is known of it; gathered off the main
thread."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.excursion_book import BookedExcursion
from gezeiten.desk.record.views.records import read_around
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.statistics.figures import numbers
from gezeiten.domain.series.timeline import (
    HOUR_MS,
    Span,
    duration_text,
    local_days,
    whole_duration_text,
)
from gezeiten.ui.charts.chart_lanes import Lane, Tint
from gezeiten.ui.charts.lanes import prepared_lanes, remarks_of, shown_checks, shown_rule, trace_of
from gezeiten.ui.format.i18n import counted, day_and_time, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.rule_signs import RULE_SIGNS
from gezeiten.ui.parts.rules import rule_text

FOUND_LATER_MS = HOUR_MS
"""An alarm that became known so much later than it happened is called so."""


@dataclass(frozen=True, slots=True)
class ExcursionDetail:
    """What is shown of an excursion: lanes ready to be drawn, and facts by name."""

    event: BookedExcursion
    lanes: list[Lane]
    facts: list[tuple[str, str]]


def load_detail(desk: Workspace, event: BookedExcursion) -> ExcursionDetail:
    """Gather picture and facts: the channel itself first, then those beside it."""
    lanes = []
    others = [c.channel for c in event.point.channels if c.channel != event.rule.channel]
    for channel in [event.rule.channel, *others]:
        name = quantity(channel)
        unit = units_of(desk.settings).of_series(event.point, channel)
        tints = []
        if channel == event.rule.channel:
            _, color = RULE_SIGNS[event.rule.side]
            tints = [
                Tint((event.start_ms, event.alarm_ms), "brass", alpha=70),
                Tint((event.alarm_ms, event.end_ms), color, event.rule.side),
            ]
        rules = (shown_rule(event.rule, unit),) if tints and event.rule.has_value else ()
        trace = trace_of(desk, event.point, channel, unit)
        decimals = max(name.decimals + unit.extra_decimals, 0)
        lanes.append(
            Lane(
                name.name,
                unit.name,
                decimals,
                (replace(trace, rules=rules),),
                tuple(tints),
                remarks=remarks_of(desk, event.point, channel),
                checks=shown_checks(desk, event.point, channel, unit),
            )
        )
    lanes = prepared_lanes(desk, lanes, surroundings(event))
    return ExcursionDetail(event, lanes, _facts(desk, event))


def surroundings(event: BookedExcursion) -> Span:
    """The stretch in which an excursion is shown."""
    beside_ms = max((event.end_ms - event.start_ms) * 0.8, HOUR_MS * 3)
    return (round(event.start_ms - beside_ms), round(event.end_ms + beside_ms))


def _facts(desk: Workspace, event: BookedExcursion) -> list[tuple[str, str]]:
    name, zone, rule = quantity(event.rule.channel), event.point.zone, event.rule
    units = units_of(desk.settings)
    own = units.own(event.point, rule.channel)
    extreme = units.value(rule.channel, event.extreme, own)
    facts = [
        (tr("Outside for"), whole_duration_text(event.end_ms - event.start_ms)),
        (
            tr("Alarm raised"),
            f"{day_and_time(event.alarm_ms, zone)} · {rule_text(rule, units, own)}",
        ),
    ]
    if rule.has_value:
        which = tr("Highest") if rule.side == "above" else tr("Lowest")
        facts.append((which, f"{extreme}, {day_and_time(event.extreme_ms, zone)}"))
    if name.dose_unit and rule.has_value:
        facts.append((tr("Exposure"), f"{number(event.dose, 1)} {name.dose_unit}"))
    if name.is_temperature:
        _, whole_day = next(iter(local_days(event.start_ms, event.end_ms, zone)))
        series = read_around(desk, event.point.id, rule.channel, whole_day)
        mean = numbers(series, whole_day, kinetic=True).kinetic_mean_c
        facts.append((tr("MKT, that day"), units.value(rule.channel, mean, own)))
    known = day_and_time(event.found_ms, zone)
    late_ms = event.found_ms - event.alarm_ms
    if late_ms > FOUND_LATER_MS:
        known += " · " + tr("found %1 later").replace("%1", duration_text(late_ms))
    facts.append((tr("Known since"), known))
    readings = counted(event.measured, "%n measured", "%n measured")
    readings += ", " + counted(event.estimated, "%n estimated", "%n estimated")
    facts.append((tr("Readings"), readings))
    return facts
