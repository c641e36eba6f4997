"""The record of a series at a point, kept in memory as long as it has not changed."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.here.changes import record_version, record_versions
from gezeiten.archive.here.layout import Layout, layout
from gezeiten.archive.here.readings import load_record
from gezeiten.archive.limits import limits_of_series
from gezeiten.archive.missions import missions_by_id
from gezeiten.desk.context import Desk
from gezeiten.domain.feeds import Feed
from gezeiten.domain.kept import LimitKept
from gezeiten.domain.limits import InForce, LimitRule, in_turn
from gezeiten.domain.plan import plan_from_dict
from gezeiten.domain.pyramid import Pyramid
from gezeiten.domain.series import Series, empty_series
from gezeiten.domain.timeline import EVER_MS, Span


@dataclass(frozen=True, slots=True)
class Watched:
    """What a mission feeds into a series, and the limits of its plan on that channel. mission: its
    key in this database."""

    series: str
    feed: Feed
    mission: int
    rules: tuple[LimitRule, ...]


@dataclass(frozen=True, slots=True)
class Recorded:
    """What there is to look at, for looking at many points: the version of each point's record, and
    which mission feeds which series."""

    versions: dict[int, int]
    layout: Layout

    @staticmethod
    def of(session: ArchiveSession) -> Recorded:
        """Ask the archive."""
        return Recorded(record_versions(session), layout(session))

    def record(self, desk: Desk, point_id: int, key: str) -> Series:
        """Return the record of a series at a point."""
        if not self.layout.of_series(point_id, key):
            return empty_series()
        return pyramid(desk, point_id, key, self).series


def pyramid(desk: Desk, point_id: int, key: str, recorded: Recorded | None = None) -> Pyramid:
    """Return the record with its drawing summaries.

    recorded: what there is, where it is known already; else it is asked for.
    """
    name = (point_id, key)
    if recorded is not None:
        known = desk.records.get(name, _state(recorded, point_id, key))
        if known is not None:
            return known
    with desk.archive.reading() as session:
        state = (record_version(session, point_id), layout(session).of_series(point_id, key))
        known = desk.records.get(name, state)
        if known is not None:
            return known
        made = Pyramid(load_record(session, point_id, key))
    desk.records.put(name, state, made)
    return made


def _state(recorded: Recorded, point_id: int, key: str) -> tuple[int, tuple[Feed, ...]]:
    return (recorded.versions.get(point_id, 0), recorded.layout.of_series(point_id, key))


def record(desk: Desk, point_id: int, key: str) -> Series:
    """Return the record of a series at a point."""
    return pyramid(desk, point_id, key).series


def watched(desk: Desk, point_id: int) -> list[Watched]:
    """Return what feeds the series of a point, with the limits that its mission's plan had: what
    was in force then judges what happened then."""
    with desk.archive.reading() as session:
        made = layout(session)
        fed = made.at_point(point_id)
        missions = missions_by_id(session, {one.mission for one in fed})
    plans = {uid: plan_from_dict(mission.plan) for uid, mission in missions.items()}
    return [
        Watched(one.series, one, missions[one.mission].id,
                tuple(plans[one.mission].rules_for(one.channel)))
        for one in fed
    ]  # fmt: skip


def limits_at(desk: Desk, point_id: int) -> dict[str, tuple[InForce, ...]]:
    """Return the limits of each series of a point that compare with a value, with the stretches in
    which they were in force."""
    found: dict[str, list[InForce]] = {}
    for one in watched(desk, point_id):
        rules = tuple(rule for rule in one.rules if rule.has_value)
        if rules:
            stretch = InForce(rules, one.feed.start_ms, one.feed.end_ms)
            found.setdefault(one.series, []).append(stretch)
    for limit in limits_set(desk, point_id):
        if limit.rule.has_value:
            found.setdefault(limit.series, []).append(in_force(limit))
    return {key: in_turn(listed) for key, listed in found.items()}


def limits_set(desk: Desk, point_id: int) -> list[LimitKept]:
    """Return the limits that were set for the series of a point."""
    with desk.archive.reading() as session:
        return limits_of_series(session, point_id)


def in_force(limit: LimitKept) -> InForce:
    """Return from when to when a limit that was set is in force."""
    return InForce((limit.rule,), limit.start_ms, limit.end_ms or EVER_MS)


def in_stretch(series: Series, feed: Feed) -> Series:
    """Return the readings of a series in the stretch of a feed."""
    return series.between(feed.start_ms, feed.end_ms)


def extent(desk: Desk, point_id: int, keys: list[str]) -> Span | None:
    """Return from the first to the last reading of any of the series; None without any."""
    spans = []
    for key in keys:
        series = record(desk, point_id, key)
        if len(series):
            spans.append((int(series.times_utc_ms[0]), int(series.times_utc_ms[-1])))
    if not spans:
        return None
    return min(a for a, _ in spans), max(b for _, b in spans)
