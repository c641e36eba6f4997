"""Every doubt about the computer's clock: its own signs, and the newest thing in the archive."""

from __future__ import annotations

from gezeiten.archive.actions.logbook import newest_ms
from gezeiten.desk.base.clock_watch import JUMP_MS
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.series.timeline import duration_text


def clock_doubts(desk: Workspace) -> list[str]:
    """Return every doubt about the computer's clock, the archive's newest entry included."""
    said = desk.computer.doubts()
    with desk.archive.reading() as session:
        newest = newest_ms(session)
    if newest is not None and desk.now_ms() < newest - JUMP_MS:
        behind = duration_text(newest - desk.now_ms())
        said.append(f"This computer's clock is {behind} earlier than the newest logbook entry.")
    return said
