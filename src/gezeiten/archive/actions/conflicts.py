"""Actions that found something otherwise than they say: another computer had changed it meanwhile,
or the archive was not as this one had left it.

The action stands, and what it found is kept here until somebody says that he looked at it. They are
what applying finds, so they come back whenever tables are rebuilt from actions.
"""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.tables import ConflictRow
from gezeiten.archive.projection import Conflicts
from gezeiten.archive.store.tables import LogbookRow
from gezeiten.domain.actions.archives import ConflictAcknowledged


def store_conflicts(session: Session, found: Mapping[str, Conflicts]) -> None:
    """Store conflicts by the hash of their entry."""
    session.execute(delete(ConflictRow).where(ConflictRow.entry.in_(list(found))))
    for entry, words in found.items():
        session.execute(insert(ConflictRow).values(entry=entry, words=words))


def replace_conflicts(session: Session, found: Mapping[str, Conflicts]) -> None:
    """Replace all stored conflicts by these: all actions were applied again."""
    session.execute(delete(ConflictRow))
    store_conflicts(session, found)


def unseen_conflicts(session: Session) -> dict[str, list[str]]:
    """Return what nobody has looked at yet, by the hash of the entry."""
    found = {row.entry: row.words for row in session.scalars(select(ConflictRow))}
    if found:
        for details in session.scalars(
            select(LogbookRow.details).filter_by(act=ConflictAcknowledged.WORD)
        ):
            found.pop(details["act"]["entry"], None)
    return found
