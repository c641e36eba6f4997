"""Who acts in an archive, and a name erased at the wish of who had it."""

from __future__ import annotations

from gezeiten.archive import people
from gezeiten.desk.context import Desk


def names(desk: Desk) -> list[str]:
    """Return the names of all who act in this archive."""
    with desk.archive.reading() as session:
        return [person.name for person in people.people(session)]


def erase_name(desk: Desk, name: str) -> None:
    """Erase a name from the archive: what was done stays, and everything still checks.

    Raises:
        InputError: nobody of that name acts here.
    """
    people.erase(desk.archive, name, desk.said)
