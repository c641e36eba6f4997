"""The logbook: append-only, each entry chained to the one before by its hash."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.tables import LogbookRow

GENESIS = "0" * 64


@dataclass(frozen=True, slots=True)
class Break:
    """Where the chain does not hold: entry number and what is wrong."""

    seq: int
    sentence: str


def entry_hash(row: LogbookRow) -> str:
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


def check(rows: Iterable[LogbookRow]) -> list[Break]:
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
