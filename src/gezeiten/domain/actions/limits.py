"""Actions on limits that are set for a series in the office; those of a plan come with its
mission."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject, instant_text
from gezeiten.domain.actions.scope import point_scope
from gezeiten.domain.limits.limits import limit_rule
from gezeiten.domain.plan.plan_words import rule_text
from gezeiten.domain.quantities.quantities import quantity


@dataclass(frozen=True, slots=True)
class LimitSet(Action, kind="limit set", word="limit", about="point", affects=point_scope):
    """A limit on a series of a point, in force in [start_ms, end_ms), None: until further notice.
    limit: its id; series: the key; rule: as `LimitRule.as_dict` gives it; words: why."""

    point: str
    limit: str
    series: str
    rule: dict[str, Any]
    start_ms: int
    end_ms: int | None
    words: str

    def describe(self, subject: Subject) -> str:
        rule = limit_rule(self.rule)
        until = "" if self.end_ms is None else f" to {instant_text(self.end_ms, subject.zone)}"
        since = f"from {instant_text(self.start_ms, subject.zone)}"
        name = quantity(self.series).name
        return f"{name}: {rule_text(rule)} valid {since}{until}: {self.words}."


@dataclass(frozen=True, slots=True)
class LimitEnded(Action, kind="limit ended", word="limit", about="point", affects=point_scope):
    """A limit is in force until an instant; before_ms: until when it was, None for no end."""

    point: str
    limit: str
    before_ms: int | None
    end_ms: int
    words: str

    def describe(self, subject: Subject) -> str:
        at = instant_text(self.end_ms, subject.zone)
        return f"A limit of {subject.name} is valid until {at}: {self.words}."


@dataclass(frozen=True, slots=True)
class LimitWithdrawn(
    Action, kind="limit taken back", word="limit", about="point", affects=point_scope
):
    """A limit that was set here never was in force."""

    point: str
    limit: str

    def describe(self, subject: Subject) -> str:
        return f"A limit of {subject.name} withdrawn, with its excursions."
