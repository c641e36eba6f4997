"""What a report says first, in a sentence: days outside, what was assessed, what is missing.

It says what `domain/limits/verdicts.py` judged, and claims nothing of other days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from gezeiten.domain.base.wording import counted, readings_text
from gezeiten.domain.limits.verdicts import DayVerdict, Verdict, combine_verdicts, reasons_of
from gezeiten.domain.series.timeline import local_days
from gezeiten.report.content import PointReport, ReportGap


@dataclass(frozen=True, slots=True)
class DayCell:
    """One local day over all channels, 0..1: outside, the longest of any channel; absent, the
    share of the part inside the stretch for which some channel has nothing. verdict: by all
    channels with limits, "" where there is none."""

    day: date
    outside: float
    absent: float
    verdict: Verdict | Literal[""] = ""


def day_verdicts_of(report: PointReport) -> list[DayVerdict]:
    """Return the verdict of each day by all channels that have limits; none without limits."""
    by_day: dict[date, list[DayVerdict]] = {}
    for channel in report.channels:
        for verdict in channel.verdicts if channel.rules else ():
            by_day.setdefault(verdict.day, []).append(verdict)
    return [combine_verdicts(day, judged) for day, judged in sorted(by_day.items())]


def day_cells(report: PointReport) -> list[DayCell]:
    """Return a cell for each local day that the stretch touches."""
    by_day = [{row.day: row.numbers for row in channel.days} for channel in report.channels]
    judged = {day_verdict.day: day_verdict.verdict for day_verdict in day_verdicts_of(report)}
    cells = []
    for day, (start, end) in local_days(*report.span, report.zone):
        inside = min(end, report.span[1]) - max(start, report.span[0])
        figures = [days[day] for days in by_day if day in days]
        outside = max((max(n.above_ms, n.below_ms) for n in figures), default=0)
        held = min((n.covered_ms for n in figures), default=0)
        cells.append(
            DayCell(
                day, min(outside / inside, 1.0), max(1.0 - held / inside, 0.0), judged.get(day, "")
            )
        )
    return cells


def sentence(report: PointReport) -> str:
    """Return the report in a sentence: "2 of 27 days outside, 25 inside, both excursions assessed;
    no reading missing." """
    return f"{_outside(report)}; {_missing(report)}."


def _outside(report: PointReport) -> str:
    judged = day_verdicts_of(report)
    if not judged:
        days = sum(1 for _ in local_days(*report.span, report.zone))
        return f"{counted(days, 'day', 'days')}, no limit was set"
    outside, inside = (
        sum(1 for day_verdict in judged if day_verdict.verdict == verdict)
        for verdict in ("outside", "inside")
    )
    days = len(judged)
    text = f"{outside or 'None'} of {counted(days, 'day', 'days')} outside"
    if inside:
        text += f", {inside} inside"
    if outside + inside < days:
        text += f", {_not_judged(judged)}"
    return f"{text}, {_assessed(report)}"


def _not_judged(judged: list[DayVerdict]) -> str:
    reasons = reasons_of(judged)
    many = sum(count for _, count in reasons)
    if len(reasons) == 1:
        return f"{many} not judged: {reasons[0][0]}"
    return f"{many} not judged: " + ", ".join(f"{reason} ({count})" for reason, count in reasons)


def _assessed(report: PointReport) -> str:
    events = len(report.excursions)
    if not events:
        return "no alarm excursion"
    left = sum(1 for event in report.excursions if event.settled_ms is None)
    if left:
        return f"{left} of {counted(events, 'excursion', 'excursions')} still to assess"
    which = {1: "the one excursion", 2: "both excursions"}.get(events, f"all {events} excursions")
    return f"{which} assessed"


def _missing(report: PointReport) -> str:
    """Say what is missing. What waits on a logger is none of it, nor what only was not
    calculated."""
    gaps = [gap for gap in report.gaps if not gap.is_filled]
    absent = [gap for gap in gaps if not (gap.is_pending or gap.is_calculated)]
    text = f"{readings_text(_count(absent))} missing in {counted(len(absent), 'gap', 'gaps')}"
    if not absent:
        text = "no reading missing"
    if any(gap.is_pending for gap in gaps):
        waiting = _count([gap for gap in gaps if gap.is_pending])
        text += f", {readings_text(waiting)} not offloaded yet"
    if any(gap.is_calculated for gap in gaps):
        lacking = _count([gap for gap in gaps if gap.is_calculated])
        text += f", {counted(lacking, 'value', 'values')} not calculated"
    if report.estimated:
        text += f", {counted(report.estimated, 'value', 'values')} estimated"
    return text


def _count(gaps: list[ReportGap]) -> int:
    return sum(gap.missing for gap in gaps)
