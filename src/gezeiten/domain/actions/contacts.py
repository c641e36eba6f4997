"""Acts at loggers that answer: contacted, stopped, erased, let blink, checked; what failed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.series.timeline import duration_text

Attempt = Literal["contact", "launch", "stop", "offload", "overview", "erase", "follow"]
_CLOCK_RIGHT_S = 0.05
"""What would be told as nothing."""
_FAILED_WORDS = {"erase": "erase refused", "follow": "followed logger away"}


@dataclass(frozen=True, slots=True)
class LoggerContacted(
    Action, kind="logger contacted", word="contact", about="logger", affects=no_scope
):
    """A logger as it answered. doing: what it does, in a word; state: its state registers by name;
    clock_difference_ms: logger minus computer."""

    logger: str
    model: str
    firmware: str
    doing: str
    state: dict[str, Any]
    clock_difference_ms: float
    clock_uncertainty_ms: float

    def describe(self, subject: Subject) -> str:
        number, off_s = self.state["mission_number"], self.clock_difference_ms / 1000
        held = f"mission {number}, {readings_text(self.state['readings'])}" if number else "empty"
        clock = "right" if abs(off_s) < _CLOCK_RIGHT_S else f"{off_s:+.1f} s"
        return (
            f"{self.logger} {self.doing.replace('_', ' ')}, {held}; battery "
            f"{self.state['battery_permille'] / 10:.0f} %, clock {clock}."
        )


@dataclass(frozen=True, slots=True)
class MissionStopped(Action, kind="mission stopped", word="stop", about="logger", affects=no_scope):
    """A logger told to record no more; its memory stays."""

    logger: str

    def describe(self, subject: Subject) -> str:
        return f"The mission of {self.logger} was stopped."


@dataclass(frozen=True, slots=True)
class MemoryErased(Action, kind="memory erased", word="erase", about="logger", affects=no_scope):
    """A logger told to erase what it held; all of it had been read back from the vault."""

    logger: str
    readings: int

    def describe(self, subject: Subject) -> str:
        stored = readings_text(self.readings)
        return f"The memory of {self.logger} was erased; {stored} in the vault."


@dataclass(frozen=True, slots=True)
class LoggerBlinked(
    Action, kind="logger let blink", word="blink", about="logger", affects=no_scope
):
    """A logger let blink so that it is found among others."""

    logger: str

    def describe(self, subject: Subject) -> str:
        return f"{self.logger} blinked its LED."


@dataclass(frozen=True, slots=True)
class SensorsChecked(
    Action, kind="sensors checked", word="self-check", about="logger", affects=no_scope
):
    """A logger let check its own sensors."""

    logger: str
    good: bool

    def describe(self, subject: Subject) -> str:
        return f"Self-check of {self.logger}: {'good' if self.good else 'failed'}."


@dataclass(frozen=True, slots=True)
class FollowedBack(
    Action,
    kind="followed logger back",
    word="followed logger back",
    about="logger",
    affects=no_scope,
):
    """A followed logger that answers again."""

    logger: str
    away_ms: int

    def describe(self, subject: Subject) -> str:
        return f"{self.logger} is back after {duration_text(self.away_ms)}."


@dataclass(frozen=True, slots=True)
class AttemptFailed(Action, kind="attempt failed", word="failed", about="logger", affects=no_scope):
    """What was tried at a logger and did not happen, and why; nothing changed. logger: its serial,
    or where it was looked for. plan: that was to be launched."""

    logger: str
    attempt: Attempt
    why: str
    plan: dict[str, Any] | None = None

    @property
    def entry_word(self) -> str:
        return _FAILED_WORDS.get(self.attempt, f"{self.attempt} failed")

    def describe(self, subject: Subject) -> str:
        return self.why
