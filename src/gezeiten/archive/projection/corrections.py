"""Steps in the chains of series, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection, select

from gezeiten.archive.projection.rows import (
    Authorship,
    Family,
    Misfits,
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


def _set(connection: Connection, act: CorrectionSet, said: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=act.correction,
        series=act.series,
        kind=act.step,
        version=act.version,
        parameters=act.parameters,
        is_on=True,
        point_id=key_of(connection, Point.__table__, act.point),
        start_ms=act.start_ms,
        end_ms=act.end_ms,
        words=act.words,
        said_ms=said.at_ms,
        said_by=said.person,
    )


def _switched(connection: Connection, act: CorrectionSwitched, _said: Authorship) -> Misfits:
    [was_on] = only(connection, select(_TABLE.c.is_on).where(_TABLE.c.uid == act.correction))
    update_by_uid(connection, _TABLE, act.correction, is_on=act.is_on)
    if bool(was_on) != act.is_on:
        return []
    return ["it was on already" if act.is_on else "it was off already"]


def _apply_withdrawn(connection: Connection, act: CorrectionWithdrawn, said: Authorship) -> Misfits:
    return withdraw(connection, _TABLE, act.correction, said)


def _refuse_set(_connection: Connection, act: CorrectionSet) -> None:
    if act.end_ms is not None and act.end_ms <= act.start_ms:
        raise InputError("The end has to lie after the beginning; correct one of them.")


def _refuse_switched(connection: Connection, act: CorrectionSwitched) -> None:
    query = select(_TABLE.c.is_on, _TABLE.c.undone_ms).where(_TABLE.c.uid == act.correction)
    is_on, undone_ms = only(connection, query)
    if undone_ms is not None:
        raise InputError("This correction was taken back meanwhile; look again.")
    if bool(is_on) == act.is_on:
        raise InputError("Somebody switched this correction meanwhile; look again.")


FAMILY = Family(
    {CorrectionSet: _set, CorrectionSwitched: _switched, CorrectionWithdrawn: _apply_withdrawn},
    {CorrectionSet: _refuse_set, CorrectionSwitched: _refuse_switched},
)
