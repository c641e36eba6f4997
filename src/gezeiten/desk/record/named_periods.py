"""Stretches of time by name: what people hand over again and again."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from gezeiten.archive.queries.documents import newest_document_end
from gezeiten.archive.queries.missions import newest_mission_ms
from gezeiten.archive.queries.offloads import offload_instants
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.series.timeline import HOUR_MS, Span, from_ms, local_days, midnight_ms

_SAME_VISIT_MS = 12 * HOUR_MS
_EXCURSIONS = 3


@dataclass(frozen=True, slots=True)
class NamedPeriod:
    """kind: "mission", "visit", "document", "month" or "excursion"; at_ms: of the excursion."""

    kind: str
    span: Span
    at_ms: int = 0


def named_periods(desk: Workspace, point: PointPlace) -> list[NamedPeriod]:
    """Return the stretches of a point that have a name, those that make no sense left out.

    "visit": since the last offload; one of the last twelve hours is this visit, the one before
    it counts. "document": since the end of the last one handed over. "month": the calendar month
    before this one. "excursion": the local days of each of the last three.
    """
    now = desk.now_ms()
    with desk.archive.reading() as session:
        mission = newest_mission_ms(session, point.id)
        offloads = offload_instants(session, point.id)
        document = newest_document_end(session, point.id)
    visit = next((at for at in offloads if now - at > _SAME_VISIT_MS), None)
    found = [
        NamedPeriod(kind, (since, now))
        for kind, since in (("mission", mission), ("visit", visit), ("document", document))
        if since and since < now
    ]
    found.append(NamedPeriod("month", previous_month(now, point.zone)))
    for event in excursions(desk, point.id)[:_EXCURSIONS]:
        days = [day for _, day in local_days(event.start_ms, event.end_ms, point.zone)]
        found.append(NamedPeriod("excursion", (days[0][0], days[-1][1]), event.start_ms))
    return found


def previous_month(now_ms: int, zone: str) -> Span:
    """Return the calendar month before the one of an instant, in local time."""
    this = from_ms(now_ms, zone).date().replace(day=1)
    before = (this - timedelta(days=1)).replace(day=1)
    return (midnight_ms(before, zone), midnight_ms(this, zone))
