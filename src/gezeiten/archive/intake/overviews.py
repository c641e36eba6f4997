"""Keeping overviews: their bytes in a vault of their own, beside the readings and never among them.

An overview adds no reading: what it shows counts as to offload until the readings come.
"""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.execution import do
from gezeiten.archive.database import Archive
from gezeiten.archive.intake.missions import Circumstances, RawMission, point_of, stated_mission
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.tables import Mission, OverviewRow
from gezeiten.domain.actions.offloads import OverviewImported, RawBytes
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.series.drawing.thinning import Thinning


def store_overview(
    archive: Archive,
    raw: bytes,
    mission: RawMission,
    thinning: Thinning,
    received: list[Range],
    circumstances: Circumstances,
) -> int:
    """Keep an overview of a mission; mission and point are made where they are new. Returns the key
    of the point.

    Args:
        mission: what the overview says of its mission; without readings.
        received: the readings that its values stand for, as far as they came.
    """
    with archive.writing() as session:
        point = point_of(session, mission, circumstances)
        with translated(archive.folder):
            sha256 = archive.overviews.store(raw)
        action = OverviewImported(
            mission.serial,
            stated_mission(mission, point.uid),
            RawBytes(sha256, len(raw), circumstances.route),
            thinning.kind.value,
            thinning.every,
            tuple(received),
            circumstances.cut_short,
        )
        do(session, action, circumstances.authorship)
        return point.id


def overviews_at(session: Session, point_id: int) -> list[tuple[int, str]]:
    """Return mission (its key) and fingerprint of the overviews at a point, the latest first."""
    there = {assignment.mission for assignment in layout(session).at_point(point_id)}
    query = (
        select(OverviewRow.mission_id, OverviewRow.sha256)
        .join(Mission, Mission.id == OverviewRow.mission_id)
        .where(Mission.uid.in_(there) | (Mission.point_id == point_id))
        .order_by(OverviewRow.id.desc())
    )
    return [(row[0], row[1]) for row in session.execute(query)]


def overviews_named(session: Session) -> list[str]:
    """Return the fingerprints of all overviews."""
    return list(session.scalars(select(OverviewRow.sha256).distinct()))
