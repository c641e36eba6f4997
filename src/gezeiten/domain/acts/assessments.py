"""Acts on excursions: assessed, and an assessment taken back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.acts.base import Act, Subject
from gezeiten.domain.acts.missions import MissionName
from gezeiten.domain.assessments import Seen
from gezeiten.domain.limits import limit_rule
from gezeiten.domain.plan_words import rule_text
from gezeiten.domain.quantities import quantity


@dataclass(frozen=True, slots=True)
class Words:
    """What somebody said of an excursion."""

    cause: str
    words: str


@dataclass(frozen=True, slots=True)
class ExcursionAssessed(Act, kind="excursion assessed", word="settle", about="point"):
    """An excursion settled with a cause and words; before: those that they replace. rule: the limit
    as `LimitRule.as_dict` gives it; seen: the excursion as it was assessed."""

    point: str
    assessment: str
    mission: MissionName
    rule: dict[str, Any]
    seen: Seen
    said: Words
    before: Words | None = None

    def told(self, subject: Subject) -> str:
        anew = f" anew, before: {self.before.cause}" if self.before else ""
        return f"{_rule_words(self.rule)} settled: {self.said.cause}{anew}."


@dataclass(frozen=True, slots=True)
class AssessmentTakenBack(Act, kind="assessment taken back", word="reopen", about="point"):
    """An assessment taken back, with what it was."""

    point: str
    assessment: str
    rule: dict[str, Any]
    seen: Seen
    said: Words

    def told(self, subject: Subject) -> str:
        return f"{_rule_words(self.rule)}: assessment taken back ({self.said.cause})."


def _rule_words(stored: dict[str, Any]) -> str:
    """Return "Air temperature: alarm above 28 °C"."""
    rule = limit_rule(stored)
    return f"{quantity(rule.channel).name}: {rule_text(rule)}"
