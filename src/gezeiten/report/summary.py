"""What a report says first, in a sentence: days outside, what was assessed, what is missing."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from gezeiten.domain.series.timeline import local_days
from gezeiten.domain.wording import counted, readings_words
from gezeiten.report.content import PointReport


@dataclass(frozen=True, slots=True)
class DayCell:
    """One local day over all channels, 0..1: outside, the longest of any channel; absent, the
    share of the part inside the stretch for which some channel has nothing."""

    day: date
    outside: float
    absent: float


def day_cells(report: PointReport) -> list[DayCell]:
    """Return a cell for each local day that the stretch touches."""
    by_day = [{row.day: row.numbers for row in channel.days} for channel in report.channels]
    cells = []
    for day, (start, end) in local_days(*report.span, report.zone):
        inside = min(end, report.span[1]) - max(start, report.span[0])
        figures = [days[day] for days in by_day if day in days]
        outside = max((max(n.above_ms, n.below_ms) for n in figures), default=0)
        held = min((n.held_ms for n in figures), default=0)
        cells.append(DayCell(day, min(outside / inside, 1.0), max(1.0 - held / inside, 0.0)))
    return cells


def sentence(report: PointReport) -> str:
    """Return the report in a sentence: "2 of 27 days outside, both excursions assessed; no reading
    missing." """
    return f"{_outside(report)}; {_missing(report)}."


def _outside(report: PointReport) -> str:
    cells = day_cells(report)
    if not any(channel.rules for channel in report.channels):
        return f"{counted(len(cells), 'day', 'days')}, and no limit was set"
    days = sum(1 for cell in cells if cell.outside)
    said = f"{days or 'None'} of {counted(len(cells), 'day', 'days')} outside"
    events = len(report.excursions)
    if not events:
        return f"{said}, no excursion that alarmed"
    left = sum(1 for event in report.excursions if event.settled_ms is None)
    if left:
        return f"{said}, {left} of {counted(events, 'excursion', 'excursions')} still to assess"
    which = {1: "the one excursion", 2: "both excursions"}.get(events, f"all {events} excursions")
    return f"{said}, {which} assessed"


def _missing(report: PointReport) -> str:
    absent = [gap for gap in report.gaps if not gap.is_filled]
    count = sum(gap.missing for gap in absent)
    said = f"{readings_words(count)} missing in {counted(len(absent), 'gap', 'gaps')}"
    if not absent:
        said = "no reading missing"
    if report.estimated:
        said += f", {counted(report.estimated, 'value', 'values')} estimated"
    return said
