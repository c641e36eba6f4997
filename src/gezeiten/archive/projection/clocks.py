"""Clocks of missions put right, as actions make it."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, select

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    add,
    key_of,
    only,
    update_by_uid,
    withdraw,
)
from gezeiten.archive.store.tables import ClockRow, Mission
from gezeiten.domain.actions.clocks import (
    ClockCorrected,
    ClockCorrectionDisabled,
    ClockCorrectionEnabled,
    ClockCorrectionWithdrawn,
)
from gezeiten.errors import InputError

_TABLE: Any = ClockRow.__table__


def _corrected(connection: Connection, action: ClockCorrected, authorship: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=action.clock,
        way=action.way,
        pairs=[list(pair) for pair in action.pairs],
        mission_id=key_of(connection, Mission.__table__, action.mission),
        u_ms=action.u_ms,
        us_ms=list(action.us_ms) or None,
        rate_beyond=action.rate_beyond,
        drift_ppm=action.drift_ppm,
        words=action.words,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
        is_off=False,
    )


def _apply_disabled(
    connection: Connection, action: ClockCorrectionDisabled, authorship: Authorship
) -> Conflicts:
    conflicts = withdraw(connection, _TABLE, action.clock, authorship)
    if not conflicts:
        update_by_uid(connection, _TABLE, action.clock, is_off=True)
    return conflicts


def _switched_on(
    connection: Connection, action: ClockCorrectionEnabled, authorship: Authorship
) -> None:
    """It is said anew: so each row tells from when to when it stood."""
    columns = (
        _TABLE.c.mission_id,
        _TABLE.c.way,
        _TABLE.c.pairs,
        _TABLE.c.u_ms,
        _TABLE.c.words,
        _TABLE.c.us_ms,
        _TABLE.c.rate_beyond,
        _TABLE.c.drift_ppm,
    )
    [*its] = only(connection, select(*columns).where(_TABLE.c.uid == action.clock))
    update_by_uid(connection, _TABLE, action.clock, is_off=False)
    names = (column.name for column in columns)
    add(
        connection,
        _TABLE,
        uid=action.anew,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
        is_off=False,
        **dict(zip(names, its, strict=True)),
    )


def _apply_withdrawn(
    connection: Connection, action: ClockCorrectionWithdrawn, authorship: Authorship
) -> Conflicts:
    off = connection.execute(select(_TABLE.c.is_off).where(_TABLE.c.uid == action.clock)).scalar()
    update_by_uid(connection, _TABLE, action.clock, is_off=False)
    return [] if off else withdraw(connection, _TABLE, action.clock, authorship)


def _refuse_on(connection: Connection, action: ClockCorrectionEnabled) -> None:
    off = connection.execute(select(_TABLE.c.is_off).where(_TABLE.c.uid == action.clock)).scalar()
    if not off:
        raise InputError("Somebody switched this clock meanwhile; look at it as it is now.")


FAMILY = Family(
    {
        ClockCorrected: _corrected,
        ClockCorrectionDisabled: _apply_disabled,
        ClockCorrectionEnabled: _switched_on,
        ClockCorrectionWithdrawn: _apply_withdrawn,
    },
    {ClockCorrectionEnabled: _refuse_on},
)
