"""How acts name missions."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class MissionName:
    """A mission by what it is: its logger's serial, its number there, its launch (UTC ms)."""

    serial: str
    number: int
    launched_ms: int
