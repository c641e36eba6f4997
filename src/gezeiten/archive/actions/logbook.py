"""The logbook out of the archive: its entries, and whether they hold.

Entries lie in chain files (`chains.py`); those from before there were such files lie in the table
alone, each chained to the one before by a hash over its content.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import islice, starmap

from sqlalchemy import bindparam, func, select
from sqlalchemy.orm import Session

from gezeiten.archive.files.chains import WITHHELD, ChainLine
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import LogbookRow
from gezeiten.domain.actions.archives import ArchiveBegun
from gezeiten.domain.actions.people import ERASED, PersonNamed
from gezeiten.domain.facts.entries import Entry

GENESIS = "0" * 64


@dataclass(frozen=True, slots=True)
class Break:
    """Where the chain does not hold: entry number and what is wrong."""

    seq: int
    sentence: str


_COLUMNS = (
    LogbookRow.seq,
    LogbookRow.at_ms,
    LogbookRow.person,
    LogbookRow.act,
    LogbookRow.subject,
    LogbookRow.sentence,
    LogbookRow.details,
    LogbookRow.previous,
    LogbookRow.hash,
    LogbookRow.chain,
    LogbookRow.number,
)
"""As `Entry` has them."""
_LATEST_FIRST = PreparedStatement(select(*_COLUMNS).order_by(LogbookRow.seq.desc()))
_OLDEST_FIRST = PreparedStatement(select(*_COLUMNS).order_by(LogbookRow.seq))
_OF_A_CHAIN = PreparedStatement(
    select(*_COLUMNS).where(LogbookRow.chain == bindparam("its_chain")).order_by(LogbookRow.seq)
)
_AT = PreparedStatement(
    select(*_COLUMNS).where(
        LogbookRow.chain == bindparam("its_chain"), LogbookRow.number == bindparam("its_number")
    )
)
_OF_AN_ACTION = PreparedStatement(
    select(*_COLUMNS).where(LogbookRow.act == bindparam("its_act")).order_by(LogbookRow.seq.desc())
)


def entries(session: Session, action: str = "", *, of_chain: str | None = None) -> Iterator[Entry]:
    """Yield entries, latest first; of one action, or all. of_chain: those of a chain instead,
    oldest first; "" are those from before there were chain files."""
    connection = session.connection()
    if of_chain is not None:
        rows = _OF_A_CHAIN.each(connection, its_chain=of_chain)
    elif action:
        rows = _OF_AN_ACTION.each(connection, its_act=action)
    else:
        rows = _LATEST_FIRST.each(connection)
    yield from starmap(Entry, rows)


@dataclass(frozen=True, slots=True)
class EntryStream:
    """Entries, oldest first, told as often as somebody asks and never kept all at once. start: so
    many are left out at the beginning."""

    reopen: Callable[[], Iterator[Entry]]
    start: int = 0

    def __iter__(self) -> Iterator[Entry]:
        return islice(self.reopen(), self.start, None)

    def from_index(self, index: int) -> EntryStream:
        """Return those from an index on."""
        return EntryStream(self.reopen, self.start + index)


def entry_stream(session: Session) -> EntryStream:
    """Return all entries of the table, in the order in which their actions were applied."""
    return EntryStream(lambda: starmap(Entry, _OLDEST_FIRST.each(session.connection())))


def entry_at(session: Session, chain: str, number: int) -> Entry | None:
    """Return the entry that the table has of a place in a chain, None without one."""
    row = _AT.first_row(session.connection(), its_chain=chain, its_number=number)
    return None if row is None else Entry(*row)


def count(session: Session) -> int:
    """Return how many entries there are."""
    return int(session.scalar(select(func.count()).select_from(LogbookRow)) or 0)


def newest_ms(session: Session) -> int | None:
    """Return the instant of the latest entry (UTC ms), None without any."""
    return session.scalar(select(func.max(LogbookRow.at_ms)))


def has_actions(session: Session) -> bool:
    """Whether anything was done but that the archive was begun."""
    query = select(LogbookRow.seq).where(LogbookRow.act != ArchiveBegun.WORD)
    return session.scalars(query.limit(1)).first() is not None


def known(session: Session) -> tuple[int, tuple[str, ...], tuple[str, ...]]:
    """Return how many entries there are, and all people and kinds of actions in them."""
    people = session.scalars(select(LogbookRow.person).distinct().order_by(LogbookRow.person))
    actions = session.scalars(select(LogbookRow.act).distinct().order_by(LogbookRow.act))
    return count(session), tuple(people), tuple(actions)


def entry_of_line(line: ChainLine, seq: int, names: Mapping[str, str]) -> Entry:
    """Return an entry as its chain file has it. seq: its place among all; names: of people, by
    their ids."""
    envelope = line.envelope
    told = line.body or WITHHELD
    return Entry(
        seq,
        envelope.at_ms,
        name_of(envelope.person, names),
        told.word,
        told.subject,
        told.sentence,
        told.act,
        envelope.previous,
        line.hash,
        envelope.chain,
        envelope.number,
    )


def name_of(person: str, names: Mapping[str, str]) -> str:
    """Return a person's name; the program itself has none."""
    return names.get(person, ERASED) if person else ""


def names_in(lines: Iterable[ChainLine]) -> dict[str, str]:
    """Return the names of people that entries give, by their ids."""
    actions = [line.body.act for line in lines if line.body is not None]
    return {
        action["act"]["person"]: action["act"]["name"]
        for action in actions
        if action.get("kind") == PersonNamed.KIND
    }


# -- entries from before there were chain files ----------------------------------------------------
def old_hash(row: Entry | LogbookRow) -> str:
    """Return SHA-256 over the previous hash and the entry as JSON with sorted keys."""
    content = {
        "seq": row.seq,
        "at_ms": row.at_ms,
        "person": row.person,
        "act": row.act,
        "subject": row.subject,
        "sentence": row.sentence,
        "details": row.details,
    }
    # what cannot be read in the database any more hashes as something else, so the entry breaks
    text = json.dumps(
        content, sort_keys=True, ensure_ascii=False, separators=(",", ":"), default=repr
    )
    return hashlib.sha256((row.previous + text).encode()).hexdigest()


def check_old(rows: Iterable[Entry | LogbookRow]) -> list[Break]:
    """Return where entries without a chain file do not hold; in order of their number, from 1."""
    breaks = []
    previous, expected = GENESIS, 1
    for row in rows:
        if row.seq != expected:
            breaks.append(Break(expected, f"Entry {expected} is missing before {row.seq}."))
        elif row.previous != previous:
            breaks.append(Break(row.seq, f"Entry {row.seq} does not follow the one before it."))
        if row.hash != old_hash(row):
            breaks.append(Break(row.seq, f"Entry {row.seq} was changed after it was written."))
        previous, expected = row.hash, row.seq + 1
    return breaks
