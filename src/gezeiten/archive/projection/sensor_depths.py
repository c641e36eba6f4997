"""How sensors hang, as actions make it."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, key_of, withdraw
from gezeiten.archive.store.tables import Point, SensorDepthRow
from gezeiten.domain.actions.sensor_depths import SensorDepthSet, SensorDepthWithdrawn

_TABLE = SensorDepthRow.__table__


def _apply_depth_set(
    connection: Connection, action: SensorDepthSet, authorship: Authorship
) -> None:
    add(
        connection,
        _TABLE,
        uid=action.hanging,
        since_ms=action.since_ms,
        rim_m=action.rim_m,
        point_id=key_of(connection, Point.__table__, action.point),
        length_m=action.length_m,
        words=action.words,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
    )


def _apply_withdrawn(
    connection: Connection, action: SensorDepthWithdrawn, authorship: Authorship
) -> Conflicts:
    return withdraw(connection, _TABLE, action.hanging, authorship)


FAMILY = Family({SensorDepthSet: _apply_depth_set, SensorDepthWithdrawn: _apply_withdrawn}, {})
