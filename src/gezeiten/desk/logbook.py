"""Reading the logbook: its entries, how many there are, whether it ends as it did."""

from __future__ import annotations

from gezeiten.archive import logbook
from gezeiten.archive.chain_check import ends_hold
from gezeiten.desk.context import Desk
from gezeiten.domain.entries import Entry


def logbook_is_intact(desk: Desk) -> bool:
    """Whether the logbook ends as it did; nothing is asked of it but its end."""
    with desk.archive.reading() as session:
        return ends_hold(session, desk.archive.chains) and not desk.archive.chain.doubt(session)


def count_entries(desk: Desk) -> int:
    """Return how many entries the logbook has."""
    with desk.archive.reading() as session:
        return logbook.count(session)


def logbook_entries(desk: Desk, words: str = "", act: str = "") -> list[Entry]:
    """Return entries, latest first, that hold all the words and are of the act (any when "")."""
    wanted = words.casefold().split()
    with desk.archive.reading() as session:
        return [entry for entry in logbook.entries(session, act) if entry.holds(wanted)]
