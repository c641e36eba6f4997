"""Remarks, out of the archive."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, aliased

from gezeiten.archive.store.tables import Point, RemarkRow
from gezeiten.domain.facts.stored import Remark


def remarks_on(session: Session, point_id: int) -> list[Remark]:
    """Return the remarks that are about a point: its own, and those on its whole site; the oldest
    first."""
    here = aliased(Point)
    own = (RemarkRow.point_id == point_id) | (
        RemarkRow.whole_site & (Point.site_id == here.site_id)
    )
    query = (
        select(RemarkRow, Point.uid)
        .join(Point, Point.id == RemarkRow.point_id)
        .join(here, here.id == point_id)
        .where(RemarkRow.undone_ms.is_(None), own)
        .order_by(RemarkRow.start_ms, RemarkRow.uid)
    )
    return [
        Remark(
            row.uid,
            uid,
            row.series,
            row.whole_site,
            row.start_ms,
            row.end_ms,
            row.words,
            row.said_ms,
            row.said_by,
        )
        for row, uid in session.execute(query)
    ]
