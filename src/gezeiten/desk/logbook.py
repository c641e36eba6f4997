"""Reading the logbook: its entries, how many there are, whether their chain holds."""

from __future__ import annotations

from gezeiten.archive import logbook
from gezeiten.desk.context import Desk
from gezeiten.domain.entries import Entry


def logbook_is_intact(desk: Desk) -> bool:
    """Check the logbook's chain alone."""
    with desk.archive.reading() as session:
        return not logbook.check_all(session)[1]


def count_entries(desk: Desk) -> int:
    """Return how many entries the logbook has."""
    with desk.archive.reading() as session:
        return logbook.count(session)


def logbook_entries(desk: Desk, words: str = "", act: str = "") -> list[Entry]:
    """Return entries, latest first, that hold all the words and are of the act (any when "")."""
    wanted = words.casefold().split()
    with desk.archive.reading() as session:
        return [entry for entry in logbook.entries(session, act) if entry.holds(wanted)]
