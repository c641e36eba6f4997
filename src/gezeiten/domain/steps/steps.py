"""Steps from what loggers recorded to the record: reversible, each by somebody at some time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

LINE, REFETCH, LEFT_OPEN = "line", "refetch", "left_open"
"""Estimated readings on a straight line; readings of an offload that was fetched for the gap; a gap
that stays, with a reason."""


@dataclass(frozen=True, slots=True)
class RecordStep:
    """One step on [start_ms, end_ms) of a channel ("" for all of the point's).

    facts: numbers for people, such as the expected error. undone_ms: it has no effect any more.
    """

    id: str
    point_id: int
    channel: str
    kind: str
    start_ms: int
    end_ms: int
    interval_ms: int
    facts: dict[str, Any]
    made_ms: int
    made_by: str
    undone_ms: int | None
    undone_by: str

    def touches(self, start_ms: int, end_ms: int) -> bool:
        """Whether any of a stretch lies in it."""
        return self.start_ms < end_ms and self.end_ms > start_ms
