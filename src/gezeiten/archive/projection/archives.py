"""Actions on the archive as a whole put nothing into tables; a chain that was begun because the
archive was not as it had been left says so until somebody looked."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, apply_nothing
from gezeiten.domain.actions.archives import (
    ArchiveBegun,
    ChainBegun,
    ConflictAcknowledged,
    EntriesRemoved,
    EntriesRestored,
)


def apply_chain_begun(
    _connection: Connection, action: ChainBegun, _authorship: Authorship
) -> Conflicts:
    """Return what a computer found when it began a chain of its own."""
    if action.why == "first":
        return []
    return [
        "the archive was not as this computer had left it; an older copy was "
        "restored, or the end of its logbook is missing"
    ]


FAMILY = Family(
    {
        ArchiveBegun: apply_nothing,
        ChainBegun: apply_chain_begun,
        ConflictAcknowledged: apply_nothing,
        EntriesRestored: apply_nothing,
        EntriesRemoved: apply_nothing,
    },
    {},
)
