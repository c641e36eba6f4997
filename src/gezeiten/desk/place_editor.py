"""Sites and points: made, changed, moved, retired; their heights, duties and visits."""

from __future__ import annotations

import math
from dataclasses import dataclass
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.intake import POINT_SEPARATOR
from gezeiten.archive.tables import Logger, Mission, Point, Site
from gezeiten.desk.context import Desk
from gezeiten.desk.excursion_book import refresh_excursions
from gezeiten.domain.fills import DEFAULT_LINE_LIMIT_S
from gezeiten.domain.naming import name_fault
from gezeiten.domain.quantities import QUANTITIES
from gezeiten.domain.timeline import DAY_MS
from gezeiten.domain.wording import figure
from gezeiten.errors import InputError

LONGEST_NAME = 30


@dataclass(frozen=True, slots=True)
class SiteFacts:
    """What people say of a site. Degrees WGS 84; height above the site's datum."""

    name: str
    kind: str = ""
    zone: str = "Europe/Berlin"
    latitude: float | None = None
    longitude: float | None = None
    height_m: float | None = None
    next_visit_ms: int | None = None
    visit_every_days: int | None = None


@dataclass(frozen=True, slots=True)
class PointFacts:
    """What people say of a point. measuring_point_height_m: the rim that dips are taken from.

    duty_channels: what must be recorded there, duty_interval_s: at least so often. fill_limit_s:
    the longest gap that a straight line may fill.
    """

    name: str
    height_m: float | None = None
    measuring_point_height_m: float | None = None
    duty_channels: tuple[str, ...] = ()
    duty_interval_s: int | None = None
    fill_limit_s: int = DEFAULT_LINE_LIMIT_S


def _good_name(name: str, what: str) -> str:
    cleaned = " ".join(name.split())
    if not cleaned or POINT_SEPARATOR.strip() in cleaned:
        raise InputError(f"“{name}” cannot name a {what}; give a name without “·”.")
    if len(cleaned.encode()) > LONGEST_NAME:
        raise InputError(f"The name of a {what} has up to {LONGEST_NAME} bytes; shorten it.")
    fault = name_fault(cleaned)
    if fault:
        raise InputError(fault)
    return cleaned


def _in_range(value: float | None, low: float, high: float, what: str) -> None:
    if value is not None and not (math.isfinite(value) and low <= value <= high):
        raise InputError(
            f"The {what} {figure(value)} cannot be; give one from {figure(low)} to {figure(high)}."
        )


def check_site(facts: SiteFacts) -> str:
    """Return the cleaned name of a site whose facts can be.

    Raises:
        InputError: one of them cannot.
    """
    name = _good_name(facts.name, "site")
    try:
        ZoneInfo(facts.zone)
    except (ZoneInfoNotFoundError, ValueError, OSError) as exc:
        raise InputError(f"“{facts.zone}” is no time zone; give one like Europe/Berlin.") from exc
    _in_range(facts.latitude, -90, 90, "latitude")
    _in_range(facts.longitude, -180, 180, "longitude")
    _in_range(facts.height_m, -500, 9000, "height")
    if (facts.latitude is None) != (facts.longitude is None):
        raise InputError("A position has latitude and longitude; give both or none.")
    if facts.visit_every_days is not None and not 1 <= facts.visit_every_days <= 3650:
        raise InputError("A site is visited every 1 to 3650 days; choose in between.")
    return name


def save_site(desk: Desk, facts: SiteFacts, site_id: int | None = None) -> int:
    """Make a site, or change one; returns its id.

    Raises:
        InputError: a fact cannot be, or the name is taken.
    """
    name = check_site(facts)
    with desk.archive.writing() as session:
        taken = session.scalars(select(Site).filter_by(name=name)).first()
        if taken and taken.id != site_id:
            raise InputError(f"A site “{name}” exists already; choose another name.")
        site = session.get_one(Site, site_id) if site_id else Site()
        before = site.name if site_id else ""
        points = _points_in_another_zone(session, site, facts.zone) if site_id else []
        site.name, site.kind, site.zone = name, facts.kind.strip(), facts.zone
        site.latitude, site.longitude = facts.latitude, facts.longitude
        site.height_m, site.next_visit_ms = facts.height_m, facts.next_visit_ms
        site.visit_every_days = facts.visit_every_days
        session.add(site)
        session.flush()
        if not before:
            words = f"Site {name} added."
        else:
            words = f"Site {before} changed" + (f" to {name}." if before != name else ".")
        desk.log(session, "site", name, words, zone=facts.zone, kind=facts.kind,
                 latitude=facts.latitude, longitude=facts.longitude, height_m=facts.height_m,
                 visit_every_days=facts.visit_every_days)  # fmt: skip
        made = site.id
    for point in points:
        refresh_excursions(desk, point)
    return made


def _points_in_another_zone(session: Session, site: Site, zone: str) -> list[int]:
    """Where a site's zone is corrected: its points, whose days and weekly windows are others now.
    Until they are found anew each of them counts as changed."""
    if site.zone == zone:
        return []
    for point in site.points:
        point.record_version += 1
    return [point.id for point in site.points]


def save_point(desk: Desk, site_id: int, facts: PointFacts, point_id: int | None = None) -> int:
    """Make a point at a site, or change one (also: move it to that site); returns its id.

    A point that moves takes its whole record along.

    Raises:
        InputError: a fact cannot be, or the name is taken there.
    """
    name = _good_name(facts.name, "point")
    _in_range(facts.height_m, -500, 9000, "height")
    _in_range(facts.measuring_point_height_m, -500, 9000, "measuring-point height")
    unknown = [key for key in facts.duty_channels if key not in QUANTITIES]
    if unknown:
        raise InputError(f"“{unknown[0]}” is no quantity; choose from the list.")
    if facts.duty_interval_s is not None and not 1 <= facts.duty_interval_s <= 86_400 * 31:
        raise InputError("A point is recorded every 1 s to 31 d; choose an interval in between.")
    if not 0 <= facts.fill_limit_s <= 86_400:
        raise InputError("A straight line fills gaps of up to a day; choose a shorter limit.")
    with desk.archive.writing() as session:
        taken = session.scalars(select(Point).filter_by(site_id=site_id, name=name)).first()
        if taken and taken.id != point_id:
            raise InputError(f"A point “{name}” exists already there; choose another name.")
        site = session.get_one(Site, site_id)
        point = session.get_one(Point, point_id) if point_id else Point(site=site)
        before = _full_name(point) if point_id else ""
        point.site, point.name = site, name
        point.height_m = facts.height_m
        point.measuring_point_height_m = facts.measuring_point_height_m
        point.duty_channels = list(facts.duty_channels)
        point.duty_interval_s, point.fill_limit_s = facts.duty_interval_s, facts.fill_limit_s
        session.add(point)
        session.flush()
        now = _full_name(point)
        if not before:
            words = f"Point {now} added."
        else:
            words = f"Point {before} changed" + (f" to {now}." if before != now else ".")
        desk.log(session, "point", now, words, height_m=facts.height_m,
                 measuring_point_height_m=facts.measuring_point_height_m,
                 duty_channels=list(facts.duty_channels), duty_interval_s=facts.duty_interval_s,
                 fill_limit_s=facts.fill_limit_s)  # fmt: skip
        return point.id


def _full_name(point: Point) -> str:
    return f"{point.site.name}{POINT_SEPARATOR}{point.name}"


def retire_point(desk: Desk, point_id: int, *, retired: bool = True) -> None:
    """Put a point out of use, or take it up again; its record stays in either case.

    Raises:
        InputError: a logger still records there.
    """
    with desk.archive.writing() as session:
        point = session.get_one(Point, point_id)
        logger = session.scalars(select(Logger).filter_by(point_id=point_id)).first()
        if retired and logger is not None:
            last = session.scalars(
                select(Mission)
                .filter_by(logger_id=logger.id)
                .order_by(Mission.launched_ms.desc())
                .limit(1)
            ).first()
            if last is not None and last.state in ("logging", "waiting", ""):
                raise InputError(
                    f"{logger.serial} still records at {point.name}; stop it first, then retire "
                    "the point."
                )
            logger.point_id = None
        point.retired_ms = desk.now_ms() if retired else None
        words = "retired; its record stays." if retired else "taken up again."
        desk.log(session, "point", _full_name(point), f"Point {_full_name(point)} {words}")


def retire_site(desk: Desk, site_id: int, *, retired: bool = True) -> None:
    """Put a site out of use, or take it up again.

    Raises:
        InputError: one of its points is still in use.
    """
    with desk.archive.writing() as session:
        site = session.get_one(Site, site_id)
        active = [point.name for point in site.points if point.retired_ms is None]
        if retired and active:
            raise InputError(f"{active[0]} is still in use at {site.name}; retire it first.")
        site.retired_ms = desk.now_ms() if retired else None
        words = "retired." if retired else "taken up again."
        desk.log(session, "site", site.name, f"Site {site.name} {words}")


def visited(desk: Desk, session: Session, site: Site) -> None:
    """Set the next visit of a site by its duty, after it has been visited today."""
    if site.visit_every_days:
        site.next_visit_ms = desk.now_ms() + site.visit_every_days * DAY_MS
        words = f"Next visit in {site.visit_every_days} days, by its duty."
        desk.log(session, "visit", site.name, words, visit_ms=site.next_visit_ms)


def site_facts(desk: Desk, site_id: int) -> SiteFacts:
    """Return what is said of a site."""
    with desk.archive.reading() as session:
        return _site_facts(session.get_one(Site, site_id))


def point_facts(desk: Desk, point_id: int) -> PointFacts:
    """Return what is said of a point."""
    with desk.archive.reading() as session:
        return _point_facts(session.get_one(Point, point_id))


@dataclass(frozen=True, slots=True)
class AllFacts:
    """What is said of all sites and points, by their ids."""

    sites: dict[int, SiteFacts]
    points: dict[int, PointFacts]


def all_facts(desk: Desk) -> AllFacts:
    """Return what is said of all sites and points."""
    with desk.archive.reading() as session:
        return AllFacts(
            {site.id: _site_facts(site) for site in session.scalars(select(Site))},
            {point.id: _point_facts(point) for point in session.scalars(select(Point))},
        )


def _site_facts(s: Site) -> SiteFacts:
    return SiteFacts(s.name, s.kind, s.zone, s.latitude, s.longitude, s.height_m,
                     s.next_visit_ms, s.visit_every_days)  # fmt: skip


def _point_facts(p: Point) -> PointFacts:
    return PointFacts(p.name, p.height_m, p.measuring_point_height_m,
                      tuple(p.duty_channels or ()), p.duty_interval_s, p.fill_limit_s)  # fmt: skip
