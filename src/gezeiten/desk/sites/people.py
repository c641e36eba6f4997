"""Who acts in an archive: chosen at start, and a name erased at the wish of who had it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gezeiten.archive.queries import people
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.facts.people import initials


@dataclass(frozen=True, slots=True)
class User:
    """Somebody who acts in this archive. entries: so many in the logbook; last_ms: of the newest,
    None before the first."""

    name: str
    initials: str
    entries: int
    last_ms: int | None


def acting(desk: Workspace) -> list[User]:
    """Return all who act in this archive, who acted last first."""
    with desk.archive.reading() as session:
        names = [person.name for person in people.people(session)]
        told = people.entries_by_name(session)
    found = [User(name, initials(name), *told.get(name, (0, None))) for name in set(names)]
    return sorted(found, key=lambda one: (-(one.last_ms or 0), one.name))


def names(desk: Workspace) -> list[str]:
    """Return the names of all who act in this archive."""
    return sorted(user.name for user in acting(desk))


def erase_name(desk: Workspace, name: str) -> None:
    """Erase a name from the archive: what was done stays, and everything still checks. Whoever had
    it acts under the account's name until he says another.

    Raises:
        InputError: nobody of that name acts here.
    """
    people.erase(desk.archive, name, desk.authorship)
    if desk.settings.person == name:  # whoever acts next says anew who it is
        desk.change_settings(replace(desk.settings, person=""))
