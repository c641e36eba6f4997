"""Taking a whole text out of the record again: its bytes stay, its readings go."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.execution import do
from gezeiten.archive.intake.mission_decoding import (
    Decode,
    decode_mission,
    offloads_of,
    replace_mission_readings,
)
from gezeiten.archive.local_cache.block_store import delete_blocks
from gezeiten.archive.projection import Authorship
from gezeiten.archive.queries.corrections import corrections_at
from gezeiten.archive.store.tables import Mission, Offload, Point
from gezeiten.domain.actions.corrections import CorrectionWithdrawn
from gezeiten.domain.actions.offloads import TextRemoved
from gezeiten.domain.facts.sites import full_name
from gezeiten.errors import InputError


@dataclass(frozen=True, slots=True)
class ImportedText:
    """What a text brought to one source. file: its name, "" where nobody noted it; instants are UTC
    ms; removed_ms: None while it is in the record."""

    sha256: str
    source: str
    point: str
    file: str
    at_ms: int
    person: str
    readings: int
    removed_ms: int | None


def imported_texts(session: Session) -> list[ImportedText]:
    """Return what texts brought, the newest first."""
    rows = session.scalars(
        select(Offload).where(Offload.reading.is_not(None)).order_by(Offload.id.desc())
    )
    found = []
    for row in rows:
        mission = session.get_one(Mission, row.mission_id)
        point = session.get_one(Point, mission.point_id)
        many = sum(end - first for first, end in row.received)
        found.append(
            ImportedText(
                row.sha256,
                mission.logger.serial,
                full_name(point.site.name, point.name),
                str((row.reading or {}).get("file", "")),
                row.at_ms,
                row.person,
                many,
                row.taken_out_ms,
            )
        )
    return found


def remove_text(
    session: Session, sha256: str, reason: str, decode: Decode, authorship: Authorship
) -> None:
    """Take a text out of the record, of all its sources, inside the caller's transaction.

    Raises:
        InputError: it is not in the record.
    """
    query = select(Offload).where(Offload.sha256 == sha256, Offload.reading.is_not(None))
    rows = list(session.scalars(query.where(Offload.taken_out_ms.is_(None)).order_by(Offload.id)))
    if not rows:
        raise InputError("This file is no longer in the record; reload the list.")
    files = {row.mission_id: str((row.reading or {}).get("file", "")) for row in rows}
    for mission_id, file in files.items():
        mission = session.get_one(Mission, mission_id)
        point = session.get_one(Point, mission.point_id)
        do(session, TextRemoved(mission.logger.serial, point.uid, sha256, file, reason), authorship)
        session.expire_all()
        for step in corrections_at(session, point.id):
            if step.parameters.get("of") == sha256:
                do(
                    session,
                    CorrectionWithdrawn(
                        step.point, step.uid, step.series, step.start_ms, step.end_ms
                    ),
                    authorship,
                )
        left = offloads_of(session, mission_id)
        if left:
            replace_mission_readings(session, decode_mission(session, mission, left, decode))
        else:
            delete_blocks(session, mission.uid)
