"""How sensors hang, as acts make it."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, key_of, withdraw
from gezeiten.archive.store.tables import Point, SensorDepthRow
from gezeiten.domain.actions.hanging import SensorDepthSet, SensorDepthWithdrawn

_TABLE = SensorDepthRow.__table__


def _apply_depth_set(connection: Connection, act: SensorDepthSet, said: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=act.hanging,
        since_ms=act.since_ms,
        rim_m=act.rim_m,
        point_id=key_of(connection, Point.__table__, act.point),
        length_m=act.length_m,
        words=act.words,
        said_ms=said.at_ms,
        said_by=said.person,
    )


def _apply_withdrawn(
    connection: Connection, act: SensorDepthWithdrawn, said: Authorship
) -> Misfits:
    return withdraw(connection, _TABLE, act.hanging, said)


FAMILY = Family({SensorDepthSet: _apply_depth_set, SensorDepthWithdrawn: _apply_withdrawn}, {})
