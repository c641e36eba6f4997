"""Actions on excursions: found, assessed, and an assessment withdrawn."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject, instant_text
from gezeiten.domain.actions.missions import MissionName
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.base.wording import counted
from gezeiten.domain.limits.assessments import AssessedExcursion
from gezeiten.domain.limits.limits import limit_rule
from gezeiten.domain.plan.plan_words import rule_text
from gezeiten.domain.quantities.quantities import quantity


@dataclass(frozen=True, slots=True)
class AssessmentWords:
    """What somebody said of an excursion."""

    cause: str
    words: str


@dataclass(frozen=True, slots=True)
class DetectedExcursion:
    """An excursion when it was found: its limit, from when to when it lasted, and when that was
    (UTC ms)."""

    mission: MissionName
    rule: dict[str, Any]
    start_ms: int
    end_ms: int
    at_ms: int


@dataclass(frozen=True, slots=True)
class ExcursionsFound(
    Action, kind="excursions found", word="found", about="point", affects=no_scope
):
    """Excursions found for the first time, by the computer that took their readings in. Whether
    they still are ones is detected again whenever their record changes."""

    point: str
    found: tuple[DetectedExcursion, ...]

    def describe(self, subject: Subject) -> str:
        many = counted(len(self.found), "excursion", "excursions")
        by_rule = Counter(_rule_text(one.rule) for one in self.found)
        kinds = [
            f"{words} ({count} times)" if count > 1 and len(by_rule) > 1 else words
            for words, count in by_rule.items()
        ]
        since = instant_text(min(one.start_ms for one in self.found), subject.zone)
        return f"{many} found, the first at {since}: {'; '.join(kinds)}."


@dataclass(frozen=True, slots=True)
class ExcursionAssessed(
    Action, kind="excursion assessed", word="settle", about="point", affects=no_scope
):
    """An excursion settled with a cause and words; before: those that they replace. rule: the limit
    as `LimitRule.as_dict` gives it; seen: the excursion as it was assessed."""

    point: str
    assessment: str
    mission: MissionName
    rule: dict[str, Any]
    seen: AssessedExcursion
    said: AssessmentWords
    before: AssessmentWords | None = None

    def describe(self, subject: Subject) -> str:
        anew = f" (before: {self.before.cause})" if self.before else ""
        return f"{_rule_text(self.rule)} assessed: {self.said.cause}{anew}."


@dataclass(frozen=True, slots=True)
class AssessmentWithdrawn(
    Action, kind="assessment taken back", word="reopen", about="point", affects=no_scope
):
    """An assessment taken back, with what it was."""

    point: str
    assessment: str
    rule: dict[str, Any]
    seen: AssessedExcursion
    said: AssessmentWords

    def describe(self, subject: Subject) -> str:
        return f"{_rule_text(self.rule)} reopened (was: {self.said.cause})."


def _rule_text(stored: dict[str, Any]) -> str:
    """Return "Air temperature: alarm above 28 °C"."""
    rule = limit_rule(stored)
    return f"{quantity(rule.channel).name}: {rule_text(rule)}"
