"""Documents handed over, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, change, key_of
from gezeiten.archive.store.tables import IssuedDocumentRow, Point
from gezeiten.domain.actions.base import Change
from gezeiten.domain.actions.documents import DocumentIssued, DocumentReissued


def _handed_over(connection: Connection, action: DocumentIssued, authorship: Authorship) -> None:
    add(
        connection,
        IssuedDocumentRow.__table__,
        uid=action.document,
        at_ms=authorship.at_ms,
        person=authorship.person,
        kind=action.form,
        point_id=key_of(connection, Point.__table__, action.point),
        start_ms=action.start_ms,
        end_ms=action.end_ms,
        file_name=action.file_name,
        sha256=action.sha256,
        size=action.size,
        readings=action.readings,
    )


def _apply_issued(
    connection: Connection, action: DocumentReissued, _authorship: Authorship
) -> Conflicts:
    copy = Change("file_name", action.before, action.file_name)
    return change(connection, IssuedDocumentRow.__table__, action.document, [copy])


FAMILY = Family({DocumentIssued: _handed_over, DocumentReissued: _apply_issued}, {})
