"""Sites and points out of the archive; ones that something else names are made by the way."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.apply import Said
from gezeiten.archive.database import Archive
from gezeiten.archive.doing import do
from gezeiten.archive.ids import fresh_id
from gezeiten.archive.tables import Point, Site
from gezeiten.domain.acts.sites import PointMade, SiteMade
from gezeiten.domain.sites import PointFacts, SiteFacts, split_name

UNPLACED_SITE = "Not yet placed"


@dataclass(frozen=True, slots=True)
class KeptSite:
    """A site as it is kept. id: this database's key, uid: its name on every computer."""

    id: int
    uid: str
    facts: SiteFacts


@dataclass(frozen=True, slots=True)
class KeptPoint:
    """A point as it is kept. id: this database's key, uid: its name on every computer."""

    id: int
    uid: str
    site_id: int
    facts: PointFacts


def kept_sites(session: Session) -> dict[int, KeptSite]:
    """Return all sites by their key."""
    return {row.id: _site(row) for row in session.scalars(select(Site))}


def kept_points(session: Session) -> dict[int, KeptPoint]:
    """Return all points by their key."""
    return {row.id: _point(row) for row in session.scalars(select(Point))}


def kept_site(session: Session, site_id: int) -> KeptSite:
    """Return one site."""
    return _site(session.get_one(Site, site_id))


def kept_point(session: Session, point_id: int) -> KeptPoint:
    """Return one point."""
    return _point(session.get_one(Point, point_id))


def key_of_site(session: Session, uid: str) -> int:
    """Return this database's key of a site."""
    return session.scalars(select(Site.id).filter_by(uid=uid)).one()


def key_of_point(session: Session, uid: str) -> int:
    """Return this database's key of a point."""
    return session.scalars(select(Point.id).filter_by(uid=uid)).one()


def points_of_site(session: Session, site_id: int) -> list[int]:
    """Return the keys of a site's points."""
    return list(session.scalars(select(Point.id).filter_by(site_id=site_id).order_by(Point.id)))


def find_point(session: Session, name: str, said: Said) -> Point:
    """Return the point of "Site · Point", both made where they are new; a bare name is a site
    with a point of the same name."""
    site_name, point_name = split_name(name)
    site = session.scalars(select(Site).filter_by(name=site_name)).first()
    if site is None:
        site = _new_site(session, site_name, said)
    query = select(Point).filter_by(site_id=site.id, name=point_name)
    point = session.scalars(query).first()
    if point is None:
        do(session, PointMade(fresh_id(), site.uid, PointFacts(point_name)), said)
        point = session.scalars(query).one()
    return point


def _new_site(session: Session, name: str, said: Said) -> Site:
    """Make a site that was only named. Its zone is a guess, and whoever looks hears so."""
    archive: Archive = session.info["archive"]
    zone = archive.new_site_zone
    do(session, SiteMade(fresh_id(), SiteFacts(name, zone=zone), by_the_way=True), said)
    archive.on_wait(
        f"{name} is a new site; its zone was taken from this computer ({zone}): check the zone"
        " in Sites and points."
    )
    return session.scalars(select(Site).filter_by(name=name)).one()


def _site(row: Site) -> KeptSite:
    facts = SiteFacts(row.name, row.kind, row.zone, row.latitude, row.longitude, row.height_m,
                      row.next_visit_ms, row.visit_every_days)  # fmt: skip
    return KeptSite(row.id, row.uid, facts)


def _point(row: Point) -> KeptPoint:
    facts = PointFacts(row.name, row.height_m, row.measuring_point_height_m,
                       tuple(row.duty_channels or ()), row.duty_interval_s,
                       row.fill_limit_s)  # fmt: skip
    return KeptPoint(row.id, row.uid, row.site_id, facts)
