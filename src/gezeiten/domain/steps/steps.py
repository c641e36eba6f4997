"""Steps from what loggers recorded to the record: reversible, each by somebody at some time. What a
kind of step does stands in its entry in `KINDS`, and is asked there, never of its name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

GapState = Literal[
    "open", "left open", "estimated", "from the logger", "from another source", "not calculated"
]
NOT_CALCULATED: GapState = "not calculated"
"""What a gap of a calculated series is whose first input has readings there: it goes once what it
rests on is put right."""
MEASURED: tuple[GapState, ...] = ("from the logger", "from another source")
"""What a gap is that was filled by readings, none of them estimated."""


@dataclass(frozen=True, slots=True)
class StepKind:
    """What a kind of step does. makes: what a gap is once it stands; has_estimates: it holds
    estimated readings of its series; brings_bytes: readings of its bytes in its stretch count as
    long as it stands; assigns_source: another source feeds its series in its stretch as long as it
    stands."""

    key: str
    makes: GapState
    has_estimates: bool = False
    brings_bytes: bool = False
    assigns_source: bool = False

    @property
    def changes_record(self) -> bool:
        """Whether readings come by it: else it only says something about a gap."""
        return self.has_estimates or self.brings_bytes or self.assigns_source


LINE, ESTIMATE, REFETCH, FED, LEFT_OPEN = "line", "estimate", "refetch", "fed", "left_open"
KINDS: dict[str, StepKind] = {
    kind.key: kind
    for kind in (
        StepKind(LINE, "estimated", has_estimates=True),
        StepKind(ESTIMATE, "estimated", has_estimates=True),
        StepKind(REFETCH, "from the logger", brings_bytes=True),
        StepKind(FED, "from another source", assigns_source=True),
        StepKind(LEFT_OPEN, "left open"),
    )
}
"""Estimated readings on a straight line, or by cycles and companions; readings of an offload that
was fetched for the gap; readings that another source measured at the point; a gap that stays, with
a reason."""


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

    @property
    def does(self) -> StepKind:
        """What its kind does."""
        return KINDS[self.kind]

    def touches(self, start_ms: int, end_ms: int) -> bool:
        """Whether any of a stretch lies in it."""
        return self.start_ms < end_ms and self.end_ms > start_ms
