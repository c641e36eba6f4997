"""Limits set for series, out of the archive."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import Point, SeriesLimit
from gezeiten.domain.facts.stored import StoredLimit
from gezeiten.domain.limits.limits import limit_rule
from gezeiten.errors import ArchiveDamagedError


def limits_of_series(session: Session, point_id: int | None = None) -> list[StoredLimit]:
    """Return the limits that stand, of a point or of all, in the order in which they began.

    Raises:
        ArchiveDamagedError: one cannot be read.
    """
    query = (
        select(SeriesLimit, Point.id)
        .join(Point, Point.id == SeriesLimit.point_id)
        .where(SeriesLimit.undone_ms.is_(None))
        .order_by(SeriesLimit.start_ms, SeriesLimit.uid)
    )
    if point_id is not None:
        query = query.where(Point.id == point_id)
    try:
        return [
            StoredLimit(
                row.uid,
                key,
                row.series,
                limit_rule({**row.rule, "origin": row.uid}),
                row.start_ms,
                row.end_ms,
                row.words,
                row.said_ms,
                row.said_by,
            )
            for row, key in session.execute(query)
        ]
    except (KeyError, TypeError, ValueError) as exc:
        raise ArchiveDamagedError(
            "A limit of a series cannot be read; verify the archive."
        ) from exc
