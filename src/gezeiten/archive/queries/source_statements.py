"""Where sources were and what they feed, out of the archive: as it follows, and as it was said."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import DeploymentRow, Logger, Point, SeriesAssignmentRow, Site
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.facts.stored import SourceStatement


def source_statements(session: Session) -> list[SourceStatement]:
    """Return all that stands of what was said of sources, the latest first."""
    found = [_source_statement(*row) for row in session.execute(_with_names(DeploymentRow))]
    found += [_source_statement(*row) for row in session.execute(_with_names(SeriesAssignmentRow))]
    return sorted(found, key=lambda one: (-one.stated_ms, one.uid))


def _with_names(table: type[DeploymentRow] | type[SeriesAssignmentRow]) -> Any:
    query: Any = (
        select(table, Logger.serial, Point, Site)
        .join(Logger, Logger.id == table.logger_id)
        .outerjoin(Point, Point.id == table.point_id)
        .outerjoin(Site, Site.id == Point.site_id)
        .where(table.undone_ms.is_(None))
    )
    return query


def _source_statement(
    row: DeploymentRow | SeriesAssignmentRow, serial: str, point: Point | None, site: Site | None
) -> SourceStatement:
    name = full_name(site.name, point.name) if site and point else ""
    assigned = (row.channel, row.label) if isinstance(row, SeriesAssignmentRow) else ("", "")
    return SourceStatement(
        row.uid,
        serial,
        point.uid if point else "",
        name,
        site.zone if site else "UTC",
        *assigned,
        row.start_ms,
        row.end_ms,
        row.words if isinstance(row, DeploymentRow) else "",
        row.said_ms,
        row.said_by,
    )
