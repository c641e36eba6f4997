"""Dated statements put into tables: one way for every family of them.

A statement is what somebody says holds (a limit, a remark, a sensor depth): a row says what, since
when, who said it when and why, and whether it was withdrawn. An action holds its content in fields
that are called as the columns are, and what it is about (a point, a mission, a source) by its id.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from sqlalchemy import Column, Connection, Table, update

from gezeiten.archive.projection.missions import logger_key
from gezeiten.archive.projection.rows import Applying, Authorship, Conflicts, add, key_of
from gezeiten.archive.store.tables import Mission, Point
from gezeiten.domain.actions import Action
from gezeiten.domain.base.untrusted import plain
from gezeiten.errors import InputError

_WRITTEN_HERE = ("id", "said_ms", "said_by", "undone_ms", "undone_by")
_SUBJECTS: Mapping[str, Callable[[Connection, str], int]] = {
    "point_id": lambda connection, uid: key_of(connection, Point.__table__, uid),
    "mission_id": lambda connection, uid: key_of(connection, Mission.__table__, uid),
    "logger_id": logger_key,
}
"""Columns that refer to what a statement is about; the action's field lacks the "_id"."""


@dataclass(frozen=True)
class StatementTable:
    """How statements of one family are kept.

    table: its rows. id_field: the field of its actions that holds a statement's id. fields: the
    fields of the stating action whose columns have other names, by column. fixed: columns that no
    field fills, with what they hold at first."""

    table: Any
    id_field: str
    fields: Mapping[str, str] = field(default_factory=dict)
    fixed: Mapping[str, Any] = field(default_factory=dict)

    def state(self, connection: Connection, action: Action, authorship: Authorship) -> None:
        """Add the statement that an action makes."""
        content = {
            column.name: _content(connection, column, getattr(action, name))
            for column, name in self._field_of
        }
        add(connection, self.table, **content, **self.fixed, **author_columns(authorship))

    def withdraw(self, connection: Connection, action: Action, authorship: Authorship) -> Conflicts:
        """Note that a statement has no effect any more, by whom and when."""
        columns, uid = self.table.c, getattr(action, self.id_field)
        standing = update(self.table).where(columns.uid == uid, columns.undone_ms.is_(None))
        done = connection.execute(
            standing.values(undone_ms=authorship.at_ms, undone_by=authorship.person)
        )
        return [] if done.rowcount else ["it had already been withdrawn"]

    def applying(self, stated: type[Action], withdrawn: type[Action]) -> dict[type, Applying]:
        """Return how the actions that state and withdraw are applied."""
        return {stated: self.state, withdrawn: self.withdraw}

    @cached_property
    def _field_of(self) -> tuple[tuple[Column[Any], str], ...]:
        """Columns that the stating action fills, with the field that each is filled from."""
        table: Table = self.table
        return tuple(
            (column, self.fields.get(column.name, self._usual_field(column.name)))
            for column in table.columns
            if column.name not in _WRITTEN_HERE and column.name not in self.fixed
        )

    def _usual_field(self, column: str) -> str:
        if column == "uid":
            return self.id_field
        return column.removesuffix("_id") if column in _SUBJECTS else column


def _content(connection: Connection, column: Column[Any], value: Any) -> Any:
    """What a column holds of an action's value: of what it is about, this database's key; of an
    empty tuple nothing, where the column may hold that."""
    if column.name in _SUBJECTS:
        return None if value is None else _SUBJECTS[column.name](connection, value)
    if value == () and column.nullable:
        return None
    return plain(value) if isinstance(value, tuple) else value


def author_columns(authorship: Authorship) -> dict[str, Any]:
    """Return who made a statement and when, as its columns hold it."""
    return {"said_ms": authorship.at_ms, "said_by": authorship.person}


def refuse_reversed(start_ms: int, end_ms: int | None) -> None:
    """Raise InputError where a period ends before it began, or at that instant."""
    if end_ms is not None and end_ms <= start_ms:
        raise InputError("The end must be after the start; correct one of the two.")
