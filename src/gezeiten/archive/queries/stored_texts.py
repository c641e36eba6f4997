"""Every value that the archive stores as JSON, as the text that it is."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import JSON, Text, cast, select, type_coerce
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import Base


@dataclass(frozen=True, slots=True)
class StoredText:
    """One value and where it lies. may_be_empty: whether there may be no value."""

    table: str
    column: str
    key: int
    text: str | None
    may_be_empty: bool


def stored_texts(session: Session) -> Iterator[StoredText]:
    """Yield all values that are stored as JSON, table by table."""
    for table in Base.metadata.sorted_tables:
        key = next(iter(table.primary_key.columns))
        for column in table.columns:
            if not isinstance(column.type, JSON):
                continue
            query = select(key, type_coerce(cast(column, Text), Text)).order_by(key)
            for number, text in session.execute(query):
                may_lack = bool(column.nullable)
                yield StoredText(table.name, column.name, number, text, may_lack)
