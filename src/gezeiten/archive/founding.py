"""What an archive began with: nothing, or what its tables held when actions began to make them.

The first action of an archive says so; what there was lies in `foundings/` as JSON, by fingerprint.
A version whose actions make more tables than before says it once more.
"""

from __future__ import annotations

import msgspec
from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.beginnings import OLD_ENTRIES, SCHEMA, latest_archive_begin
from gezeiten.archive.actions.execution import do_by_itself
from gezeiten.archive.actions.verification.entry_restoration import old_entries
from gezeiten.archive.actions.verification.projected_tables import (
    HELD_AT_BEGIN,
    MADE,
    plain_rows,
    rows,
    schema,
)
from gezeiten.archive.database import Archive
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.ids import fresh_id, id_of_old_row
from gezeiten.archive.store.tables import LogbookRow
from gezeiten.domain.actions.archives import ArchiveBegun
from gezeiten.errors import ArchiveDamagedError


def begin_if_new(archive: Archive, at_ms: int) -> None:
    """Let an archive begin where it has not: keep what its tables hold, and say so."""
    with archive.reading() as session:
        if _has_beginning(session):
            return
    with archive.writing() as session:
        if not _has_beginning(session):  # another program may have been quicker
            restart_chain(archive, session, at_ms)


def restart_chain(archive: Archive, session: Session, at_ms: int) -> None:
    """Let an archive begin with what it holds now, inside the caller's transaction."""
    made, old = rows(session.connection()), old_entries(session)
    many = sum(len(listed) for listed in made.values())
    dump = ""
    if many or old:
        with translated(archive.folder):
            data = msgspec.json.encode({**plain_rows(made), OLD_ENTRIES: old, SCHEMA: schema()})
            dump = archive.foundings.store(data)
    do_by_itself(session, ArchiveBegun(_id_of(session), MADE, dump, many), at_ms)


def _has_beginning(session: Session) -> bool:
    try:
        begun = latest_archive_begin(session)
    except ArchiveDamagedError:
        return True  # verify names it
    return begun is not None and set(begun.tables).issuperset(HELD_AT_BEGIN)


def _id_of(session: Session) -> str:
    """The id of an archive: the one it has; of an old one derived, so that two copies agree."""
    begun = latest_archive_begin(session)
    if begun is not None:
        return begun.archive
    first = session.scalars(select(LogbookRow.hash).order_by(LogbookRow.seq).limit(1)).first()
    return id_of_old_row(first, "archive", 0) if first else fresh_id()
