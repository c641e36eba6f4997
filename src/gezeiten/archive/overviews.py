"""Keeping overviews: their bytes in a vault of their own, beside the readings and never among them.

An overview adds no reading: what it shows counts as to offload until the readings come.
"""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive import logbook
from gezeiten.archive.database import Archive
from gezeiten.archive.faults import translated
from gezeiten.archive.intake import Circumstances, RawMission, find_mission
from gezeiten.archive.readings import series_row
from gezeiten.archive.tables import Mission, OverviewRow, Point
from gezeiten.domain.coverage import Range, size
from gezeiten.domain.sites import full_name
from gezeiten.domain.thinning import Thinning


def keep_overview(
    archive: Archive,
    raw: bytes,
    mission: RawMission,
    thinning: Thinning,
    came: list[Range],
    how: Circumstances,
) -> OverviewRow:
    """Keep an overview of a mission; mission and point are made where they are new.

    Args:
        mission: what the overview says of its mission; without readings.
        came: the readings that its values stand for, as far as they came.
    """
    with archive.writing() as session:
        row = find_mission(session, mission, how.said)
        with translated(archive.folder):
            sha256 = archive.overviews.put(raw)
        for channel in mission.channels:
            series_row(session, row.point_id or 0, channel.key, channel.unit)
        kept = OverviewRow(
            mission_id=row.id, at_ms=how.at_ms, person=how.person, route=how.route, sha256=sha256,
            size=len(raw), kind=thinning.kind.value, every=thinning.every,
            came=[list(part) for part in came],
        )  # fmt: skip
        session.add(kept)
        _log(session, row, mission.serial, thinning, came, how, sha256)
        return kept


def overviews_at(session: Session, point_id: int) -> list[OverviewRow]:
    """Return the overviews of the missions at a point, the latest first."""
    return list(
        session.scalars(
            select(OverviewRow)
            .join(Mission, Mission.id == OverviewRow.mission_id)
            .where(Mission.point_id == point_id)
            .order_by(OverviewRow.id.desc())
        )
    )


def _log(
    session: Session,
    mission: Mission,
    serial: str,
    thinning: Thinning,
    came: list[Range],
    how: Circumstances,
    sha256: str,
) -> None:
    point = session.get_one(Point, mission.point_id)
    where = full_name(point.site.name, point.name)
    sentence = (
        f"An overview of {size(came)} readings of mission {mission.number} taken for {where}, one "
        f"value for every {thinning.every}; the readings themselves are still to offload."
    )
    if how.cut_short:
        sentence += f" Ended early: {how.cut_short}"
    logbook.write(
        session,
        at_ms=how.at_ms,
        person=how.person,
        act="overview",
        subject=serial,
        sentence=sentence,
        details={
            "mission": mission.number,
            "route": how.route,
            "sha256": sha256,
            "kind": thinning.kind.value,
            "every": thinning.every,
            "came": [list(part) for part in came],
        },
    )
