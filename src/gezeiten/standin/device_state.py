"""What of a simulated logger survives a restart: clock, battery, mission, events."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from gezeiten.link import registers as reg


@dataclass(frozen=True, slots=True)
class ClockBasis:
    """The logger's clock showed logger_ms at the true instant true_ms; from there it drifts."""

    true_ms: float
    logger_ms: float


@dataclass(slots=True)
class Run:
    """The mission in memory. Instants by the logger's clock; stopped_ms None while it runs,
    first_ms 0 while it waits for its button.

    basis: the clock as it was at launch; setting the clock later moves no reading.
    """

    number: int
    plan: dict[str, Any]
    launched_ms: int
    first_ms: int
    basis: ClockBasis
    stopped_ms: int | None = None
    end_reason: str = ""
    pauses: list[tuple[int, int]] = field(default_factory=list)


@dataclass(slots=True)
class DeviceState:
    """What survives a restart."""

    anchor_ms: int
    basis: ClockBasis
    battery_dead_ms: float
    mission: int
    run: Run | None = None
    blinks: int = 0
    events: list[tuple[int, str]] = field(default_factory=list)
    last_end: tuple[int, int] = (0, 0)
    self_check: int = reg.SELF_CHECK_NEVER


def state_from_dict(data: dict[str, Any]) -> DeviceState:
    """Return the state of `dataclasses.asdict`."""
    run = data["run"]
    if run:
        pauses = [(int(a), int(b)) for a, b in run["pauses"]]
        run = Run(**{**run, "basis": ClockBasis(**run["basis"]), "pauses": pauses})
    events = [(int(ms), str(text)) for ms, text in data["events"]]
    basis = ClockBasis(**data["basis"])
    reason, ended_ms = data["last_end"]
    known = {"run": run, "events": events, "basis": basis, "last_end": (reason, ended_ms)}
    return DeviceState(**{**data, **known})
