"""Actions on check readings: what somebody read by hand."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.actions.base import Action, Subject, instant_text
from gezeiten.domain.actions.scope import no_scope
from gezeiten.domain.quantities.quantities import quantity


@dataclass(frozen=True, slots=True)
class CheckRead(Action, kind="check read", word="check", about="point", affects=no_scope):
    """A value read by hand for a series (its key) of a point at an instant (UTC ms), in the unit
    the series is recorded in. check: its id; value: what the series should say then, None where
    only lowest and highest since the look before were read; u: its uncertainty (k = 2). dip_m: how
    far below the measuring point the water stood, rim_m: how high that was, where the value follows
    from them. by: who read it."""

    point: str
    check: str
    series: str
    at_ms: int
    value: float | None
    u: float
    low: float | None
    high: float | None
    dip_m: float | None
    rim_m: float | None
    by: str
    words: str

    def describe(self, subject: Subject) -> str:
        its = quantity(self.series)
        parts = [
            f"{its.name} {self.value:.{its.decimals}f} {its.unit}".rstrip()
            if self.value is not None
            else its.name
        ]
        if self.dip_m is not None:
            parts.append(f"dip {self.dip_m:.3f} m")
        for name, value in (("lowest", self.low), ("highest", self.high)):
            if value is not None:
                parts.append(f"{name} {value:.{its.decimals}f}")
        words = f": {self.words}" if self.words else ""
        at = instant_text(self.at_ms, subject.zone)
        return f"Check reading at {at} by {self.by}: {', '.join(parts)}{words}."


@dataclass(frozen=True, slots=True)
class CheckWithdrawn(Action, kind="check taken back", word="undo", about="point", affects=no_scope):
    """A check reading does not stand any more."""

    point: str
    check: str
    series: str
    at_ms: int

    def describe(self, subject: Subject) -> str:
        at = instant_text(self.at_ms, subject.zone)
        return f"Check reading of {quantity(self.series).name} at {at} withdrawn."
