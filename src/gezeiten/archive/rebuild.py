"""What acts made is put back in place, row by row, where something else was kept."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, Table, delete, insert, select, text, update
from sqlalchemy.orm import Session

from gezeiten.archive.anew import MADE, Difference, Row
from gezeiten.archive.tables import Base, Mission, Point, SeriesRow

_FRESH = {"point": {"record_version": 1, "excursions_version": 0}}
"""Columns of this computer in a row made anew: its record counts as changed."""


def put_right(session: Session, differences: list[Difference]) -> None:
    """Make missing rows, set columns and take rows out as acts say, inside the caller's
    transaction."""
    session.flush()
    connection = session.connection()
    if connection.dialect.name == "sqlite":  # what refers to a row may be put right after it
        connection.execute(text("PRAGMA defer_foreign_keys = ON"))
    in_order = sorted(differences, key=lambda one: _place(one.table))
    extra = [one for one in in_order if not one.column and one.wanted is None]
    missing = [one for one in in_order if not one.column and one.wanted is not None]
    for one in extra:
        same = next((m for m in missing if (m.table, m.wanted) == (one.table, one.found)), None)
        if same is None:
            table = Base.metadata.tables[one.table]
            connection.execute(delete(table).where(table.c.uid == one.key))
        else:  # only its id was changed
            missing.remove(same)
            _set(connection, one.table, one.key, {"uid": same.key})
    for one in missing:
        _make(connection, one)
    for one in in_order:
        if one.column:
            table = Base.metadata.tables[one.table]
            value = _key(connection, table, one.column, one.wanted)
            _set(connection, one.table, one.key, {one.column: value})
    session.expire_all()


def _place(table: str) -> int:
    return MADE.index(table) if table in MADE else -1


def _make(connection: Connection, one: Difference) -> None:
    table = Base.metadata.tables[one.table]
    row = {name: _key(connection, table, name, value) for name, value in one.wanted.items()}
    row = {"uid": one.key, **row, **_FRESH.get(one.table, {})}
    key = _key_that_records_know(connection) if one.table == "point" else None
    connection.execute(insert(table).values(row if key is None else {"id": key, **row}))


def _key_that_records_know(connection: Connection) -> int | None:
    """The key of a point that is missing, where missions and series refer to just one such."""
    there = select(Point.id)
    known = select(Mission.point_id).where(Mission.point_id.is_not(None))
    query = known.union(select(SeriesRow.point_id)).subquery()
    lost = connection.execute(select(query.c.point_id).where(query.c.point_id.not_in(there))).all()
    return int(lost[0][0]) if len(lost) == 1 else None


def _set(connection: Connection, name: str, key: str, values: Row) -> None:
    table = Base.metadata.tables[name]
    where = table.c.uid == key if "uid" in table.c else table.c.id == int(key)
    connection.execute(update(table).where(where).values(values))


def _key(connection: Connection, table: Table, column: str, value: Any) -> Any:
    """Return what a column holds: of a thing referred to, this database's key."""
    referred = next(iter(table.c[column].foreign_keys), None)
    if referred is None or value is None:
        return value
    other = referred.column.table
    if other.name not in MADE:
        return int(value)
    return connection.execute(select(other.c.id).where(other.c.uid == value)).scalar_one()
