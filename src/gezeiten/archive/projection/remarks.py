"""Remarks, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, key_of, withdraw
from gezeiten.archive.store.tables import Point, RemarkRow
from gezeiten.domain.actions.remarks import RemarkMade, RemarkWithdrawn
from gezeiten.errors import InputError

_TABLE = RemarkRow.__table__


def _apply_made(connection: Connection, action: RemarkMade, authorship: Authorship) -> None:
    add(
        connection,
        _TABLE,
        uid=action.remark,
        series=action.series,
        whole_site=action.whole_site,
        point_id=key_of(connection, Point.__table__, action.point),
        start_ms=action.start_ms,
        end_ms=action.end_ms,
        words=action.words,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
    )


def _apply_withdrawn(
    connection: Connection, action: RemarkWithdrawn, authorship: Authorship
) -> Conflicts:
    return withdraw(connection, _TABLE, action.remark, authorship)


def _refuse_remark(_connection: Connection, action: RemarkMade) -> None:
    if not action.words:
        raise InputError("Write a few words; they stand where the remark is shown.")
    if action.end_ms < action.start_ms:
        raise InputError("The end has to lie after the beginning; correct one of them.")


FAMILY = Family(
    {RemarkMade: _apply_made, RemarkWithdrawn: _apply_withdrawn}, {RemarkMade: _refuse_remark}
)
