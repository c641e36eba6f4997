"""The table of entries rebuilt from the chain files, and from what the archive began with."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.entry_writing import add_entry, move_chain
from gezeiten.archive.actions.logbook import name_of, names_in
from gezeiten.archive.files.chains import ChainFiles, read_line
from gezeiten.archive.store.tables import ChainRow, LogbookRow

_ENTRIES = LogbookRow.__table__


def old_entries_match(session: Session, old: list[dict[str, Any]]) -> bool:
    """Whether the table has the entries of before as the archive began with them."""
    return old_entries(session) == old


def old_entries(session: Session) -> list[dict[str, Any]]:
    """Return the entries that no chain file has, as the table has them."""
    query = select(_ENTRIES).where(_ENTRIES.c.chain == "").order_by(_ENTRIES.c.seq)
    return [dict(row) for row in session.execute(query).mappings()]


def restore_entries(session: Session, chains: ChainFiles, old: list[dict[str, Any]]) -> None:
    """Make the table of entries, and how far each chain was applied, anew; the chains hold."""
    connection = session.connection()
    connection.execute(delete(LogbookRow))
    connection.execute(delete(ChainRow))
    if old:
        connection.execute(insert(LogbookRow), old)
    lines = []
    for chain in chains.sizes():
        end = 0
        for raw in chains.raw_lines(chain):
            end += len(raw)
            lines.append((read_line(raw), end))
    lines.sort(key=lambda one: one[0].order)
    names = names_in(line for line, _ in lines)
    for line, end in lines:
        name = name_of(line.envelope.person, names)
        add_entry(connection, line.envelope, line.body, line.hash, name)
        move_chain(connection, line.envelope.chain, line.envelope, line.hash, end)
    session.expire_all()
