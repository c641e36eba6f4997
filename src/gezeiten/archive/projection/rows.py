"""Rows changed by what an action says: by ids, in statements without objects behind them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cache
from typing import Any, TypeAlias, TypeVar

from sqlalchemy import Connection, FromClause, Row, Select, bindparam, select, update

from gezeiten.archive.store.prepared import PreparedStatement, insertion
from gezeiten.domain.actions import Action, Change
from gezeiten.domain.actions.sites import POINT_FACTS, SITE_FACTS
from gezeiten.errors import ArchiveDamagedError


@dataclass(frozen=True, slots=True)
class Authorship:
    """Who did an action and when (UTC ms, by the computer's clock)."""

    at_ms: int
    person: str


Conflicts: TypeAlias = list[str]
"""What an action found otherwise than it says, a sentence each; the action stands in either
case."""
_Found = TypeVar("_Found", bound=tuple[Any, ...])
Applying: TypeAlias = Callable[[Connection, Any, Authorship], Conflicts | None]
Refusing: TypeAlias = Callable[[Connection, Any], None]


@dataclass(frozen=True, slots=True)
class Family:
    """How the actions of one family are put into tables, and what makes one impossible now.

    applying: closed and total: reads the action, who and when, and the tables, nothing else.
    refusing: raises InputError; asked only when an action is done, never when it is applied again.
    """

    applying: dict[type[Action], Applying]
    refusing: dict[type[Action], Refusing]


def apply_nothing(_connection: Connection, _action: Action, _authorship: Authorship) -> None:
    """Applying of an action that changes no table: the logbook tells it."""


def key_of(connection: Connection, table: FromClause, uid: str) -> int:
    """Return this database's key of a thing."""
    return int(require_row(_reading(table, ("id",)).first_row(connection, its_uid=uid))[0])


def add(connection: Connection, table: FromClause, **values: Any) -> None:
    """Add a row."""
    _inserting(table, tuple(values)).run(connection, **values)


def update_by_uid(connection: Connection, table: FromClause, uid: str, **values: Any) -> None:
    """Set columns of a thing."""
    marked = {f"new_{name}": value for name, value in values.items()}
    _setting(table, tuple(values)).run(connection, its_uid=uid, **marked)


def update_by_key(connection: Connection, table: FromClause, key: int, **values: Any) -> None:
    """Set columns of a row of which this database's key is known."""
    marked = {f"new_{name}": value for name, value in values.items()}
    _setting(table, tuple(values), "id").run(connection, its_id=key, **marked)


def change(
    connection: Connection, table: FromClause, uid: str, changes: Iterable[Change]
) -> Conflicts:
    """Set the changed columns of a thing, and say which were not what the action says they were."""
    listed = list(changes)
    if not listed:
        return []
    fields = tuple(one.field for one in listed)
    row = require_row(_reading(table, fields).first_row(connection, its_uid=uid))
    update_by_uid(connection, table, uid, **{one.field: one.after for one in listed})
    return [
        _other(one, found)
        for one, found in zip(listed, row, strict=True)
        if (found or None) != (one.before or None)
    ]


_FACTS = {**SITE_FACTS, **POINT_FACTS}


def _other(said: Change, found: Any) -> str:
    """Return "height was 3.20 m, not 3.08 m"."""
    try:
        fact = _FACTS[said.field]
        was, not_as_said = fact.worded(found, "UTC"), fact.worded(said.before, "UTC")
    except (KeyError, TypeError, ValueError):  # no words for it; the action is applied all the same
        return f"the {said.field.removesuffix('_id').replace('_', ' ')} was another one"
    return f"{fact.name} was {was}, not {not_as_said}"


def only(connection: Connection, query: Select[*tuple[Any, ...]]) -> Row[*tuple[Any, ...]]:
    """Return the one row of a query.

    Raises:
        ArchiveDamagedError: what an action is about is not there.
    """
    return require_row(connection.execute(query).first())


def require_row(row: _Found | None) -> _Found:
    """Return a row that was found.

    Raises:
        ArchiveDamagedError: what an action is about is not there.
    """
    if row is None:
        raise ArchiveDamagedError(
            "An entry refers to something that the archive does not have; verify the archive."
        )
    return row


# Statements are made once: making them anew costs more than running them.
@cache
def _reading(table: FromClause, fields: tuple[str, ...]) -> PreparedStatement:
    columns = [table.c[name] for name in fields]
    return PreparedStatement(select(*columns).where(table.c.uid == bindparam("its_uid")))


@cache
def _setting(table: FromClause, fields: tuple[str, ...], by: str = "uid") -> PreparedStatement:
    marked = {name: bindparam(f"new_{name}", type_=table.c[name].type) for name in fields}
    item = table.c[by] == bindparam(f"its_{by}")
    return PreparedStatement(update(table).where(item).values(marked))  # type: ignore[arg-type]


_inserting = cache(insertion)
