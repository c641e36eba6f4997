"""Actions on sites and points: made, changed, retired; the next visit set."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Change, Fact, Subject, day_text, describe_changes
from gezeiten.domain.actions.scope import NOTHING, Scope, no_scope
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.base.wording import counted, figure
from gezeiten.domain.facts.sites import PointFacts, SiteFacts
from gezeiten.domain.quantities.quantities import quantity


def _metres(value: Any, _zone: str) -> str:
    return f"{value:.2f} m"


def _degrees(value: Any, _zone: str) -> str:
    return f"{figure(value)}°"


def _interval(value: Any, _zone: str) -> str:
    return interval_text(value)


def _yes_no(value: Any, _zone: str) -> str:
    return "yes" if value else "no"


def _quantities(value: Any, _zone: str) -> str:
    return ", ".join(quantity(key).name for key in value)


SITE_FACTS = {
    "name": Fact("name"),
    "kind": Fact("kind"),
    "zone": Fact("time zone"),
    "latitude": Fact("latitude", _degrees),
    "longitude": Fact("longitude", _degrees),
    "height_m": Fact("height", _metres),
    "next_visit_ms": Fact("next visit", day_text),
    "visit_every_days": Fact("visits every", lambda days, _: counted(days, "day", "days")),
}
"""How each fact of a site is told."""
POINT_FACTS = {
    "site": Fact("site"),
    "name": Fact("name"),
    "height_m": Fact("height", _metres),
    "measuring_point_height_m": Fact("height of the reference mark", _metres),
    "duty_channels": Fact("required quantities", _quantities),
    "duty_interval_s": Fact("required interval", _interval),
    "fill_limit_s": Fact("longest gap filled by a straight line", _interval),
    "checks_a_day": Fact("check readings a day"),
    "checks_working_days": Fact("check readings on working days only", _yes_no),
}
"""How each fact of a point is told."""


def _if_zone(action: SiteChanged) -> Scope:
    """Days and weekly windows are others in another zone."""
    return Scope(site=action.site) if any(c.field == "zone" for c in action.changes) else NOTHING


def _moved_scope(action: PointChanged) -> Scope:
    """The zone of another site may be another one."""
    return Scope((action.point,)) if action.moved else NOTHING


@dataclass(frozen=True, slots=True)
class SiteMade(Action, kind="site made", word="site", about="site", affects=no_scope):
    """A new site. by_the_way: something else named it, and its zone is a guess."""

    site: str
    facts: SiteFacts
    by_the_way: bool = False

    def describe(self, subject: Subject) -> str:
        guessed = f" Its zone {self.facts.zone} is this computer's." if self.by_the_way else ""
        return f"Site {self.facts.name} added.{guessed}"


@dataclass(frozen=True, slots=True)
class SiteChanged(Action, kind="site changed", word="site", about="site", affects=_if_zone):
    """Facts of a site that are others now."""

    site: str
    changes: tuple[Change, ...]

    def describe(self, subject: Subject) -> str:
        changes = describe_changes(self.changes, SITE_FACTS, subject.zone)
        return f"Site {subject.name} changed: {changes}."


@dataclass(frozen=True, slots=True)
class SiteRetired(Action, kind="site retired", word="site", about="site", affects=no_scope):
    """A site put out of use, or taken up again."""

    site: str
    retired: bool

    def describe(self, subject: Subject) -> str:
        return f"Site {subject.name} {'retired' if self.retired else 'reactivated'}."


@dataclass(frozen=True, slots=True)
class NextVisitSet(Action, kind="next visit set", word="visit", about="site", affects=no_scope):
    """When a site is visited next, None: it is followed online. by_duty_days: so long after the
    visit that was just made, by the site's duty."""

    site: str
    before_ms: int | None
    after_ms: int | None
    by_duty_days: int | None = None

    def describe(self, subject: Subject) -> str:
        if self.after_ms is None:
            return "No next visit: the site is followed online."
        day = day_text(self.after_ms, subject.zone)
        if self.by_duty_days:
            days = counted(self.by_duty_days, "day", "days")
            return f"Next visit in {days}, by its visit interval: {day}."
        return f"Next visit set: {day}."


@dataclass(frozen=True, slots=True)
class PointMade(Action, kind="point made", word="point", about="point", affects=no_scope):
    """A new point at a site."""

    point: str
    site: str
    facts: PointFacts

    def describe(self, subject: Subject) -> str:
        return f"Point {subject.name} added."


@dataclass(frozen=True, slots=True)
class PointChanged(Action, kind="point changed", word="point", about="point", affects=_moved_scope):
    """Facts of a point that are others now; moved: sites by name and id, before and after. A point
    that moves takes its whole record along."""

    point: str
    changes: tuple[Change, ...]
    moved: tuple[SiteReference, SiteReference] | None = None

    def describe(self, subject: Subject) -> str:
        changes = self.changes
        if self.moved:
            changes = (Change("site", self.moved[0].name, self.moved[1].name), *changes)
        return (
            f"Point {subject.name} changed: {describe_changes(changes, POINT_FACTS, subject.zone)}."
        )


@dataclass(frozen=True, slots=True)
class SiteReference:
    """A site that a point was moved from or to, as it was called then."""

    site: str
    name: str


@dataclass(frozen=True, slots=True)
class PointRetired(Action, kind="point retired", word="point", about="point", affects=no_scope):
    """A point put out of use, or taken up again; its record stays, a logger there is away."""

    point: str
    retired: bool

    def describe(self, subject: Subject) -> str:
        words = "retired; its record stays" if self.retired else "reactivated"
        return f"Point {subject.name} {words}."
