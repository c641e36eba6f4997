"""Rows changed by what an act says: by ids, in statements without objects behind them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, TypeAlias

from sqlalchemy import Connection, FromClause, Row, Select, insert, select, update

from gezeiten.domain.acts import Act, Change
from gezeiten.errors import ArchiveDamagedError


@dataclass(frozen=True, slots=True)
class Said:
    """Who did an act and when (UTC ms, by the computer's clock)."""

    at_ms: int
    person: str


Misfits: TypeAlias = list[str]
"""What an act found otherwise than it says, a sentence each; the act stands in either case."""
Applying: TypeAlias = Callable[[Connection, Any, Said], Misfits | None]
Refusing: TypeAlias = Callable[[Connection, Any], None]


@dataclass(frozen=True, slots=True)
class Family:
    """How the acts of one family are put into tables, and what makes one impossible now.

    applying: closed and total: reads the act, who and when, and the tables, nothing else.
    refusing: raises InputError; asked only when an act is done, never when it is applied again.
    """

    applying: dict[type[Act], Applying]
    refusing: dict[type[Act], Refusing]


def only(connection: Connection, query: Select[Any]) -> Row[Any]:
    """Return the one row of a query.

    Raises:
        ArchiveDamagedError: what an act is about is not there.
    """
    row = connection.execute(query).first()
    if row is None:
        raise ArchiveDamagedError(
            "An act is about something that the archive does not hold; verify the archive."
        )
    return row


def key_of(connection: Connection, table: FromClause, uid: str) -> int:
    """Return this database's key of a thing."""
    return int(only(connection, select(table.c.id).where(table.c.uid == uid))[0])


def add(connection: Connection, table: FromClause, **values: Any) -> None:
    """Add a row."""
    connection.execute(insert(table).values(**values))  # type: ignore[arg-type]


def put(connection: Connection, table: FromClause, uid: str, **values: Any) -> None:
    """Set columns of a thing."""
    connection.execute(update(table).where(table.c.uid == uid).values(**values))  # type: ignore[arg-type]


def change(
    connection: Connection, table: FromClause, uid: str, changes: Iterable[Change]
) -> Misfits:
    """Set the changed columns of a thing, and say which were not what the act says they were."""
    listed = list(changes)
    if not listed:
        return []
    columns = [table.c[one.field] for one in listed]
    row = only(connection, select(*columns).where(table.c.uid == uid))
    put(connection, table, uid, **{one.field: one.after for one in listed})
    return [
        f"{one.field} was {found!r}, not {one.before!r}"
        for one, found in zip(listed, row, strict=True)
        if (found or None) != (one.before or None)
    ]
