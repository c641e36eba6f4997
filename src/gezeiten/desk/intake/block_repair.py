"""Blocks found to be damaged where they are read: rebuilt from the bytes they came from."""

from __future__ import annotations

from gezeiten.archive.intake.block_check import rebuild_mission
from gezeiten.archive.local_cache.layout import layout
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.raw_bytes import decoding
from gezeiten.desk.record.excursion_book import refresh_excursions


def heal(desk: Workspace, point_id: int) -> bool:
    """Make the readings at a point anew where they are not as their bytes say; returns whether any
    were. Bytes that are gone or damaged themselves make nothing."""
    if desk.archive.is_looked_at:
        return False
    with desk.archive.reading() as session:
        made = layout(session)
        missions = sorted({made.missions[feed.mission] for feed in made.at_point(point_id)})
    healed = False
    for mission in missions:  # one at a time: others write in between
        with desk.archive.writing() as session:
            healed |= rebuild_mission(session, mission, decoding(desk))
    if healed:
        desk.archive.on_wait("Damaged readings on this computer were restored from the vault.")
        refresh_excursions(desk, point_id)
    return healed
