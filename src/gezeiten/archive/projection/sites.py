"""Sites and points, as actions make them."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, select, update

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    add,
    change,
    key_of,
    only,
    update_by_uid,
)
from gezeiten.archive.store.tables import Logger, Mission, Point, Site
from gezeiten.domain.actions.base import Change
from gezeiten.domain.actions.sites import (
    NextVisitSet,
    PointChanged,
    PointMade,
    PointRetired,
    SiteChanged,
    SiteMade,
    SiteRetired,
)
from gezeiten.domain.facts.stored import GOING_ON
from gezeiten.errors import InputError

_SITES, _POINTS, _LOGGERS = Site.__table__, Point.__table__, Logger.__table__


# -- applying ------------------------------------------------------------------------------------
def _apply_site_added(connection: Connection, action: SiteMade, _authorship: Authorship) -> None:
    facts = action.facts
    add(
        connection,
        _SITES,
        uid=action.site,
        name=facts.name,
        kind=facts.kind,
        zone=facts.zone,
        latitude=facts.latitude,
        longitude=facts.longitude,
        height_m=facts.height_m,
        next_visit_ms=facts.next_visit_ms,
        visit_every_days=facts.visit_every_days,
    )


def _site_changed(
    connection: Connection, action: SiteChanged, _authorship: Authorship
) -> Conflicts:
    return change(connection, _SITES, action.site, action.changes)


def _site_retired(connection: Connection, action: SiteRetired, authorship: Authorship) -> None:
    update_by_uid(
        connection, _SITES, action.site, retired_ms=authorship.at_ms if action.retired else None
    )


def _next_visit_set(
    connection: Connection, action: NextVisitSet, _authorship: Authorship
) -> Conflicts:
    changed = Change("next_visit_ms", action.before_ms, action.after_ms)
    return change(connection, _SITES, action.site, [changed])


def _apply_point_added(connection: Connection, action: PointMade, _authorship: Authorship) -> None:
    facts = action.facts
    add(
        connection,
        _POINTS,
        uid=action.point,
        site_id=key_of(connection, _SITES, action.site),
        name=facts.name,
        fill_limit_s=facts.fill_limit_s,
        height_m=facts.height_m,
        measuring_point_height_m=facts.measuring_point_height_m,
        duty_channels=list(facts.duty_channels),
        duty_interval_s=facts.duty_interval_s,
        checks_a_day=facts.checks_a_day,
        checks_working_days=facts.checks_working_days,
    )


def _point_changed(
    connection: Connection, action: PointChanged, _authorship: Authorship
) -> Conflicts:
    conflicts = change(connection, _POINTS, action.point, action.changes)
    if action.moved is None:
        return conflicts
    from_site, to_site = (key_of(connection, _SITES, one.site) for one in action.moved)
    return conflicts + change(
        connection, _POINTS, action.point, [Change("site_id", from_site, to_site)]
    )


def _point_retired(connection: Connection, action: PointRetired, authorship: Authorship) -> None:
    update_by_uid(
        connection, _POINTS, action.point, retired_ms=authorship.at_ms if action.retired else None
    )
    if action.retired:
        point = key_of(connection, _POINTS, action.point)
        connection.execute(update(Logger).where(Logger.point_id == point).values(point_id=None))


# -- refusing ------------------------------------------------------------------------------------
def _refuse_taken_site_name(connection: Connection, name: str, uid: str) -> None:
    query = select(Site.id).where(Site.name == name, Site.uid != uid)
    if connection.execute(query).first():
        raise InputError(f"There is already a site “{name}”; choose another name.")


def _refuse_taken_point_name(connection: Connection, site: int, name: str, uid: str) -> None:
    query = select(Point.id).where(Point.site_id == site, Point.name == name, Point.uid != uid)
    if connection.execute(query).first():
        raise InputError(f"There is already a point “{name}” at that site; choose another name.")


def _refuse_site(connection: Connection, action: SiteMade) -> None:
    _refuse_taken_site_name(connection, action.facts.name, action.site)


def _refuse_site_changed(connection: Connection, action: SiteChanged) -> None:
    for one in action.changes:
        if one.field == "name":
            _refuse_taken_site_name(connection, one.after, action.site)


def _refuse_site_retired(connection: Connection, action: SiteRetired) -> None:
    query = (
        select(Point.name, Site.name)
        .join(Site)
        .where(Site.uid == action.site, Point.retired_ms.is_(None))
        .order_by(Point.id)
    )
    active = connection.execute(query).first() if action.retired else None
    if active:
        raise InputError(f"{active[0]} is still in use at {active[1]}; retire it first.")


def _refuse_point(connection: Connection, action: PointMade) -> None:
    site = key_of(connection, _SITES, action.site)
    _refuse_taken_point_name(connection, site, action.facts.name, action.point)


def _refuse_point_changed(connection: Connection, action: PointChanged) -> None:
    if action.moved is None and all(one.field != "name" for one in action.changes):
        return
    stored = only(connection, select(_POINTS).where(Point.uid == action.point))
    site = key_of(connection, _SITES, action.moved[1].site) if action.moved else stored.site_id
    name = next((one.after for one in action.changes if one.field == "name"), stored.name)
    _refuse_taken_point_name(connection, site, name, action.point)


def _refuse_point_retired(connection: Connection, action: PointRetired) -> None:
    there = connection.execute(
        select(Logger.id, Logger.serial, Point.name)
        .join(Point, Point.id == Logger.point_id)
        .where(Point.uid == action.point)
    ).first()
    if not action.retired or there is None:
        return
    last: Any = connection.execute(
        select(Mission.state)
        .where(Mission.logger_id == there[0])
        .order_by(Mission.launched_ms.desc())
        .limit(1)
    ).scalar()
    if last in GOING_ON:
        raise InputError(
            f"{there[1]} still records at {there[2]}; stop it first, then retire the point."
        )


FAMILY = Family(
    {
        SiteMade: _apply_site_added,
        SiteChanged: _site_changed,
        SiteRetired: _site_retired,
        NextVisitSet: _next_visit_set,
        PointMade: _apply_point_added,
        PointChanged: _point_changed,
        PointRetired: _point_retired,
    },
    {
        SiteMade: _refuse_site,
        SiteChanged: _refuse_site_changed,
        SiteRetired: _refuse_site_retired,
        PointMade: _refuse_point,
        PointChanged: _refuse_point_changed,
        PointRetired: _refuse_point_retired,
    },
)
