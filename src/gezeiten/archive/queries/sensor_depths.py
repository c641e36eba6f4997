"""How sensors hang at points, out of the archive."""

from __future__ import annotations

from sqlalchemy.orm import Session

from gezeiten.archive.queries.statements import POINT, standing
from gezeiten.archive.store.tables import SensorDepthRow
from gezeiten.domain.facts.stored import StoredSensorDepth
from gezeiten.domain.steps.sensor_depth import SensorDepth

_ALL = standing(
    SensorDepthRow, "uid", POINT, "since_ms", "rim_m", "length_m", "words", order=("since_ms",)
)


def hangings(session: Session) -> dict[str, list[StoredSensorDepth]]:
    """Return how sensors hang, by point (its id), in order of time."""
    found: dict[str, list[StoredSensorDepth]] = {}
    for uid, point, since_ms, rim_m, length_m, *said in _ALL.all(session.connection()):
        depth = SensorDepth(since_ms, rim_m, length_m)
        found.setdefault(point, []).append(StoredSensorDepth(uid, point, depth, *said))
    return found
