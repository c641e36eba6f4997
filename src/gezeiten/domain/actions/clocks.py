"""Actions on the clocks of missions: what time a logger's clock showed, and what time it was."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import mission_scope


@dataclass(frozen=True, slots=True)
class ClockCorrected(
    Action, kind="clock corrected", word="correct", about="logger", version=2, affects=mission_scope
):
    """The instants of the readings of a mission (its id, its number) are others than its logger
    wrote. clock: id of this; pairs: what its clock showed and what time it was then (UTC ms), see
    `ClockMap`; u_ms: how sure that is at worst between two (k = 2); way: how it is known; words:
    why; us_ms, rate_beyond, drift_ppm: see `ClockUncertainty` and `ClockMap`, not known to version
    1."""

    logger: str
    mission: str
    number: int
    clock: str
    way: str
    pairs: tuple[tuple[int, int], ...]
    u_ms: int
    words: str
    us_ms: tuple[int, ...] = ()
    rate_beyond: float | None = None
    drift_ppm: float | None = None

    def describe(self, subject: Subject) -> str:
        first, last = (true - shown for shown, true in (self.pairs[0], self.pairs[-1]))
        until = f" to {last / 1000:+.0f} s" if last != first else ""
        return (
            f"Clock of {self.logger}, mission {self.number}: its readings are shifted "
            f"by {first / 1000:+.0f} s{until} ({self.way}): {self.words}."
        )


@dataclass(frozen=True, slots=True)
class ClockCorrectionDisabled(
    Action, kind="clock switched off", word="correct", about="logger", affects=mission_scope
):
    """A correction of a clock has no effect until it is switched on again."""

    logger: str
    mission: str
    number: int
    clock: str
    words: str

    def describe(self, subject: Subject) -> str:
        return f"{_clock_correction_text(self)} disabled: {self.words}."


@dataclass(frozen=True, slots=True)
class ClockCorrectionEnabled(
    Action, kind="clock switched on", word="correct", about="logger", affects=mission_scope
):
    """A correction of a clock that was switched off has its effect again. anew: its id from now
    on: what stood when is told by when each stood."""

    logger: str
    mission: str
    number: int
    clock: str
    anew: str
    words: str

    def describe(self, subject: Subject) -> str:
        return f"{_clock_correction_text(self)} enabled again: {self.words}."


@dataclass(frozen=True, slots=True)
class ClockCorrectionWithdrawn(
    Action, kind="clock taken back", word="undo", about="logger", affects=mission_scope
):
    """A correction of a clock never was."""

    logger: str
    mission: str
    number: int
    clock: str

    def describe(self, subject: Subject) -> str:
        return f"{_clock_correction_text(self)} withdrawn."


def _clock_correction_text(
    action: ClockCorrectionDisabled | ClockCorrectionEnabled | ClockCorrectionWithdrawn,
) -> str:
    return f"The clock correction of {action.logger}, mission {action.number}, was"
