"""Tables made anew: the acts of the logbook applied again, in their order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from gezeiten.archive.act_form import from_stored, is_act
from gezeiten.archive.apply import Said, apply
from gezeiten.domain.entries import Entry


@dataclass(frozen=True, slots=True)
class Misfit:
    """What the act of an entry found otherwise than it says; it stands all the same."""

    seq: int
    sentence: str


def apply_again(session: Session, entries: Iterable[Entry]) -> list[Misfit]:
    """Put the acts of entries, oldest first, into the tables of a session; entries that only tell
    are passed over. Returns what did not fit.

    Raises:
        ArchiveNewerError, ArchiveDamagedError: an act cannot be read.
    """
    misfits = []
    connection = session.connection()
    for entry in entries:
        if is_act(entry.details):
            found = apply(connection, from_stored(entry.details), Said(entry.at_ms, entry.person))
            misfits += [Misfit(entry.seq, sentence) for sentence in found]
    return misfits
