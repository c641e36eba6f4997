"""The tables that actions make, without this database's keys: rows by table and identity.

A row that people made has an id for ever; a logger is its serial, a mission its logger, number and
launch, bytes their fingerprint. What a row refers to is told by identity too. So the rows of two
databases can be compared, and written out and read back.
"""

from __future__ import annotations

import base64
from functools import cache
from typing import Any, TypeAlias

from sqlalchemy import Connection, Select, Table, insert, select

from gezeiten.archive.store.ids import mission_id, source_id
from gezeiten.archive.store.stored import UnreadableValue
from gezeiten.archive.store.tables import Base
from gezeiten.domain.actions.offloads import SOURCES

HELD_AT_BEGIN = (
    "person",
    "site",
    "point",
    "kept_plan",
    "kept_tie",
    "logger",
    "mission",
    "offload",
    "overview",
    "logger_report",
    "launch_intent",
    "service",
    "visit_round",
    "round_task",
    "handover",
    "assessment",
    "step",
)
"""Tables that could hold something before actions made them; the others began empty."""
MADE = (
    *HELD_AT_BEGIN,
    "excursion_found",
    "placing",
    "feeding",
    "series_limit",
    "own_quantity",
    "derived",
    "derived_input",
    "correction",
    "remark",
    "check_reading",
    "clock",
    "hanging",
)
"""Tables whose rows actions make; none refers to a later one."""
_BY_WHAT_IT_IS = {
    "logger": ("serial",),
    "mission": ("logger_id", "number", "launched_ms"),
    "offload": ("mission_id", "sha256"),
    "overview": ("mission_id", "sha256"),
    "logger_report": ("logger_id", "sha256"),
    "launch_intent": ("logger_id",),
    "derived_input": ("derived_id", "position"),
    "excursion_found": ("mission_id", "rule_key", "start_ms", "at_ms"),
}
"""What identifies rows that have no id of their own."""
Row: TypeAlias = dict[str, Any]
Rows: TypeAlias = dict[str, dict[str, Row]]
"""Rows by table and identity."""
Keys: TypeAlias = dict[str, dict[str, int]]
"""A database's keys by table and identity."""


def table_of(name: str) -> Table:
    """Return a table by its name."""
    return Base.metadata.tables[name]


def rows(connection: Connection) -> Rows:
    """Return all that actions make."""
    made: Rows = {}
    keys: Keys = {}
    for name in MADE:
        made[name], keys[name] = table_rows(connection, name, keys)
    return made


def table_rows(
    connection: Connection, name: str, keys: Keys
) -> tuple[dict[str, Row], dict[str, int]]:
    """Return the rows of a table, and this database's key of each.

    Args:
        keys: those of the tables before it, to which its rows refer.
    """
    referred = {its for _, its in _compared_columns(name) if its}
    identities = {
        its: {number: key for key, number in keys[its].items()} for its in referred if its in keys
    }
    own = identities.setdefault(name, {})
    made: dict[str, Row] = {}
    for row in connection.execute(_all_of(name)).mappings():
        compared = _compared_row(name, row, identities)
        own[row["id"]] = key = _free(made, _identity(name, compared, row))
        made[key] = compared
    return made, {key: number for number, key in own.items()}


def _identity(name: str, compared: Row, row: Any) -> str:
    by = _BY_WHAT_IT_IS.get(name)
    return str(row["uid"]) if by is None else "/".join(str(compared[column]) for column in by)


def _free(used: dict[str, Any], key: str) -> str:
    """A name that no row before has: of two rows that are the same thing the later one is "#2"."""
    name, many = key, 1
    while name in used:
        many += 1
        name = f"{key}#{many}"
    return name


def is_identified_by_id(name: str) -> bool:
    """Whether what identifies a table's rows is an id that is in no other column."""
    return name not in _BY_WHAT_IT_IS


def _implied_columns(name: str) -> tuple[str, ...]:
    """Columns of a table that are told by its identity."""
    return ("uid",) if is_identified_by_id(name) else ()


def _compared_row(name: str, row: Any, identities: dict[str, dict[int, str]]) -> Row:
    content: Row = {}
    for column, refers_to in _compared_columns(name):
        value = row[column]
        if refers_to:
            value = identities[refers_to].get(value, value)
        content[column] = _Unknown() if isinstance(value, UnreadableValue) else value
    return content


@cache
def _compared_columns(name: str) -> tuple[tuple[str, str], ...]:
    """The columns of a table that are told, each with the table that it refers to, "" for none."""
    return tuple(
        (
            column.name,
            next((foreign_key.column.table.name for foreign_key in column.foreign_keys), ""),
        )
        for column in table_of(name).columns
        if column.name not in ("id", *_implied_columns(name))
    )


@cache
def _all_of(name: str) -> Select[Any]:
    table = table_of(name)
    return select(table).order_by(table.c.id)


class _Unknown:
    """A stored value that cannot be read: like no other, itself included."""

    __hash__ = None  # type: ignore[assignment]

    def __eq__(self, other: object) -> bool:
        return False

    def __repr__(self) -> str:
        return "unreadable"


def plain_rows(made: Rows) -> dict[str, Any]:
    """Return rows as JSON knows them, but bytes; what cannot be read is None."""

    def plain(value: Any) -> Any:
        return None if isinstance(value, _Unknown) else value

    return {
        name: {key: {c: plain(v) for c, v in row.items()} for key, row in listed.items()}
        for name, listed in made.items()
    }


def schema() -> dict[str, dict[str, str]]:
    """Return the types of the columns of all tables that actions make, as Python calls them, by
    table and column. What is written out carries it, so that it can be read when tables have
    changed; only "bytes" are read in a way of their own."""
    return {
        name: {column.name: column.type.python_type.__name__ for column in table.columns}
        for name, table in ((name, table_of(name)) for name in MADE)
    }


def rows_of(plain: dict[str, Any], written_by: dict[str, dict[str, str]] | None = None) -> Rows:
    """Return the rows of `plain_rows` as JSON gave them back; a table that it lacks is empty, and
    columns that tables have no more are left out.

    Args:
        written_by: the schema that the rows were written by; None: today's, as before schemas
            were written out.
    """
    by = written_by or schema()
    made: Rows = {name: plain.get(name, {}) for name in MADE}
    for name, listed in made.items():
        columns = by.get(name, {})
        of_bytes = [column for column, kind in columns.items() if kind == "bytes"]
        gone = [column for column in columns if column not in table_of(name).columns]
        for row in listed.values():
            for column in of_bytes:
                if row.get(column) is not None:
                    row[column] = base64.b64decode(row[column])
            for column in gone:
                row.pop(column, None)
    for row in made["mission"].values():  # older ones had none
        row.setdefault("uid", _mission_uid(row, made["logger"]))
    return made


def _mission_uid(row: Row, loggers: dict[str, Row]) -> str:
    if loggers[row["logger_id"]]["model"] in SOURCES:
        return source_id(row["logger_id"], row["point_id"])
    return mission_id(row["logger_id"], row["number"], row["launched_ms"])


def insert_rows(connection: Connection, made: Rows) -> None:
    """Put rows into empty tables."""
    keys: Keys = {}
    for name in MADE:
        keys[name] = {}
        for identity, row in made[name].items():
            insert_row(connection, name, identity, row, keys)


def insert_row(
    connection: Connection,
    name: str,
    identity: str,
    row: Row,
    keys: Keys,
) -> None:
    """Put one row into a table. keys: of what it refers to; its own is added."""
    table = table_of(name)
    values = {column: column_value(table, column, value, keys) for column, value in row.items()}
    if is_identified_by_id(name):
        values["uid"] = identity
    done = connection.execute(insert(table).values(values))
    assert done.inserted_primary_key is not None
    keys[name][identity] = int(done.inserted_primary_key[0])


def column_value(table: Table, column: str, value: Any, keys: Keys) -> Any:
    """Return what a column holds: of a thing referred to, this database's key."""
    referred = next(iter(table.c[column].foreign_keys), None)
    if referred is None or value is None:
        return value
    return keys[referred.column.table.name][value]
