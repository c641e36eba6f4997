"""Actions on how a sensor hangs at a point."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject, instant_text
from gezeiten.domain.actions.scope import open_ended_scope


@dataclass(frozen=True, slots=True)
class SensorDepthSet(
    Action, kind="sensor hung", word="correct", about="point", affects=open_ended_scope
):
    """From an instant (UTC ms) on the measuring point of a point lies rim_m above its datum and the
    sensor length_m below it. hanging: its id."""

    point: str
    hanging: str
    since_ms: int
    rim_m: float
    length_m: float
    words: str

    def describe(self, subject: Subject) -> str:
        since = instant_text(self.since_ms, subject.zone)
        return (
            f"{subject.name}: from {since} the reference mark is {self.rim_m:.3f} "
            f"m above the datum, the sensor {self.length_m:.3f} m below it: {self.words}."
        )


@dataclass(frozen=True, slots=True)
class SensorDepthWithdrawn(
    Action, kind="hanging taken back", word="undo", about="point", affects=open_ended_scope
):
    """How a sensor was said to hang from an instant on has no effect any more."""

    point: str
    hanging: str
    since_ms: int

    def describe(self, subject: Subject) -> str:
        since = instant_text(self.since_ms, subject.zone)
        return f"The sensor depth at {subject.name} from {since} was withdrawn."
