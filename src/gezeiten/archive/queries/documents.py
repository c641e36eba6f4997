"""Documents handed over, out of the archive."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import IssuedDocumentRow
from gezeiten.domain.series.timeline import Span


@dataclass(frozen=True, slots=True)
class StoredDocument:
    """A document that left the house. uid: its id for ever; form: "csv" or "pdf"; file_name: where
    its copy was put."""

    uid: str
    at_ms: int
    person: str
    form: str
    point_id: int
    span: Span
    file_name: str
    sha256: str
    readings: int


def count_documents(session: Session) -> int:
    """Return how many documents were handed over."""
    return int(session.scalar(select(func.count(IssuedDocumentRow.id))) or 0)


def newest_document_end(session: Session, point_id: int) -> int | None:
    """Return until when the documents of a point reach (UTC ms), None without any."""
    return session.scalar(select(func.max(IssuedDocumentRow.end_ms)).filter_by(point_id=point_id))


def documents(session: Session) -> list[StoredDocument]:
    """Return all documents handed over, latest first."""
    rows = session.scalars(select(IssuedDocumentRow).order_by(IssuedDocumentRow.id.desc()))
    return [
        StoredDocument(
            row.uid,
            row.at_ms,
            row.person,
            row.kind,
            row.point_id,
            (row.start_ms, row.end_ms),
            row.file_name,
            row.sha256,
            row.readings,
        )
        for row in rows
    ]
