"""Actions of launching: begun before the first change on the logger, ended when it is known how."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope

Outcome = Literal["happened", "refused", "not happened", "another"]
"""Of a launch: "another": the logger is in a mission that somebody else launched."""


@dataclass(frozen=True, slots=True)
class LaunchBegun(
    Action, kind="launch begun", word="launch begun", about="logger", affects=no_scope
):
    """A launch that begins. launch: computer and token of whoever launches; old_mission: the number
    before; accepted: words why, by the keys of the checks that they accept."""

    logger: str
    launch: str
    plan: dict[str, Any]
    old_mission: int
    accepted: dict[str, str]

    def describe(self, subject: Subject) -> str:
        return f"Launch of {self.logger} for {self.plan['point_name']} begun."


@dataclass(frozen=True, slots=True)
class NewMission:
    """A mission that a launch began, and its plan as it was read back. point: id of its point;
    instants by the logger's clock, first_ms 0 while it waits for its button."""

    number: int
    launched_ms: int
    first_ms: int
    interval_ms: int
    point: str
    plan: dict[str, Any]


@dataclass(frozen=True, slots=True)
class LaunchEnded(Action, kind="launch ended", word="launch", about="logger", affects=no_scope):
    """How a launch ended. mission: the one it is in, of number `in_mission`, where it happened.
    replaced: the loggers that stood at the point. cut_off: found out at a later contact."""

    logger: str
    launch: str
    outcome: Outcome
    in_mission: int
    accepted: dict[str, str]
    mission: NewMission | None = None
    replaced: tuple[str, ...] = ()
    cut_off: bool = False
    why: str = ""
    doing: str = ""

    @property
    def entry_word(self) -> str:
        if self.cut_off:
            return "launch settled"
        return "launch failed" if self.outcome == "refused" else "launch"

    def describe(self, subject: Subject) -> str:
        if self.outcome == "refused":
            return self.why
        said = _CUT_OFF[self.outcome] if self.cut_off else _AT_ONCE
        point = self.mission.plan["point_name"] if self.mission else ""
        sentence = said.format(
            logger=self.logger,
            number=self.in_mission,
            point=point,
            doing=self.doing.replace("_", " "),
        )
        if self.replaced:
            sentence += f" {self.logger} replaces {', '.join(self.replaced)} there."
        return sentence


_AT_ONCE = "Mission {number} launched for {point}; plan read back, the same."
_CUT_OFF = {
    "happened": "The interrupted launch did happen: {logger} is in its new mission {number}.",
    "another": (
        "A launch of {logger} was interrupted, and it is now in another mission; "
        "somebody else has launched it."
    ),
    "not happened": (
        "A launch of {logger} was interrupted; it is still in its old mission "
        "{number}, {doing}, and all its readings are safe."
    ),
}
