"""Actions on the chain of a series: a correction set, disabled or enabled, withdrawn."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject, instant_text
from gezeiten.domain.actions.scope import period_scope
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.steps.corrections import CORRECTIONS


@dataclass(frozen=True, slots=True)
class CorrectionSet(
    Action, kind="correction set", word="correct", about="point", affects=period_scope
):
    """A step in the chain of a series (its key) of a point, in force in [start_ms, end_ms), None:
    until further notice. correction: its id; step, version: of which kind; parameters: all of
    them; words: why."""

    point: str
    correction: str
    series: str
    step: str
    version: int
    start_ms: int
    end_ms: int | None
    parameters: dict[str, Any]
    words: str

    def describe(self, subject: Subject) -> str:
        its, known = quantity(self.series), CORRECTIONS.get((self.step, self.version))
        does = f"{known.name}: {known.describe(self.parameters, its.unit)}" if known else self.step
        until = "" if self.end_ms is None else f" to {instant_text(self.end_ms, subject.zone)}"
        since = f"from {instant_text(self.start_ms, subject.zone)}"
        return f"{its.name}: {does}, {since}{until}: {self.words}."


@dataclass(frozen=True, slots=True)
class CorrectionSwitched(
    Action, kind="correction switched", word="correct", about="point", affects=period_scope
):
    """A step has no effect from now on, or has it again, for all time it is in force in."""

    point: str
    correction: str
    series: str
    start_ms: int
    end_ms: int | None
    is_on: bool
    words: str

    def describe(self, subject: Subject) -> str:
        how = "enabled again" if self.is_on else "disabled"
        why = f": {self.words}" if self.words else ""
        return f"A correction of {quantity(self.series).name} {how}{why}."


@dataclass(frozen=True, slots=True)
class CorrectionWithdrawn(
    Action, kind="correction taken back", word="undo", about="point", affects=period_scope
):
    """A step never was; the record is exactly what it was without it."""

    point: str
    correction: str
    series: str
    start_ms: int
    end_ms: int | None

    def describe(self, subject: Subject) -> str:
        return f"A correction of {quantity(self.series).name} of {subject.name} withdrawn."
