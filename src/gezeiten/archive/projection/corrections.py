"""Steps in the chains of series, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection, select

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    only,
    update_by_uid,
)
from gezeiten.archive.projection.statements import StatementTable, refuse_reversed
from gezeiten.archive.store.tables import CorrectionRow
from gezeiten.domain.actions.corrections import (
    CorrectionSet,
    CorrectionSwitched,
    CorrectionWithdrawn,
)
from gezeiten.errors import InputError

_CORRECTIONS = StatementTable(
    CorrectionRow.__table__, "correction", fields={"kind": "step"}, fixed={"is_on": True}
)
_TABLE = _CORRECTIONS.table


def _apply_switched(
    connection: Connection, action: CorrectionSwitched, _authorship: Authorship
) -> Conflicts:
    [was_on] = only(connection, select(_TABLE.c.is_on).where(_TABLE.c.uid == action.correction))
    update_by_uid(connection, _TABLE, action.correction, is_on=action.is_on)
    if bool(was_on) != action.is_on:
        return []
    return ["it was already enabled" if action.is_on else "it was already disabled"]


def _refuse_set(_connection: Connection, action: CorrectionSet) -> None:
    refuse_reversed(action.start_ms, action.end_ms)


def _refuse_switched(connection: Connection, action: CorrectionSwitched) -> None:
    query = select(_TABLE.c.is_on, _TABLE.c.undone_ms).where(_TABLE.c.uid == action.correction)
    is_on, undone_ms = only(connection, query)
    if undone_ms is not None:
        raise InputError("This correction was withdrawn meanwhile; reload it.")
    if bool(is_on) == action.is_on:
        raise InputError("Somebody changed this correction meanwhile; reload it.")


FAMILY = Family(
    {
        **_CORRECTIONS.applying(CorrectionSet, CorrectionWithdrawn),
        CorrectionSwitched: _apply_switched,
    },
    {CorrectionSet: _refuse_set, CorrectionSwitched: _refuse_switched},
)
