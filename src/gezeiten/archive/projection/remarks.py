"""Remarks, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Family
from gezeiten.archive.projection.statements import StatementTable
from gezeiten.archive.store.tables import RemarkRow
from gezeiten.domain.actions.remarks import RemarkMade, RemarkWithdrawn
from gezeiten.errors import InputError

_REMARKS = StatementTable(RemarkRow.__table__, "remark")


def _refuse_remark(_connection: Connection, action: RemarkMade) -> None:
    if not action.words:
        raise InputError("The remark is empty; type one.")
    if action.end_ms < action.start_ms:
        raise InputError("The end must be after the start; correct one of the two.")


FAMILY = Family(_REMARKS.applying(RemarkMade, RemarkWithdrawn), {RemarkMade: _refuse_remark})
