"""What an archive began with: nothing, or what its tables held when acts began to make them.

The first act of an archive says so; what there was lies in `foundings/` as JSON, by fingerprint.
A version whose acts make more tables than before says it once more.
"""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.act_form import from_stored
from gezeiten.archive.apply import Said
from gezeiten.archive.database import Archive
from gezeiten.archive.doing import do
from gezeiten.archive.faults import translated
from gezeiten.archive.ids import fresh_id, id_of_old_row
from gezeiten.archive.made import MADE, Rows, read_back, rows, written
from gezeiten.archive.tables import LogbookRow
from gezeiten.domain.acts.archives import ArchiveBegun
from gezeiten.domain.entries import Entry
from gezeiten.errors import ArchiveDamagedError


def begin(archive: Archive, said: Said) -> None:
    """Let an archive begin where it has not: keep what its tables hold, and say so."""
    with archive.reading() as session:
        if _has_begun(session):
            return
    with archive.writing() as session:
        if _has_begun(session):
            return  # another program was quicker
        made = rows(session.connection())
        many = sum(len(listed) for listed in made.values())
        dump = ""
        if many:
            with translated(archive.folder):
                dump = archive.foundings.put(written(made))
        do(session, ArchiveBegun(_id_of(session), MADE, dump, many), said)


def _has_begun(session: Session) -> bool:
    query = select(LogbookRow.details).filter_by(act=ArchiveBegun.WORD)
    last = session.scalars(query.order_by(LogbookRow.seq.desc()).limit(1)).first()
    if last is None:
        return False
    try:
        begun = from_stored(last)
    except (ArchiveDamagedError, KeyError, TypeError):
        return True  # verify names it
    return isinstance(begun, ArchiveBegun) and set(begun.tables) >= set(MADE)


def _id_of(session: Session) -> str:
    """The id of an archive: of an old one derived, so that two copies of it agree."""
    first = session.scalars(select(LogbookRow.hash).order_by(LogbookRow.seq).limit(1)).first()
    return id_of_old_row(first, "archive", 0) if first else fresh_id()


def beginning(archive: Archive, entries: list[Entry]) -> tuple[Rows, list[Entry]]:
    """Return what an archive began with, and the entries since; entries: all, oldest first.

    Raises:
        ArchiveDamagedError: no entry says so, or what there was is gone or damaged.
    """
    for i in range(len(entries) - 1, -1, -1):
        if entries[i].act == ArchiveBegun.WORD:
            begun = from_stored(entries[i].details)
            assert isinstance(begun, ArchiveBegun)
            data = archive.foundings.get(begun.dump) if begun.dump else b"{}"
            return read_back(data), entries[i + 1 :]
    raise ArchiveDamagedError(
        "The logbook does not say what the archive began with; fetch the archive's last copy."
    )
