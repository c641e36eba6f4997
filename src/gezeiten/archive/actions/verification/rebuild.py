"""What actions made is put back in place, row by row, where something else was kept."""

from __future__ import annotations

from sqlalchemy import Connection, delete, text, update
from sqlalchemy.orm import Session

from gezeiten.archive.actions.verification.projected_tables import (
    MADE,
    Keys,
    Row,
    Rows,
    column_value,
    insert_row,
    is_identified_by_id,
    table_of,
    table_rows,
)
from gezeiten.archive.local_cache.changes import all_changed
from gezeiten.archive.local_cache.excursions import delete_orphans


def repair_tables(session: Session, wanted: Rows) -> None:
    """Make missing rows, set columns and take rows out as actions say, inside the caller's
    transaction."""
    connection = session.connection()
    if connection.dialect.name == "sqlite":  # what refers to a row may be put right after it
        connection.execute(text("PRAGMA defer_foreign_keys = ON"))
    keys: Keys = {}
    for name in MADE:  # what a row refers to is right by then, and so is how it is told
        stored, keys[name] = table_rows(connection, name, keys)
        _repair_table(connection, name, wanted[name], stored, keys)
        _, keys[name] = table_rows(connection, name, keys)
    delete_orphans(session)
    all_changed(connection)  # which mission feeds which series may be another one now
    session.expire_all()


def _repair_table(
    connection: Connection, name: str, wanted: dict[str, Row], stored: dict[str, Row], keys: Keys
) -> None:
    table = table_of(name)
    extra = [key for key in stored if key not in wanted]
    missing = [key for key in wanted if key not in stored]
    for was, should in _renamed(stored, wanted, extra, missing):
        stored[should] = stored.pop(was)
        keys[name][should] = keys[name].pop(was)
        extra.remove(was)
        missing.remove(should)
        if is_identified_by_id(name):
            _set(connection, name, keys[name][should], {"uid": should})
    for identity in extra:
        connection.execute(delete(table).where(table.c.id == keys[name].pop(identity)))
    for identity in missing:
        insert_row(connection, name, identity, wanted[identity], keys)
    for identity in wanted.keys() & stored.keys():
        changed = {
            column: column_value(table, column, value, keys)
            for column, value in wanted[identity].items()
            if stored[identity][column] != value
        }
        if changed:
            _set(connection, name, keys[name][identity], changed)


def _renamed(
    stored: dict[str, Row], wanted: dict[str, Row], extra: list[str], missing: list[str]
) -> list[tuple[str, str]]:
    """Return which rows only had what identifies them changed: the one that is too many where one
    is missing, or one of which most is the same, its id say."""
    if len(extra) == len(missing) == 1:
        return [(extra[0], missing[0])]
    pairs: list[tuple[str, str]] = []
    for should in missing:
        for was in extra:
            if was not in dict(pairs) and _is_same_row(stored[was], wanted[should]):
                pairs.append((was, should))
                break
    return pairs


def _is_same_row(was: Row, should: Row) -> bool:
    if "uid" in should and was["uid"] == should["uid"]:
        return True
    same = [column for column, value in should.items() if was[column] == value]
    return len(same) >= len(should) - 1


def _set(connection: Connection, name: str, key: int, values: Row) -> None:
    table = table_of(name)
    connection.execute(update(table).where(table.c.id == key).values(values))
