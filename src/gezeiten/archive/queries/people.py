"""People who act in an archive; a name erased at the wish of who had it, wherever it stands."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.actions.beginnings import latest_archive_begin
from gezeiten.archive.actions.execution import do
from gezeiten.archive.database import Archive
from gezeiten.archive.files.chains import WITHHELD
from gezeiten.archive.founding import restart_chain
from gezeiten.archive.projection import Authorship
from gezeiten.archive.store.tables import LogbookRow, Person
from gezeiten.domain.actions.people import ERASED, PersonErased, PersonNamed
from gezeiten.errors import InputError


@dataclass(frozen=True, slots=True)
class StoredPerson:
    """Somebody who acts. uid: the id for ever; name: as typed."""

    uid: str
    name: str


def people(session: Session) -> list[StoredPerson]:
    """Return all who act in an archive and whose names were not erased, by name."""
    query = select(Person).where(Person.name != ERASED).order_by(Person.name)
    return [StoredPerson(row.uid, row.name) for row in session.scalars(query)]


def entries_by_name(session: Session) -> dict[str, tuple[int, int]]:
    """Return how many entries there are of each name, and when the newest was made (UTC ms)."""
    query = select(LogbookRow.person, func.count(), func.max(LogbookRow.at_ms))
    rows = session.execute(query.group_by(LogbookRow.person))
    return {name: (many, last_ms) for name, many, last_ms in rows}


def erase(archive: Archive, name: str, authorship: Authorship) -> None:
    """Erase a name: from every table and out of the chain files. What was done stays, and
    everything still checks. Names in entries from before chain files, in words that somebody typed
    and in documents that were handed over stay as well.

    Raises:
        InputError: nobody of that name acts here.
    """
    with archive.writing() as session:
        found = session.scalars(select(Person.uid).where(Person.name == name)).first()
        if found is None or name == ERASED:
            raise InputError(f"This archive has no user “{name}”; check the name.")
        do(session, PersonErased(found), authorship)
        if authorship.person == name:  # the entry of this very act was written under it
            its = update(LogbookRow).where(LogbookRow.person == name)
            session.execute(its.values(person=ERASED))
    finish_erasing(archive, authorship.at_ms)


def finish_erasing(archive: Archive, at_ms: int) -> None:
    """Take erased names out of the chain files, and let the archive begin anew without them; where
    a program was killed on the way, this ends it."""
    with archive.reading() as session:
        if not _entries_with_erased_name(session):
            return
    with archive.writing() as session:
        for row in _entries_with_erased_name(session):
            archive.chains.withhold(row.chain, row.number)
            content = {"act": WITHHELD.word, "subject": "", "sentence": WITHHELD.sentence}
            its = update(LogbookRow).where(LogbookRow.seq == row.seq)
            session.execute(its.values(**content, details={}))
        restart_chain(archive, session, at_ms)
    archive.foundings.clear_all_but(_dump_of(archive))


def _entries_with_erased_name(session: Session) -> list[LogbookRow]:
    """Return the entries that named somebody whose name was erased."""
    erased = set(session.scalars(select(Person.uid).where(Person.name == ERASED)))
    named = select(LogbookRow).where(LogbookRow.act == PersonNamed.WORD, LogbookRow.chain != "")
    return [
        row
        for row in session.scalars(named)
        if row.details.get("kind") == PersonNamed.KIND and row.details["act"]["person"] in erased
    ]


def _dump_of(archive: Archive) -> str:
    with archive.reading() as session:
        begun = latest_archive_begin(session)
        return begun.dump if begun else ""
