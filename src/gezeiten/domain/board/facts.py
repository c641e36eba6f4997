"""What is known of the points on the board at any time: everything but what time it is.

It is what the computer keeps for the first sight of the next start (`desk/field/startup_cache.py`),
so it holds what the board shows and nothing else. All instants and spans are UTC ms.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gezeiten.domain.limits.limits import Side
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.steps import GapState

EndReason = Literal["memory full", "battery empty", "plan ends"]


@dataclass(frozen=True, slots=True)
class BoardSite:
    """A site on the board. id: its key in this database."""

    id: int
    name: str
    kind: str
    zone: str
    next_visit_ms: int | None


@dataclass(frozen=True, slots=True)
class BoardPoint:
    """A point on the board. id, site_id: keys in this database; practice: its logger is a stand-in,
    its readings are made up."""

    id: int
    site_id: int
    site: str
    name: str
    zone: str
    practice: bool = False


@dataclass(frozen=True, slots=True)
class BoardGap:
    """A gap. key: what tells it apart where it is mended: point, first missing instant, end, and
    the first of its series."""

    key: tuple[int, int, int, str]
    state: GapState

    @property
    def span(self) -> Span:
        """From the first missing instant to the end."""
        return self.key[1], self.key[2]


@dataclass(frozen=True, slots=True)
class BoardExcursion:
    """An excursion. id: its key in this database; settled: whether somebody has assessed it."""

    id: int
    side: Side
    start_ms: int
    is_settled: bool


@dataclass(frozen=True, slots=True)
class LoggerSnapshot:
    """A logger, or another source, with the mission that it was last seen with.

    is_logger: not so of a text or a live line, which nobody has to go to. first_ms: 0 while it
    waits for its button. ends_ms: when memory or battery end (None: they do not, or nobody knows).
    held: what of it has come. clock_off_ms: None where nobody has compared it.
    """

    serial: str
    is_logger: bool
    first_ms: int
    interval_ms: int
    is_recording: bool
    ends_ms: int | None
    end_reason: EndReason
    held: tuple[Span, ...]
    clock_off_ms: float | None
    calibration_due_ms: int | None


@dataclass(frozen=True, slots=True)
class WrongClock:
    """A mission whose logger's clock was wrong and is not corrected. series: the first one at the
    point that its readings are in; ahead_ms: how far the clock was ahead."""

    serial: str
    series: str
    ahead_ms: float


@dataclass(frozen=True, slots=True)
class PointSnapshot:
    """What is known of a point. logger: that of the mission that began last there, None where there
    was none; beside: others that record there. held: what the archive has of its first series.
    fault: why it cannot be read, "" for all that can. wrong_clocks: of missions whose readings are
    dated wrongly."""

    point: BoardPoint
    logger: LoggerSnapshot | None
    beside: tuple[LoggerSnapshot, ...]
    held: tuple[Span, ...]
    estimated: tuple[Span, ...]
    gaps: tuple[BoardGap, ...]
    excursions: tuple[BoardExcursion, ...]
    offloads_ms: tuple[int, ...]
    fault: str = ""
    wrong_clocks: tuple[WrongClock, ...] = ()


@dataclass(frozen=True, slots=True)
class BoardFacts:
    """What is known of all points in use, by site."""

    sites: tuple[tuple[BoardSite, tuple[PointSnapshot, ...]], ...]
