"""Entering an action: its line for the chain file and its row in the table, in one transaction.

The lines wait in the session until everything else is written; the archive appends and syncs them
right before it commits (`Archive.writing`). From then on the actions are done.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, bindparam, func, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.actions.logbook import GENESIS
from gezeiten.archive.files.chains import WITHHELD, Body, Envelope, line_of
from gezeiten.archive.local_cache.changes import newest_entry, note_entry
from gezeiten.archive.store.prepared import PreparedStatement, insertion
from gezeiten.archive.store.tables import ChainRow, LogbookRow

_CHAINS, _ENTRIES = ChainRow.__table__, LogbookRow.__table__
_ENDS = ("uid", "number", "head", "stamp", "bytes")
_ALL_ENDS = PreparedStatement(select(*(_CHAINS.c[name] for name in _ENDS)))
_MOVED = PreparedStatement(
    update(ChainRow)
    .where(_CHAINS.c.uid == bindparam("its_uid"))
    .values({name: bindparam(f"new_{name}") for name in _ENDS[1:]})
)
_NEW_CHAIN = insertion(_CHAINS, _ENDS)
_LAST = PreparedStatement(select(func.max(_ENTRIES.c.seq)))
_NEW_ENTRY = insertion(
    _ENTRIES,
    (
        "seq",
        "at_ms",
        "person",
        "act",
        "subject",
        "sentence",
        "details",
        "previous",
        "hash",
        "chain",
        "number",
        "stamp",
    ),
)


@dataclass(frozen=True, slots=True)
class End:
    """How far a chain file has been applied: its last entry, and the length of the file there."""

    uid: str
    number: int
    head_hash: str
    stamp: int
    bytes: int


def ends(connection: Connection) -> dict[str, End]:
    """Return how far each chain file has been applied."""
    return {row[0]: End(*row) for row in _ALL_ENDS.all(connection)}


@dataclass(frozen=True, slots=True)
class Author:
    """Who acts, and when (UTC ms): a person's id and name, both "" for the program itself."""

    id: str
    name: str
    at_ms: int


def enter(
    session: Session, chain: str, body: Body, who: Author, *, computer: str, method: str
) -> None:
    """Enter an action that was just applied. body.act: as `action_codec.as_stored` has it."""
    connection = session.connection()
    known_ends = ends(connection)
    row = known_ends.get(chain)
    known = row.stamp if row else _highest_stamp(connection)
    others = max((end.stamp for end in known_ends.values()), default=0)
    envelope = Envelope(
        chain=chain,
        number=row.number + 1 if row else 1,
        previous=row.head_hash if row else newest_entry(connection) or GENESIS,
        stamp=max(who.at_ms, known + 1, others + 1),
        at_ms=who.at_ms,
        person=who.id,
        computer=computer,
        way=method,
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
    last = _LAST.value(connection) or 0
    _NEW_ENTRY.run(connection, seq=last + 1, **row_of(envelope, body, entry_hash, name))
    note_entry(connection, entry_hash)


def row_of(envelope: Envelope, body: Body | None, entry_hash: str, name: str) -> dict[str, Any]:
    """Return what the table has of an entry, but its place in it."""
    entry = body or WITHHELD
    return {
        "at_ms": envelope.at_ms,
        "person": name,
        "act": entry.word,
        "subject": entry.subject,
        "sentence": entry.sentence,
        "details": entry.act,
        "previous": envelope.previous,
        "hash": entry_hash,
        "chain": envelope.chain,
        "number": envelope.number,
        "stamp": envelope.stamp,
    }


def move_chain(
    connection: Connection, chain: str, envelope: Envelope, entry_hash: str, length: int
) -> None:
    """Note how far a chain file has been applied."""
    number, stamp = envelope.number, envelope.stamp
    if not _MOVED.run(
        connection,
        its_uid=chain,
        new_number=number,
        new_head=entry_hash,
        new_stamp=stamp,
        new_bytes=length,
    ):
        _NEW_CHAIN.run(
            connection, uid=chain, number=number, head=entry_hash, stamp=stamp, bytes=length
        )


def _highest_stamp(connection: Connection) -> int:
    """Of all entries, those from before there were stamps by their clock."""
    both = select(func.max(_ENTRIES.c.stamp), func.max(_ENTRIES.c.at_ms))
    return max(value or 0 for value in connection.execute(both).one())
