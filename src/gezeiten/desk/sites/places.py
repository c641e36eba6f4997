"""Sites and points: listing and naming them. Making and changing: `place_editor`."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import TypeAlias

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.local_cache.layout import Layout, ShownSeries, layout
from gezeiten.archive.queries.limits import limits_of_series
from gezeiten.archive.queries.loggers import DeployedLogger, find_logger, loggers_by_serial
from gezeiten.archive.queries.missions import latest_missions, missions_by_id
from gezeiten.archive.queries.sites import (
    StoredPoint,
    StoredSite,
    find_or_add_point,
    stored_points,
    stored_site,
    stored_sites,
)
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.sites import NextVisitSet
from gezeiten.domain.facts.sites import full_name, split_name
from gezeiten.domain.facts.stored import KnownMission
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.plan import Plan, plan_from_dict
from gezeiten.domain.series.series_keys import is_derived, label_of
from gezeiten.errors import ArchiveDamagedError, InputError, PlanError


@dataclass(frozen=True, slots=True)
class ChannelPlace:
    """A series of a point and the limits on its value that its last mission had. channel: its key
    (`domain/series/series_keys.py`).

    own_name, color, shown_unit: how the last plan there wants it shown, "" for the usual.
    """

    channel: str
    unit: str
    rules: tuple[LimitRule, ...]
    own_name: str = ""
    color: str = ""
    shown_unit: str = ""


@dataclass(frozen=True, slots=True)
class PointPlace:
    """A point with what is recorded there. serial: the logger now at the point, or ""; retired:
    out of use, its record stays; practice: that logger is a stand-in, its readings are made up.
    uid: its id for ever."""

    id: int
    site_id: int
    site: str
    name: str
    zone: str
    serial: str
    fill_limit_s: int
    channels: tuple[ChannelPlace, ...]
    retired: bool = False
    practice: bool = False
    uid: str = ""

    @property
    def full_name(self) -> str:
        """ "Site · point"."""
        return full_name(self.site, self.name)

    @property
    def measured(self) -> tuple[ChannelPlace, ...]:
        """The series that are not calculated from others."""
        return tuple(channel for channel in self.channels if not is_derived(channel.channel))

    def rules(self, channel: str) -> tuple[LimitRule, ...]:
        """Return the limits in force for a channel."""
        return next((c.rules for c in self.channels if c.channel == channel), ())


@dataclass(frozen=True, slots=True)
class SitePlace:
    """A site with its kind, zone and position. uid: its id for ever."""

    id: int
    name: str
    kind: str
    zone: str
    next_visit_ms: int | None
    points: tuple[PointPlace, ...]
    retired: bool = False
    uid: str = ""


def add_point(desk: Workspace, name: str) -> int:
    """Add the point "Site · Point" (a known one is returned) and return its id."""
    with desk.archive.writing() as session:
        return find_or_add_point(session, name, desk.authorship).id


def set_next_visit(desk: Workspace, site_id: int, visit_ms: int | None) -> None:
    """Set when a site is visited next; None for one that is followed online."""
    with desk.archive.writing() as session:
        site = stored_site(session, site_id)
        desk.do_within(session, NextVisitSet(site.uid, site.facts.next_visit_ms, visit_ms))


def sites(desk: Workspace) -> list[SitePlace]:
    """Return all sites with their points, in the order in which they were added."""
    with desk.archive.reading() as session:
        points_of: dict[int, list[StoredPoint]] = {}
        for point in stored_points(session).values():
            points_of.setdefault(point.site_id, []).append(point)
        loggers = {
            logger.point_id: logger
            for logger in loggers_by_serial(session)
            if logger.point_id is not None
        }
        made = layout(session)
        latest = {key: mission for key, (mission, _) in latest_missions(session).items()}
        beside = missions_by_id(session, _alternative_missions(made, latest))
        limits = _current_limits(session, desk.now_ms())
        return [
            SitePlace(
                site.id,
                site.facts.name,
                site.facts.kind,
                site.facts.zone,
                site.facts.next_visit_ms,
                tuple(
                    _point_place(
                        point,
                        site,
                        loggers.get(point.id),
                        _series(made, point, latest.get(point.id), beside, limits),
                        latest.get(point.id),
                    )
                    for point in points_of.get(site.id, [])
                ),
                site.is_retired,
                site.uid,
            )
            for site in stored_sites(session).values()
        ]


def _point_place(
    point: StoredPoint,
    site: StoredSite,
    logger: DeployedLogger | None,
    series: list[ChannelPlace],
    mission: KnownMission | None,
) -> PointPlace:
    return PointPlace(
        point.id,
        site.id,
        site.facts.name,
        point.facts.name,
        site.facts.zone,
        logger.serial if logger else "",
        point.facts.fill_limit_s,
        tuple(series),
        point.is_retired,
        bool(logger and logger.practice),
        point.uid,
    )


_Limits: TypeAlias = dict[tuple[int, str], tuple[LimitRule, ...]]
"""Limits that were set and are in force now, by point (its key) and series."""


def _current_limits(session: ArchiveSession, now_ms: int) -> _Limits:
    found: _Limits = {}
    with suppress(ArchiveDamagedError):  # what needs them names it
        for limit in limits_of_series(session):
            is_now = limit.start_ms <= now_ms and (limit.end_ms is None or now_ms < limit.end_ms)
            if is_now and limit.rule.has_value:
                key = limit.point_id, limit.series
                found[key] = (*found.get(key, ()), limit.rule)
    return found


def _alternative_missions(made: Layout, latest: dict[int, KnownMission]) -> set[str]:
    """The missions that feed a series last, where that is not the last one at its point."""
    last = {listed[-1].mission for listed in made.assignments.values()}
    last_at_a_point = {mission.id for mission in latest.values()}
    return last - {uid for uid, key in made.missions.items() if key in last_at_a_point}


def _series(
    made: Layout,
    point: StoredPoint,
    mission: KnownMission | None,
    beside: dict[str, KnownMission],
    limits: _Limits,
) -> list[ChannelPlace]:
    """The series of a point, each with what the plan of the mission that fed it last says."""
    plans: dict[int, Plan | None] = {}
    found = []
    for shown in made.shown.get(point.uid, ()):
        if is_derived(shown.key):  # no plan knows of it
            own = limits.get((point.id, shown.key), ())
            found.append(ChannelPlace(shown.key, shown.unit, own))
            continue
        assigned = made.of_series(point.id, shown.key)
        last = beside.get(assigned[-1].mission, mission)
        if last is not None and last.id not in plans:
            plans[last.id] = _plan(last)
        place = _channel_place(shown, assigned[-1].channel, plans[last.id] if last else None)
        own = limits.get((point.id, shown.key), ())
        found.append(replace(place, rules=(*place.rules, *own)) if own else place)
    return found


def _plan(mission: KnownMission) -> Plan | None:
    with suppress(PlanError, ArchiveDamagedError):  # the Tideboard names a plan that cannot be read
        return plan_from_dict(mission.plan)
    return None


def _channel_place(shown_series: ShownSeries, channel: str, plan: Plan | None) -> ChannelPlace:
    if plan is None:
        return ChannelPlace(shown_series.key, shown_series.unit, ())
    setting, label = plan.setting(channel), label_of(shown_series.key)
    name = f"{setting.name} ({label})" if setting.name and label else setting.name
    rules = _drawn_rules(plan, channel)
    return ChannelPlace(
        shown_series.key, shown_series.unit, rules, name, setting.color, setting.unit
    )


def _drawn_rules(plan: Plan | None, channel: str) -> tuple[LimitRule, ...]:
    """The limits that can be drawn and counted against: those that compare with a value."""
    rules = plan.rules_for(channel) if plan else ()
    return tuple(rule for rule in rules if rule.has_value)


def points(desk: Workspace) -> list[PointPlace]:
    """Return all points, by site."""
    return [point for site in sites(desk) for point in site.points]


def point_named(desk: Workspace, text: str) -> PointPlace:
    """Return the point of a name, full ("Site · Point") or alone where that is unique.

    Raises:
        InputError: no such point, or several.
    """
    wanted = text.strip().casefold()
    found = [
        point
        for point in points(desk)
        if wanted in (point.full_name.casefold(), point.name.casefold(), point.serial.casefold())
    ]
    if len(found) == 1:
        return found[0]
    if found:
        names = ", ".join(point.full_name for point in found)
        raise InputError(f"“{text}” matches several points ({names}); give site and point.")
    raise InputError(f"There is no point “{text}”; gezeiten list shows all points.")


def zone_at(zones: Mapping[str, str], point_name: str, otherwise: str) -> str:
    """Return the zone at a point, from those of all known points by full name; a new point has that
    of its site, and of a site that is new as well nothing is known."""
    if point_name in zones:
        return zones[point_name]
    site = full_name(split_name(point_name)[0], "")
    return next((zone for name, zone in zones.items() if name.startswith(site)), otherwise)


def zone_of_logger(desk: Workspace, serial: str) -> str:
    """Return the zone of the site a logger is at, "UTC" where it is nowhere."""
    with desk.archive.reading() as session:
        logger = find_logger(session, serial)
    return logger.zone if logger else "UTC"
