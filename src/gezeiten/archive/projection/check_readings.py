"""Check readings, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, key_of, withdraw
from gezeiten.archive.store.tables import CheckReadingRow, Point
from gezeiten.domain.actions.check_readings import CheckRead, CheckWithdrawn

_TABLE = CheckReadingRow.__table__


def _read(connection: Connection, action: CheckRead, authorship: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=action.check,
        series=action.series,
        at_ms=action.at_ms,
        value=action.value,
        point_id=key_of(connection, Point.__table__, action.point),
        u=action.u,
        low=action.low,
        high=action.high,
        dip_m=action.dip_m,
        rim_m=action.rim_m,
        by=action.by,
        words=action.words,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
    )


def _apply_withdrawn(
    connection: Connection, action: CheckWithdrawn, authorship: Authorship
) -> Conflicts:
    return withdraw(connection, _TABLE, action.check, authorship)


FAMILY = Family({CheckRead: _read, CheckWithdrawn: _apply_withdrawn}, {})
