"""The record of a channel at a point, kept in memory as long as it has not changed."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.here import SeriesRow
from gezeiten.archive.readings import load_record
from gezeiten.archive.tables import Mission, Point
from gezeiten.desk.context import Desk
from gezeiten.domain.plan import Plan, plan_from_dict
from gezeiten.domain.pyramid import Pyramid
from gezeiten.domain.series import Series, empty_series
from gezeiten.domain.timeline import Span


@dataclass(frozen=True, slots=True)
class PlanStretch:
    """A plan and the stretch in which it was in force at a point; mission for naming it."""

    mission_id: int
    mission: int
    plan: Plan
    start_ms: int
    end_ms: int | None


@dataclass(frozen=True, slots=True)
class Recorded:
    """What there is to look at, for looking at many points: the version of each point's record, and
    the channels (point id, key) that have readings at all."""

    versions: dict[int, int]
    channels: frozenset[tuple[int, str]]

    @staticmethod
    def of(session: Session) -> Recorded:
        """Ask the archive."""
        points = session.execute(select(Point.id, Point.record_version))
        series = session.execute(
            select(Point.id.label("point_id"), SeriesRow.channel)
            .join(Point, Point.uid == SeriesRow.point)
            .where(SeriesRow.has_readings)
        )
        return Recorded(
            {row.id: row.record_version for row in points},
            frozenset((row.point_id, row.channel) for row in series),
        )

    def record(self, desk: Desk, point_id: int, channel: str) -> Series:
        """Return the record of a channel at a point."""
        if (point_id, channel) not in self.channels:
            return empty_series()
        return pyramid(desk, point_id, channel, self.versions.get(point_id)).series


def pyramid(desk: Desk, point_id: int, channel: str, version: int | None = None) -> Pyramid:
    """Return the record with its drawing summaries.

    version: of the point's record, where it is known already; else it is asked for.
    """
    known = desk.records.get((point_id, channel))
    if known and known[0] == version:
        return known[1]
    with desk.archive.reading() as session:
        version = session.get_one(Point, point_id).record_version
        if known and known[0] == version:
            return known[1]
        made = Pyramid(load_record(session, point_id, channel))
    desk.records[(point_id, channel)] = (version, made)
    return made


def record(desk: Desk, point_id: int, channel: str) -> Series:
    """Return the record of a channel at a point."""
    return pyramid(desk, point_id, channel).series


def plan_stretches(desk: Desk, point_id: int) -> list[PlanStretch]:
    """Return the plans at a point, oldest first; each is in force until the next begins."""
    with desk.archive.reading() as session:
        missions = session.scalars(
            select(Mission).filter_by(point_id=point_id).order_by(Mission.first_ms)
        ).all()
    ends = [mission.first_ms for mission in missions]
    return [
        PlanStretch(mission.id, mission.number, plan_from_dict(mission.plan), mission.first_ms, end)
        for mission, end in zip(missions, [*ends[1:], None], strict=False)
    ]


def in_stretch(series: Series, stretch: PlanStretch) -> Series:
    """Return the readings recorded while a plan was in force."""
    end = stretch.end_ms if stretch.end_ms is not None else 2**62
    return series.between(stretch.start_ms, end)


def extent(desk: Desk, point_id: int, channels: list[str]) -> Span | None:
    """Return from the first to the last reading of any of the channels; None without any."""
    spans = []
    for channel in channels:
        series = record(desk, point_id, channel)
        if len(series):
            spans.append((int(series.times_utc_ms[0]), int(series.times_utc_ms[-1])))
    if not spans:
        return None
    return min(a for a, _ in spans), max(b for _, b in spans)
