"""How sensors hang at points, out of the archive."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import HangingRow, Point
from gezeiten.domain.kept import HangingKept
from gezeiten.domain.steps.hanging import SensorDepth

_ALL = PreparedStatement(
    select(
        HangingRow.uid,
        Point.uid,
        HangingRow.since_ms,
        HangingRow.rim_m,
        HangingRow.length_m,
        HangingRow.words,
        HangingRow.said_ms,
        HangingRow.said_by,
    )
    .join(Point, Point.id == HangingRow.point_id)
    .where(HangingRow.undone_ms.is_(None))
    .order_by(HangingRow.since_ms, HangingRow.said_ms, HangingRow.uid)
)


def hangings(session: Session) -> dict[str, list[HangingKept]]:
    """Return how sensors hang, by point (its id), in order of time."""
    session.flush()  # what follows asks the database itself
    found: dict[str, list[HangingKept]] = {}
    for uid, point, since_ms, rim_m, length_m, *said in _ALL.all(session.connection()):
        hung = SensorDepth(since_ms, rim_m, length_m)
        found.setdefault(point, []).append(HangingKept(uid, point, hung, *said))
    return found
