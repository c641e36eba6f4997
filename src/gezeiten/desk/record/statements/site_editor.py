"""Sites and points: made, changed, moved, retired; their heights, duties and visits."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gezeiten.archive.queries import sites as kept
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.base import changes_between
from gezeiten.domain.actions.sites import (
    PointChanged,
    PointMade,
    PointRetired,
    SiteChanged,
    SiteMade,
    SiteReference,
    SiteRetired,
)
from gezeiten.domain.facts.sites import PointFacts, SiteFacts, checked_point, checked_site


def save_site(
    desk: Workspace, facts: SiteFacts, site_id: int | None = None, seen: SiteFacts | None = None
) -> int:
    """Make a site, or change one; returns its id.

    Args:
        seen: its facts as they were when somebody began to change them; default: as they are.

    Raises:
        InputError: a fact cannot be, the name is taken, or another program changed the same.
    """
    facts = checked_site(facts)
    if site_id is None:
        return _make_site(desk, facts)
    with desk.archive.writing() as session:
        site = kept.stored_site(session, site_id)
        changes = changes_between(seen or site.facts, facts)
        if changes:
            desk.do_within(session, SiteChanged(site.uid, changes))
    return site_id


def _make_site(desk: Workspace, facts: SiteFacts) -> int:
    uid = fresh_id()
    with desk.archive.writing() as session:
        desk.do_within(session, SiteMade(uid, facts))
        return kept.key_of_site(session, uid)


def save_point(
    desk: Workspace,
    site_id: int,
    facts: PointFacts,
    point_id: int | None = None,
    seen: PointFacts | None = None,
) -> int:
    """Make a point at a site, or change one (also: move it to that site); returns its id.

    A point that moves takes its whole record along.

    Args:
        seen: its facts as they were when somebody began to change them; default: as they are.

    Raises:
        InputError: a fact cannot be, the name is taken there, or another program changed the same.
    """
    facts = checked_point(facts)
    with desk.archive.writing() as session:
        site = kept.stored_site(session, site_id)
        if point_id is None:
            uid = fresh_id()
            desk.do_within(session, PointMade(uid, site.uid, facts))
            return kept.key_of_point(session, uid)
        point = kept.stored_point(session, point_id)
        before = kept.stored_site(session, point.site_id)
        moved = None
        if before.id != site.id:
            moved = (
                SiteReference(before.uid, before.facts.name),
                SiteReference(site.uid, site.facts.name),
            )
        seen = seen or point.facts
        if set(facts.duty_channels) == set(seen.duty_channels):  # their order says nothing
            facts = replace(facts, duty_channels=seen.duty_channels)
        changes = changes_between(seen, facts)
        if changes or moved:
            desk.do_within(session, PointChanged(point.uid, changes, moved))
        return point_id


def retire_point(desk: Workspace, point_id: int, *, retired: bool = True) -> None:
    """Put a point out of use, or take it up again; its record stays in either case.

    Raises:
        InputError: a logger still records there.
    """
    with desk.archive.writing() as session:
        point = kept.stored_point(session, point_id)
        desk.do_within(session, PointRetired(point.uid, retired))


def retire_site(desk: Workspace, site_id: int, *, retired: bool = True) -> None:
    """Put a site out of use, or take it up again.

    Raises:
        InputError: one of its points is still in use.
    """
    with desk.archive.writing() as session:
        site = kept.stored_site(session, site_id)
        desk.do_within(session, SiteRetired(site.uid, retired))


def site_facts(desk: Workspace, site_id: int) -> SiteFacts:
    """Return what is said of a site."""
    with desk.archive.reading() as session:
        return kept.stored_site(session, site_id).facts


def point_facts(desk: Workspace, point_id: int) -> PointFacts:
    """Return what is said of a point."""
    with desk.archive.reading() as session:
        return kept.stored_point(session, point_id).facts


@dataclass(frozen=True, slots=True)
class AllFacts:
    """What is said of all sites and points, by their ids."""

    sites: dict[int, SiteFacts]
    points: dict[int, PointFacts]


def all_facts(desk: Workspace) -> AllFacts:
    """Return what is said of all sites and points."""
    with desk.archive.reading() as session:
        return AllFacts(
            {key: site.facts for key, site in kept.stored_sites(session).items()},
            {key: point.facts for key, point in kept.stored_points(session).items()},
        )
