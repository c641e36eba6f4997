"""Sites and points out of the archive; ones that something else names are made by the way."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.execution import do
from gezeiten.archive.database import Archive
from gezeiten.archive.projection import Authorship
from gezeiten.archive.store.ids import fresh_id
from gezeiten.archive.store.tables import Point, Site
from gezeiten.domain.actions.sites import PointMade, SiteMade
from gezeiten.domain.base.naming import clean_name
from gezeiten.domain.facts.sites import PointFacts, SiteFacts, split_name

UNPLACED_SITE = "Not yet placed"


@dataclass(frozen=True, slots=True)
class StoredSite:
    """A site as it is kept. id: this database's key, uid: its name on every computer."""

    id: int
    uid: str
    facts: SiteFacts
    is_retired: bool


@dataclass(frozen=True, slots=True)
class StoredPoint:
    """A point as it is kept. id: this database's key, uid: its name on every computer."""

    id: int
    uid: str
    site_id: int
    facts: PointFacts
    is_retired: bool


def stored_sites(session: Session) -> dict[int, StoredSite]:
    """Return all sites by their key, in the order in which they were added."""
    return {row.id: _site(row) for row in session.scalars(select(Site).order_by(Site.id))}


def stored_points(session: Session) -> dict[int, StoredPoint]:
    """Return all points by their key, in the order in which they were added."""
    return {row.id: _point(row) for row in session.scalars(select(Point).order_by(Point.id))}


def stored_site(session: Session, site_id: int) -> StoredSite:
    """Return one site."""
    return _site(session.get_one(Site, site_id))


def stored_point(session: Session, point_id: int) -> StoredPoint:
    """Return one point."""
    return _point(session.get_one(Point, point_id))


def key_of_site(session: Session, uid: str) -> int:
    """Return this database's key of a site."""
    return session.scalars(select(Site.id).filter_by(uid=uid)).one()


def key_of_point(session: Session, uid: str) -> int:
    """Return this database's key of a point."""
    return session.scalars(select(Point.id).filter_by(uid=uid)).one()


def find_or_add_point(session: Session, name: str, authorship: Authorship) -> Point:
    """Return the point of "Site · Point", both made where they are new; a bare name is a site
    with a point of the same name. A name that comes from elsewhere with signs that no name can have
    is cleaned of them, which whoever looks hears."""
    site_name, point_name = split_name(name)
    if session.scalars(select(Site.id).filter_by(name=site_name)).first() is None:
        site_name = _cleaned(session, site_name)
    point_name = _cleaned(session, point_name)
    site = session.scalars(select(Site).filter_by(name=site_name).order_by(Site.id)).first()
    if site is None:
        site = _new_site(session, site_name, authorship)
    query = select(Point).filter_by(site_id=site.id, name=point_name).order_by(Point.id)
    point = session.scalars(query).first()
    if point is None:
        do(session, PointMade(fresh_id(), site.uid, PointFacts(point_name)), authorship)
        point = session.scalars(query).first()
        assert point is not None
    return point


_LONGEST = 200
"""Bytes of a name that came from elsewhere: cut shorter, two could become one."""


def _cleaned(session: Session, name: str) -> str:
    clean = clean_name(name, _LONGEST)
    if clean != name:
        archive: Archive = session.info["archive"]
        shown = name.encode("unicode_escape").decode()[:60]
        archive.on_wait(
            f"The name “{shown}” has characters that are not allowed; it is saved as “{clean}”."
        )
    return clean


def _new_site(session: Session, name: str, authorship: Authorship) -> Site:
    """Make a site that was only named. Its zone is a guess, and whoever looks hears so."""
    archive: Archive = session.info["archive"]
    zone = archive.new_site_zone
    do(session, SiteMade(fresh_id(), SiteFacts(name, zone=zone), by_the_way=True), authorship)
    archive.on_wait(
        f"{name} is a new site; its zone was taken from this computer ({zone}): check the zone"
        " in Sites and points."
    )
    return session.scalars(select(Site).filter_by(name=name).order_by(Site.id.desc())).all()[0]


def _site(row: Site) -> StoredSite:
    facts = SiteFacts(
        row.name,
        row.kind,
        row.zone,
        row.latitude,
        row.longitude,
        row.height_m,
        row.next_visit_ms,
        row.visit_every_days,
    )
    return StoredSite(row.id, row.uid, facts, row.retired_ms is not None)


def _point(row: Point) -> StoredPoint:
    facts = PointFacts(
        row.name,
        row.height_m,
        row.measuring_point_height_m,
        tuple(row.duty_channels or ()),
        row.duty_interval_s,
        row.fill_limit_s,
        row.checks_a_day,
        row.checks_working_days,
    )
    return StoredPoint(row.id, row.uid, row.site_id, facts, row.retired_ms is not None)


def find_point_by_names(session: Session, site: str, point: str) -> StoredPoint | None:
    """Return the point of these names, None where there is none."""
    query = select(Point).join(Site).where(Site.name == site, Point.name == point)
    row = session.scalars(query.order_by(Point.id)).first()
    return None if row is None else _point(row)


def next_visit_of(session: Session, site: str) -> int | None:
    """Return when the site of a name is visited next (UTC ms)."""
    query = select(Site.next_visit_ms).filter_by(name=site)
    return session.scalars(query.order_by(Site.id)).first()


def zone_of(session: Session, site: str) -> str:
    """Return the zone of the site of a name, "UTC" where it is new."""
    query = select(Site.zone).filter_by(name=site).order_by(Site.id)
    return session.scalars(query).first() or "UTC"
