"""Steps in the chains of series, as actions make them."""

from __future__ import annotations

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
from gezeiten.archive.store.tables import CorrectionRow, Point
from gezeiten.domain.actions.corrections import (
    CorrectionSet,
    CorrectionSwitched,
    CorrectionWithdrawn,
)
from gezeiten.errors import InputError

_TABLE = CorrectionRow.__table__


def _set(connection: Connection, action: CorrectionSet, authorship: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=action.correction,
        series=action.series,
        kind=action.step,
        version=action.version,
        parameters=action.parameters,
        is_on=True,
        point_id=key_of(connection, Point.__table__, action.point),
        start_ms=action.start_ms,
        end_ms=action.end_ms,
        words=action.words,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
    )


def _switched(
    connection: Connection, action: CorrectionSwitched, _authorship: Authorship
) -> Conflicts:
    [was_on] = only(connection, select(_TABLE.c.is_on).where(_TABLE.c.uid == action.correction))
    update_by_uid(connection, _TABLE, action.correction, is_on=action.is_on)
    if bool(was_on) != action.is_on:
        return []
    return ["it was on already" if action.is_on else "it was off already"]


def _apply_withdrawn(
    connection: Connection, action: CorrectionWithdrawn, authorship: Authorship
) -> Conflicts:
    return withdraw(connection, _TABLE, action.correction, authorship)


def _refuse_set(_connection: Connection, action: CorrectionSet) -> None:
    if action.end_ms is not None and action.end_ms <= action.start_ms:
        raise InputError("The end has to lie after the beginning; correct one of them.")


def _refuse_switched(connection: Connection, action: CorrectionSwitched) -> None:
    query = select(_TABLE.c.is_on, _TABLE.c.undone_ms).where(_TABLE.c.uid == action.correction)
    is_on, undone_ms = only(connection, query)
    if undone_ms is not None:
        raise InputError("This correction was taken back meanwhile; look again.")
    if bool(is_on) == action.is_on:
        raise InputError("Somebody switched this correction meanwhile; look again.")


FAMILY = Family(
    {CorrectionSet: _set, CorrectionSwitched: _switched, CorrectionWithdrawn: _apply_withdrawn},
    {CorrectionSet: _refuse_set, CorrectionSwitched: _refuse_switched},
)
