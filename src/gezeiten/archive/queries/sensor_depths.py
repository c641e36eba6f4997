"""How sensors hang at points, out of the archive."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import Point, SensorDepthRow
from gezeiten.domain.facts.stored import StoredSensorDepth
from gezeiten.domain.steps.sensor_depth import SensorDepth

_ALL = PreparedStatement(
    select(
        SensorDepthRow.uid,
        Point.uid,
        SensorDepthRow.since_ms,
        SensorDepthRow.rim_m,
        SensorDepthRow.length_m,
        SensorDepthRow.words,
        SensorDepthRow.said_ms,
        SensorDepthRow.said_by,
    )
    .join(Point, Point.id == SensorDepthRow.point_id)
    .where(SensorDepthRow.undone_ms.is_(None))
    .order_by(SensorDepthRow.since_ms, SensorDepthRow.said_ms, SensorDepthRow.uid)
)


def hangings(session: Session) -> dict[str, list[StoredSensorDepth]]:
    """Return how sensors hang, by point (its id), in order of time."""
    session.flush()  # what follows asks the database itself
    found: dict[str, list[StoredSensorDepth]] = {}
    for uid, point, since_ms, rim_m, length_m, *said in _ALL.all(session.connection()):
        depth = SensorDepth(since_ms, rim_m, length_m)
        found.setdefault(point, []).append(StoredSensorDepth(uid, point, depth, *said))
    return found
