"""Entries that came late: of another computer's chain, done before what was applied here already.

Tables rest on all actions in their order, so they are rebuilt and put in place of those kept. Two
archives that took in each other's chains and bytes hold the same, whatever came first.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.beginnings import beginning
from gezeiten.archive.actions.conflicts import replace_conflicts
from gezeiten.archive.actions.entry_writing import ends
from gezeiten.archive.actions.logbook import entry_stream
from gezeiten.archive.actions.verification.entry_restoration import old_entries, restore_entries
from gezeiten.archive.actions.verification.rebuild import repair_tables
from gezeiten.archive.actions.verification.replay import replayed_tables
from gezeiten.archive.files.chains import ChainFiles, ChainLine
from gezeiten.archive.store.tables import LogbookRow


def is_out_of_order(session: Session, chain_lines: Iterable[ChainLine]) -> bool:
    """Whether one of these entries belongs before one that was applied already."""
    highest = session.scalar(select(func.max(LogbookRow.stamp))) or 0
    return any(line.envelope.stamp <= highest for line in chain_lines)


def find_conflicts(session: Session, bytes_of: Callable[[str], bytes]) -> None:
    """Find all conflicts again; where only one computer has acted there
    is nothing: such an action is refused there.

    Raises:
        ArchiveDamagedError: what the archive began with cannot be read.
    """
    if len(ends(session.connection())) > 1:
        began, _, since = beginning(bytes_of, entry_stream(session))
        replace_conflicts(session, replayed_tables(began, since).conflicts)


def make_in_order(session: Session, chains: ChainFiles, bytes_of: Callable[[str], bytes]) -> None:
    """Rebuild entries and tables in the order in which the actions were done.

    Raises:
        ArchiveDamagedError: a line, or what the archive began with, cannot be read; nothing was
            changed.
    """
    with session.begin_nested():
        restore_entries(session, chains, old_entries(session))
        began, _, since = beginning(bytes_of, entry_stream(session))
        anew = replayed_tables(began, since)  # what cannot be applied, verify names
        repair_tables(session, anew.rows)
        replace_conflicts(session, anew.conflicts)
