"""Actions on a day's round of sites: prepared, its tasks planned or left out, closed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope


@dataclass(frozen=True, slots=True)
class PlannedTask:
    """What is to be done at a point. plan: ready to launch there, None: only offload."""

    task: str
    point: str
    plan: dict[str, Any] | None


@dataclass(frozen=True, slots=True)
class RoundMade(Action, kind="round made", word="round", about="round", affects=no_scope):
    """The round of a day, its tasks in the order of the way."""

    round: str
    day_ms: int
    sites: str
    tasks: tuple[PlannedTask, ...]

    @property
    def named(self) -> str:
        return self.sites

    def describe(self, subject: Subject) -> str:
        return f"Round prepared: {self.sites}."


@dataclass(frozen=True, slots=True)
class TaskPlanned(Action, kind="task planned", word="round", about="point", affects=no_scope):
    """What is to be launched at a point of the round; None: it is only offloaded."""

    round: str
    task: str
    point: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None

    def describe(self, subject: Subject) -> str:
        words = "is launched again" if self.after else "is only offloaded"
        return f"{subject.name} {words} on the round."


@dataclass(frozen=True, slots=True)
class TaskOmitted(Action, kind="task left out", word="round", about="point", affects=no_scope):
    """Why a point of the round is not done; "" after: it is to be done after all."""

    round: str
    task: str
    point: str
    before: str
    after: str

    def describe(self, subject: Subject) -> str:
        words = f"left out: {self.after}." if self.after else "is to be done after all."
        return f"{subject.name} {words}"


@dataclass(frozen=True, slots=True)
class DueVisit:
    """A site all of whose tasks were done: its next visit, by its duty."""

    site: str
    name: str
    before_ms: int | None
    after_ms: int


@dataclass(frozen=True, slots=True)
class RoundClosed(Action, kind="round closed", word="round", about="round", affects=no_scope):
    """The end of a round, and the next visits that follow from it by duty."""

    round: str
    sites: str
    done: int
    tasks: int
    visits: tuple[DueVisit, ...] = ()

    @property
    def named(self) -> str:
        return self.sites

    def describe(self, subject: Subject) -> str:
        text = f"Round finished: {self.done} of {self.tasks} points done."
        names = ", ".join(visit.name for visit in self.visits)
        return f"{text} Next visit set by the visit interval for {names}." if names else text
