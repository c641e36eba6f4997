"""Actions on gaps of a point's record: filled, left open, and withdrawn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from gezeiten.domain.actions.base import Action, Subject
from gezeiten.domain.actions.scope import gap_scope
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.timeline import duration_text


@dataclass(frozen=True, slots=True)
class LineFill:
    """A straight line through a gap in one channel: the readings at its ends, and its expected
    error as it was measured then (in the channel's unit, on so many stretches). lows, highs: how
    far the band reaches below and above each reading, () where only the furthest, low and high, was
    kept; caution: why errors can be larger here."""

    step: str
    channel: str
    from_ms: int
    from_value: float
    to_ms: int
    to_value: float
    rmse: float
    low: float
    high: float
    stretches: int
    lows: tuple[float, ...] = ()
    highs: tuple[float, ...] = ()
    caution: str = ""


@dataclass(frozen=True, slots=True)
class GapFilledByLine(
    Action, kind="gap filled by a line", word="fill", about="point", version=2, affects=gap_scope
):
    """A gap filled by straight lines, a step a channel. Version 1 knew no band of each reading."""

    point: str
    gap: Gap
    lines: tuple[LineFill, ...]

    def describe(self, subject: Subject) -> str:
        return f"Gap filled by a straight line: {_size(self.gap)}."


@dataclass(frozen=True, slots=True)
class Estimate:
    """Estimates for a gap in one channel: a value for each due instant from its begin on, None
    where nothing could be said. facts: by what, and how sure (`steps/filling/candidates.py`): way,
    companion, lag_ms, cycles, fade, rmse, stretches; low, high: how far its band reaches at most,
    lows, highs: at each value, not kept before."""

    step: str
    channel: str
    values: tuple[float | None, ...]
    facts: dict[str, Any]


@dataclass(frozen=True, slots=True)
class GapEstimated(Action, kind="gap estimated", word="fill", about="point", affects=gap_scope):
    """A gap filled by the series' own cycles or a companion, a step a channel. Its values stand
    here: whatever becomes of what they were made from, they are what they were."""

    point: str
    gap: Gap
    estimates: tuple[Estimate, ...]

    def describe(self, subject: Subject) -> str:
        methods = " and ".join(
            dict.fromkeys(fill_method_text(estimate.facts) for estimate in self.estimates)
        )
        return f"Gap filled {methods}: {_size(self.gap)}."


def fill_method_text(facts: Mapping[str, Any]) -> str:
    """Return by what a gap was filled: "by Barometer hut, 20 min earlier, and its own cycles"."""
    name, lag_min = facts.get("companion", ""), round(facts.get("lag_ms", 0) / 60_000)
    when = f", {abs(lag_min)} min {'earlier' if lag_min > 0 else 'later'}" if lag_min else ""
    if not name:
        return "by its own cycles" if facts.get("cycles") else "by a straight line"
    return f"by {name}{when}" + (", and its own cycles" if facts.get("cycles") else "")


@dataclass(frozen=True, slots=True)
class GapFetched(
    Action,
    kind="gap filled from the logger",
    word="fill",
    about="point",
    version=2,
    affects=gap_scope,
):
    """A gap filled by what an offload brought, known by the SHA-256 of its bytes. by: the courier
    or drive on which it came, "" from the logger itself; version 1 knew only that."""

    point: str
    step: str
    gap: Gap
    sha256: str
    by: str = ""

    @classmethod
    def upgrade(cls, content: dict[str, Any], version: int) -> dict[str, Any]:
        return {**content, "by": ""} if version < 2 else content

    def describe(self, subject: Subject) -> str:
        whence = f"from {self.by}" if self.by else "from the logger"
        return f"Gap filled {whence}: {_size(self.gap)}."


@dataclass(frozen=True, slots=True)
class AssignedPart:
    """Another source feeds a series in [start_ms, end_ms): its channel, and its label, "" of the
    main one."""

    step: str
    channel: str
    label: str
    start_ms: int
    end_ms: int


@dataclass(frozen=True, slots=True)
class GapFilledByAlternative(
    Action, kind="gap filled from another source", word="fill", about="point", affects=gap_scope
):
    """A gap filled by what another source measured at the same point, a step a channel."""

    point: str
    gap: Gap
    source: str
    parts: tuple[AssignedPart, ...]

    def describe(self, subject: Subject) -> str:
        return f"Gap filled by readings of {self.source}: {_size(self.gap)}."


@dataclass(frozen=True, slots=True)
class GapLeftOpen(
    Action, kind="gap left open", word="leave open", about="point", version=2, affects=gap_scope
):
    """A gap that stays in some series, with a reason. Version 1 named no series: it was all of the
    point's; series is empty then."""

    point: str
    step: str
    gap: Gap
    reason: str
    series: tuple[str, ...] = ()

    @classmethod
    def upgrade(cls, content: dict[str, Any], version: int) -> dict[str, Any]:
        return {**content, "series": []} if version < 2 else content

    def describe(self, subject: Subject) -> str:
        return f"Gap left open: {self.reason}."


@dataclass(frozen=True, slots=True)
class GapFillWithdrawn(
    Action, kind="gap taken back", word="undo", about="point", affects=gap_scope
):
    """What was done about a gap has no effect any more. was: what it was, in words."""

    point: str
    gap: Gap
    steps: tuple[str, ...]
    was: str

    def describe(self, subject: Subject) -> str:
        return f"Undone ({self.was}): {_size(self.gap)}."


@dataclass(frozen=True, slots=True)
class GapRefilled(Action, kind="gap filled again", word="fill", about="point", affects=gap_scope):
    """Estimates that were taken back stand again as they were; words: why."""

    point: str
    gap: Gap
    steps: tuple[str, ...]
    words: str

    def describe(self, subject: Subject) -> str:
        why = f": {self.words}" if self.words else ""
        return f"Gap filled again as it was before ({_size(self.gap)}){why}."


def _size(gap: Gap) -> str:
    return f"{readings_text(gap.missing)}, {duration_text(gap.length_ms)}"
