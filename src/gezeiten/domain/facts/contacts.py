"""When a contact with a logger says more than the last one that the logbook tells."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from gezeiten.domain.series.timeline import DAY_MS, MINUTE_MS

BY_HAND_MS = 10 * MINUTE_MS
"""A contact that somebody made is told anew after so long, whatever it says."""
FOLLOWED_MS = DAY_MS
"""One of a logger that is followed, likewise."""
CLOCK_MOVED_MS = 1000
BATTERY_MOVED_PERMILLE = 10
_ALWAYS_NEWS = (
    "state",
    "mission_number",
    "flags",
    "practice",
    "end_reason",
    "self_check",
    "first_due_ms",
    "interval_s",
    "calibration_due_day",
)
"""Of the state; not what moves with every reading, as the oldest one held does in a ring."""


@dataclass(frozen=True, slots=True)
class LoggerSighting:
    """A logger as it was seen: when (UTC ms), its state registers by name, and how far its clock
    was off (ms, None where it was not read)."""

    at_ms: int
    state: Mapping[str, Any]
    clock_difference_ms: float | None


def is_news(before: LoggerSighting | None, now: LoggerSighting, after_ms: int) -> bool:
    """Whether a sighting is told: it is the first, something a board rests on is otherwise than
    it was told last, or that was `after_ms` ago. That readings were added is none: what is held
    comes with the offload. Source: docs/archive.md, "Contacts"."""
    if before is None or before.clock_difference_ms is None or now.clock_difference_ms is None:
        return True
    drift_ms = abs(now.clock_difference_ms - before.clock_difference_ms)
    battery = abs(now.state["battery_permille"] - before.state.get("battery_permille", -1000))
    return (
        not before.at_ms <= now.at_ms < before.at_ms + after_ms
        or drift_ms >= CLOCK_MOVED_MS
        or battery >= BATTERY_MOVED_PERMILLE
        or any(before.state.get(key) != now.state.get(key) for key in _ALWAYS_NEWS)
    )
