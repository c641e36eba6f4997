"""Clocks of missions put right, as actions make it."""

from __future__ import annotations

from sqlalchemy import Connection, select

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    add,
    only,
    update_by_uid,
)
from gezeiten.archive.projection.statements import StatementTable, author_columns
from gezeiten.archive.store.tables import ClockRow
from gezeiten.domain.actions.clocks import (
    ClockCorrected,
    ClockCorrectionDisabled,
    ClockCorrectionEnabled,
    ClockCorrectionWithdrawn,
)
from gezeiten.errors import InputError

_CLOCKS = StatementTable(ClockRow.__table__, "clock", fixed={"is_off": False})
_TABLE = _CLOCKS.table


def _apply_disabled(
    connection: Connection, action: ClockCorrectionDisabled, authorship: Authorship
) -> Conflicts:
    conflicts = _CLOCKS.withdraw(connection, action, authorship)
    if not conflicts:
        update_by_uid(connection, _TABLE, action.clock, is_off=True)
    return conflicts


def _apply_enabled(
    connection: Connection, action: ClockCorrectionEnabled, authorship: Authorship
) -> None:
    """It is stated anew: so each row tells from when to when it stood."""
    row = only(connection, select(_TABLE).where(_TABLE.c.uid == action.clock))
    update_by_uid(connection, _TABLE, action.clock, is_off=False)
    content = {name: value for name, value in row._mapping.items() if name != "id"}
    stated = {**author_columns(authorship), "undone_ms": None, "undone_by": None, "is_off": False}
    add(connection, _TABLE, **{**content, **stated, "uid": action.anew})


def _apply_withdrawn(
    connection: Connection, action: ClockCorrectionWithdrawn, authorship: Authorship
) -> Conflicts:
    off = connection.execute(select(_TABLE.c.is_off).where(_TABLE.c.uid == action.clock)).scalar()
    update_by_uid(connection, _TABLE, action.clock, is_off=False)
    return [] if off else _CLOCKS.withdraw(connection, action, authorship)


def _refuse_on(connection: Connection, action: ClockCorrectionEnabled) -> None:
    off = connection.execute(select(_TABLE.c.is_off).where(_TABLE.c.uid == action.clock)).scalar()
    if not off:
        raise InputError("Somebody changed this clock meanwhile; reload it.")


FAMILY = Family(
    {
        ClockCorrected: _CLOCKS.state,
        ClockCorrectionDisabled: _apply_disabled,
        ClockCorrectionEnabled: _apply_enabled,
        ClockCorrectionWithdrawn: _apply_withdrawn,
    },
    {ClockCorrectionEnabled: _refuse_on},
)
