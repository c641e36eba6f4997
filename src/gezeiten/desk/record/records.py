"""The record of a series at a point, kept in memory as long as it has not changed."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.archive.here.changes import record_version
from gezeiten.archive.here.layout import layout
from gezeiten.archive.here.readings import load_record
from gezeiten.archive.limits import limits_of_series
from gezeiten.archive.missions import missions_by_id
from gezeiten.desk.context import Desk
from gezeiten.domain.feeds import Feed
from gezeiten.domain.kept import LimitKept
from gezeiten.domain.limits import InForce, LimitRule, in_turn
from gezeiten.domain.plan import plan_from_dict
from gezeiten.domain.pyramid import Pyramid
from gezeiten.domain.series import Series
from gezeiten.domain.timeline import EVER_MS, Span


@dataclass(frozen=True, slots=True)
class Watched:
    """What a mission feeds into a series, and the limits of its plan on that channel. mission: its
    key in this database."""

    series: str
    feed: Feed
    mission: int
    rules: tuple[LimitRule, ...]


def pyramid(desk: Desk, point_id: int, key: str) -> Pyramid:
    """Return the record of a series with its drawing summaries."""
    name = (point_id, key)
    with desk.archive.reading() as session:
        state = (record_version(session, point_id), layout(session).of_series(point_id, key))
        known = desk.records.get(name, state)
        if known is not None:
            return known
        made = Pyramid(load_record(session, point_id, key))
    desk.records.put(name, state, made)
    return made


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
