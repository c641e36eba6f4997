"""What an archive began with, as its logbook says: rows, and entries from before chain files."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.logbook import EntryStream
from gezeiten.archive.actions.verification.projected_tables import HELD_AT_BEGIN, Rows, rows_of
from gezeiten.archive.store.action_codec import from_stored
from gezeiten.archive.store.tables import LogbookRow
from gezeiten.domain.actions.archives import ArchiveBegun
from gezeiten.errors import ArchiveDamagedError, GezeitenError

OLD_ENTRIES = "logbook"
"""In a dump, beside the tables: the entries from before there were chain files."""
SCHEMA = "schema"
"""In a dump, beside the tables: the schema that it was made by; older ones have none."""


def latest_archive_begin(session: Session) -> ArchiveBegun | None:
    """Return how the archive began, the last time that it said so; None before."""
    query = select(LogbookRow.details).where(
        LogbookRow.act == ArchiveBegun.WORD, LogbookRow.chain != ""
    )
    last = session.scalars(query.order_by(LogbookRow.seq.desc()).limit(1)).first()
    return None if last is None else archive_begin_of_entry(last)


def archive_begin_of_entry(details: dict[str, Any]) -> ArchiveBegun:
    """Return the action of an entry that says how an archive began.

    Raises:
        ArchiveDamagedError: it is none.
    """
    try:
        begun = from_stored(details)
    except (GezeitenError, KeyError, TypeError) as exc:
        raise _unknown() from exc
    if not isinstance(begun, ArchiveBegun):
        raise _unknown()
    return begun


def dump_of(
    begun: ArchiveBegun, bytes_of: Callable[[str], bytes]
) -> tuple[Rows, list[dict[str, Any]]]:
    """Return the rows that an archive began with, and its entries from before then.

    Raises:
        ArchiveDamagedError: they are gone or damaged.
    """
    if not begun.dump:
        return rows_of({}), []
    dump = msgspec.json.decode(bytes_of(begun.dump))
    return rows_of(dump, dump.get(SCHEMA)), dump.get(OLD_ENTRIES, [])


def beginning(
    bytes_of: Callable[[str], bytes], entries: EntryStream
) -> tuple[Rows, list[dict[str, Any]], EntryStream]:
    """Return the rows that an archive began with, its entries from before then, and of these
    entries, oldest first, those since.

    It counts from the first time that it began with all that actions make: a copy of it may have
    gone on elsewhere since then. Where that dump is gone (a name was erased from all of it), from
    the next one.

    Raises:
        ArchiveDamagedError: no entry says so, or what there was is gone or damaged.
    """
    wrong: ArchiveDamagedError | None = None
    for i, entry in enumerate(entries):
        if not entry.chain or entry.act != ArchiveBegun.WORD:
            continue
        begun = archive_begin_of_entry(entry.details)
        if not set(begun.tables).issuperset(HELD_AT_BEGIN):
            continue
        try:
            made, old = dump_of(begun, bytes_of)
        except ArchiveDamagedError as exc:
            wrong = exc
            continue
        return made, old, entries.from_index(i + 1)
    raise wrong or _unknown()


def _unknown() -> ArchiveDamagedError:
    return ArchiveDamagedError(
        "The logbook does not say what the archive began with; restore the archive's last copy."
    )
