"""Documents handed over, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, change, key_of
from gezeiten.archive.store.tables import IssuedDocumentRow, Point
from gezeiten.domain.actions.base import Change
from gezeiten.domain.actions.documents import DocumentIssued, DocumentReissued


def _handed_over(connection: Connection, act: DocumentIssued, said: Authorship) -> None:
    add(
        connection,
        IssuedDocumentRow.__table__,
        uid=act.document,
        at_ms=said.at_ms,
        person=said.person,
        kind=act.form,
        point_id=key_of(connection, Point.__table__, act.point),
        start_ms=act.start_ms,
        end_ms=act.end_ms,
        file_name=act.file_name,
        sha256=act.sha256,
        size=act.size,
        readings=act.readings,
    )


def _apply_issued(connection: Connection, act: DocumentReissued, _said: Authorship) -> Misfits:
    copy = Change("file_name", act.before, act.file_name)
    return change(connection, IssuedDocumentRow.__table__, act.document, [copy])


FAMILY = Family({DocumentIssued: _handed_over, DocumentReissued: _apply_issued}, {})
