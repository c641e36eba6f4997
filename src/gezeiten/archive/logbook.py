"""The logbook: append-only, each entry chained to the one before by its hash."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.tables import LogbookRow
from gezeiten.domain.entries import Entry

GENESIS = "0" * 64


@dataclass(frozen=True, slots=True)
class Break:
    """Where the chain does not hold: entry number and what is wrong."""

    seq: int
    sentence: str


def entries(session: Session, act: str = "") -> Iterator[Entry]:
    """Yield entries, latest first; of one act, or all."""
    query = select(LogbookRow).order_by(LogbookRow.seq.desc())
    for row in session.scalars(query.filter_by(act=act) if act else query):
        yield _entry(row)


def count(session: Session) -> int:
    """Return how many entries there are."""
    return int(session.scalar(select(func.count()).select_from(LogbookRow)) or 0)


def check_all(session: Session) -> tuple[int, list[Break]]:
    """Return how many entries there are, and where their chain is broken."""
    listed = [_entry(row) for row in session.scalars(select(LogbookRow).order_by(LogbookRow.seq))]
    return len(listed), check(listed)


def _entry(row: LogbookRow) -> Entry:
    return Entry(
        row.seq, row.at_ms, row.person, row.act, row.subject, row.sentence, row.details,
        row.previous, row.hash,
    )  # fmt: skip


def entry_hash(row: Entry | LogbookRow) -> str:
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


def write(
    session: Session,
    *,
    at_ms: int,
    person: str,
    act: str,
    subject: str,
    sentence: str,
    details: dict[str, Any] | None = None,
) -> LogbookRow:
    """Append an entry inside the caller's transaction, so act and entry stand or fall together.

    details must hold only what JSON gives back unchanged.
    """
    last = session.scalars(select(LogbookRow).order_by(LogbookRow.seq.desc()).limit(1)).first()
    row = LogbookRow(
        seq=last.seq + 1 if last else 1,
        at_ms=at_ms,
        person=person,
        act=act,
        subject=subject,
        sentence=sentence,
        details=details or {},
        previous=last.hash if last else GENESIS,
        hash="",
    )
    row.hash = entry_hash(row)
    session.add(row)
    session.flush()
    return row


def check(rows: Iterable[Entry | LogbookRow]) -> list[Break]:
    """Return where the chain is broken; rows in order of their number, from the first."""
    breaks = []
    previous, expected = GENESIS, 1
    for row in rows:
        if row.seq != expected:
            breaks.append(Break(expected, f"Entry {expected} is missing before {row.seq}."))
        elif row.previous != previous:
            breaks.append(Break(row.seq, f"Entry {row.seq} does not follow the one before it."))
        if row.hash != entry_hash(row):
            breaks.append(Break(row.seq, f"Entry {row.seq} was changed after it was written."))
        previous, expected = row.hash, row.seq + 1
    return breaks
