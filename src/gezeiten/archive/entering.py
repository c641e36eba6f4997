"""Entering an act: its line for the chain file and its row in the table, in one transaction.

The lines wait in the session until everything else is written; the archive appends and syncs them
right before it commits (`Archive.writing`). From then on the acts are done.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, func, insert, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.chains import WITHHELD, Body, Envelope, line_of
from gezeiten.archive.logbook import GENESIS
from gezeiten.archive.tables import ChainRow, LogbookRow

_CHAINS, _ENTRIES = ChainRow.__table__, LogbookRow.__table__


@dataclass(frozen=True, slots=True)
class Who:
    """Who acts, and when (UTC ms): a person's id and name, both "" for the program itself."""

    id: str
    name: str
    at_ms: int


def enter(session: Session, chain: str, body: Body, who: Who, *, computer: str, way: str) -> None:
    """Enter an act that was just applied. body.act: as `act_form.as_stored` has it."""
    connection = session.connection()
    row = connection.execute(select(_CHAINS).where(_CHAINS.c.uid == chain)).first()
    known = row.stamp if row else _highest_stamp(connection)
    others = connection.execute(select(func.max(_CHAINS.c.stamp))).scalar() or 0
    envelope = Envelope(
        chain=chain,
        number=row.number + 1 if row else 1,
        previous=row.head if row else head_of(connection),
        stamp=max(who.at_ms, known + 1, others + 1),
        at_ms=who.at_ms,
        person=who.id,
        computer=computer,
        way=way,
        kind=body.act["kind"],
        version=body.act["version"],
        body="",
    )
    line, entry_hash = line_of(envelope, body)
    add_entry(connection, envelope, body, entry_hash, who.name)
    length = (row.bytes if row else 0) + len(line)
    move_chain(connection, chain, envelope, entry_hash, length)
    session.info.setdefault("lines", {}).setdefault(chain, []).append(line)


def add_entry(
    connection: Connection, envelope: Envelope, body: Body | None, entry_hash: str, name: str
) -> None:
    """Add the row of an entry, behind all others. body: None where it was withheld; name: of the
    person."""
    last = connection.execute(select(func.max(_ENTRIES.c.seq))).scalar() or 0
    connection.execute(
        insert(LogbookRow), {"seq": last + 1, **row_of(envelope, body, entry_hash, name)}
    )


def row_of(envelope: Envelope, body: Body | None, entry_hash: str, name: str) -> dict[str, Any]:
    """Return what the table has of an entry, but its place in it."""
    told = body or WITHHELD
    return {
        "at_ms": envelope.at_ms, "person": name, "act": told.word, "subject": told.subject,
        "sentence": told.sentence, "details": told.act, "previous": envelope.previous,
        "hash": entry_hash, "chain": envelope.chain, "number": envelope.number,
        "stamp": envelope.stamp,
    }  # fmt: skip


def move_chain(
    connection: Connection, chain: str, envelope: Envelope, entry_hash: str, length: int
) -> None:
    """Note how far a chain file has been applied."""
    values = {
        "number": envelope.number, "head": entry_hash, "stamp": envelope.stamp, "bytes": length,
    }  # fmt: skip
    there = update(ChainRow).where(ChainRow.uid == chain)
    if not connection.execute(there.values(values)).rowcount:
        connection.execute(insert(ChainRow).values(uid=chain, **values))


def head_of(connection: Connection) -> str:
    """Return the hash of the newest entry, of whatever chain."""
    newest = select(_ENTRIES.c.hash).order_by(_ENTRIES.c.seq.desc()).limit(1)
    return connection.execute(newest).scalar() or GENESIS


def _highest_stamp(connection: Connection) -> int:
    """Of all entries, those from before there were stamps by their clock."""
    both = select(func.max(_ENTRIES.c.stamp), func.max(_ENTRIES.c.at_ms))
    return max(value or 0 for value in connection.execute(both).one())
