"""Check readings, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, key_of, withdraw
from gezeiten.archive.store.tables import CheckReadingRow, Point
from gezeiten.domain.actions.checks import CheckRead, CheckWithdrawn

_TABLE = CheckReadingRow.__table__


def _read(connection: Connection, act: CheckRead, said: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=act.check,
        series=act.series,
        at_ms=act.at_ms,
        value=act.value,
        point_id=key_of(connection, Point.__table__, act.point),
        u=act.u,
        low=act.low,
        high=act.high,
        dip_m=act.dip_m,
        rim_m=act.rim_m,
        by=act.by,
        words=act.words,
        said_ms=said.at_ms,
        said_by=said.person,
    )


def _apply_withdrawn(connection: Connection, act: CheckWithdrawn, said: Authorship) -> Misfits:
    return withdraw(connection, _TABLE, act.check, said)


FAMILY = Family({CheckRead: _read, CheckWithdrawn: _apply_withdrawn}, {})
