"""Check readings, out of the archive."""

from __future__ import annotations

import math

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import CheckReadingRow, Point
from gezeiten.domain.steps.checks.reading import CheckReading


def checks_at(session: Session, point_id: int) -> list[CheckReading]:
    """Return the check readings of all series of a point that stand, in order of time."""
    query = (
        select(CheckReadingRow, Point.uid)
        .join(Point, Point.id == CheckReadingRow.point_id)
        .where(CheckReadingRow.point_id == point_id, CheckReadingRow.undone_ms.is_(None))
        .order_by(CheckReadingRow.at_ms, CheckReadingRow.said_ms, CheckReadingRow.uid)
    )
    return [
        CheckReading(
            row.uid,
            point,
            row.series,
            row.at_ms,
            math.nan if row.value is None else row.value,
            row.u,
            row.low,
            row.high,
            row.dip_m,
            row.rim_m,
            row.by,
            row.words,
            row.said_ms,
            row.said_by,
        )
        for row, point in session.execute(query)
    ]
