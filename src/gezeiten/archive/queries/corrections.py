"""The chains of series, out of the archive."""

from __future__ import annotations

from sqlalchemy import bindparam, select
from sqlalchemy.orm import Session

from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import CorrectionRow, Point
from gezeiten.domain.steps.chain import Correction, outdated_marked

_OF_POINT = PreparedStatement(
    select(
        CorrectionRow.uid,
        Point.uid,
        CorrectionRow.series,
        CorrectionRow.kind,
        CorrectionRow.version,
        CorrectionRow.start_ms,
        CorrectionRow.end_ms,
        CorrectionRow.parameters,
        CorrectionRow.words,
        CorrectionRow.said_ms,
        CorrectionRow.said_by,
        CorrectionRow.is_on,
    )
    .join(Point, Point.id == CorrectionRow.point_id)
    .where(Point.id == bindparam("its_id"), CorrectionRow.undone_ms.is_(None))
    .order_by(CorrectionRow.said_ms, CorrectionRow.uid)
)


def corrections_at(session: Session, point_id: int) -> list[Correction]:
    """Return the steps of all series of a point that were not taken back, on or off, in the order
    in which they were said."""
    session.flush()  # what follows asks the database itself
    rows = _OF_POINT.all(session.connection(), its_id=point_id)
    found = [Correction(*row) for row in rows]
    series = dict.fromkeys(one.series for one in found)
    stand = [
        correction
        for key in series
        for correction in outdated_marked([x for x in found if x.series == key])
    ]
    return sorted(stand, key=lambda one: (one.stated_ms, one.uid))


def chain_of(session: Session, point_id: int, series: str) -> list[Correction]:
    """Return the steps of one series (its key), on or off."""
    return [
        correction
        for correction in corrections_at(session, point_id)
        if correction.series == series
    ]
