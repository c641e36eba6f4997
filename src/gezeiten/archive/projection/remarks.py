"""Remarks, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, key_of, withdraw
from gezeiten.archive.store.tables import Point, RemarkRow
from gezeiten.domain.actions.remarks import RemarkMade, RemarkWithdrawn
from gezeiten.errors import InputError

_TABLE = RemarkRow.__table__


def _apply_made(connection: Connection, act: RemarkMade, said: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=act.remark,
        series=act.series,
        whole_site=act.whole_site,
        point_id=key_of(connection, Point.__table__, act.point),
        start_ms=act.start_ms,
        end_ms=act.end_ms,
        words=act.words,
        said_ms=said.at_ms,
        said_by=said.person,
    )


def _apply_withdrawn(connection: Connection, act: RemarkWithdrawn, said: Authorship) -> Misfits:
    return withdraw(connection, _TABLE, act.remark, said)


def _refuse_remark(_connection: Connection, act: RemarkMade) -> None:
    if not act.words:
        raise InputError("Write a few words; they stand where the remark is shown.")
    if act.end_ms < act.start_ms:
        raise InputError("The end has to lie after the beginning; correct one of them.")


FAMILY = Family(
    {RemarkMade: _apply_made, RemarkWithdrawn: _apply_withdrawn}, {RemarkMade: _refuse_remark}
)
