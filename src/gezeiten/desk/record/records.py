"""The record of a channel at a point, kept in memory as long as it has not changed."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.here.changes import record_version, record_versions
from gezeiten.archive.here.readings import load_record, recorded_channels
from gezeiten.archive.missions import plans_at
from gezeiten.desk.context import Desk
from gezeiten.domain.plan import Plan
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
    def of(session: ArchiveSession) -> Recorded:
        """Ask the archive."""
        return Recorded(record_versions(session), recorded_channels(session))

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
        version = record_version(session, point_id)
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
        missions = plans_at(session, point_id)
    ends = [first_ms for *_, first_ms in missions]
    return [
        PlanStretch(*mission, end)
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
