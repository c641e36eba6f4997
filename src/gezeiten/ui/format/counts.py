"""What stands below the names of the places, and what a start takes in; imported after the first
place is painted, off the main thread: it needs nearly everything."""

from __future__ import annotations

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import open_gaps
from gezeiten.desk.intake.recovery import RecoveryResult, recover
from gezeiten.desk.office.issuing import count_handovers
from gezeiten.desk.office.logbook import has_actions, logbook_is_intact
from gezeiten.desk.record.excursion_book import to_assess
from gezeiten.desk.sites.places import points


def tidied(desk: Workspace) -> RecoveryResult:
    """Take in what a killed program left."""
    desk.archive.listen(desk.archive.on_wait)
    return recover(desk)


def counts(desk: Workspace) -> dict[str, int]:
    """Count what the strip says."""
    return {
        "gaps": open_gaps(desk),
        "points": len(points(desk)),
        "events": to_assess(desk),
        "handed": count_handovers(desk),
        "intact": int(logbook_is_intact(desk)),
        "entries": int(has_actions(desk)),
    }
