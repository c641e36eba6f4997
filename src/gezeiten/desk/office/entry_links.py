"""From an entry of the logbook to what it is about, as that is now."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.issuing import issued_documents
from gezeiten.desk.office.logbook import entry_periods
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.sites.places import PointPlace, sites
from gezeiten.domain.facts.entries import Entry
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.series.timeline import Span

_MOST_EXCURSIONS = 3
WayKind = Literal["site", "point", "logger", "document", "excursion", "stretch"]


@dataclass(frozen=True, slots=True)
class EntryLink:
    """A way from an entry to something. key: a point's or excursion's number here, a site's name, a
    logger's serial, a document's fingerprint. point_id, span: of a document, an excursion or a
    stretch. zone: of the point, in which an excursion is said."""

    kind: WayKind
    text: str
    key: str | int
    point_id: int = 0
    span: Span = (0, 0)
    zone: str = "UTC"


def entry_links(desk: Workspace, entry: Entry) -> list[EntryLink]:
    """Return where an entry leads; of entries from before there were acts by their subject."""
    places = sites(desk)
    by_uid = {point.uid: point for site in places for point in site.points}
    wanted = entry.subjects
    methods: list[EntryLink] = []
    for site in places:
        if ("site", site.uid) in wanted or (not wanted and entry.subject == site.name):
            methods.append(EntryLink("site", site.name, site.name))
        methods += [
            EntryLink("point", point.full_name, point.id)
            for point in site.points
            if ("point", point.uid) in wanted
            or (not wanted and entry.subject == full_name(point.site, point.name))
        ]
    methods += [EntryLink("logger", key, key) for kind, key in sorted(wanted) if kind == "logger"]
    action = entry.details.get("act", {})
    point = by_uid.get(str(action.get("point", "")))
    if point is not None:
        methods += _links_in_period(desk, entry, point) + _documents(desk, entry)
    return methods


def _links_in_period(desk: Workspace, entry: Entry, point: PointPlace) -> list[EntryLink]:
    """The excursions, or the stretch, that an action was about."""
    named = entry_periods(entry)
    events = excursions(desk, point.id) if any(rule for rule, _ in named) else []
    methods = [
        EntryLink("stretch", point.full_name, point.id, point.id, span)
        for rule, span in named
        if not rule
    ]
    return (
        methods
        + [
            EntryLink(
                "excursion",
                event.rule.key,
                event.id,
                point.id,
                (event.start_ms, event.end_ms),
                point.zone,
            )
            for event in events
            if any(
                event.rule.key == rule and event.start_ms < end_ms and event.end_ms > start_ms
                for rule, (start_ms, end_ms) in named
            )
        ][:_MOST_EXCURSIONS]
    )


def _documents(desk: Workspace, entry: Entry) -> list[EntryLink]:
    uid = entry.details["act"].get("document")
    if not uid:
        return []
    return [
        EntryLink("document", Path(past.file_name).name, past.sha256, past.point_id, past.span)
        for past in issued_documents(desk)
        if past.uid == uid
    ]
