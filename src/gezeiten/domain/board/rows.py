"""The Tideboard's rows at an instant: what we hold, what we lack, what is at risk, when to go."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from gezeiten.domain.board.facts import (
    BoardExcursion,
    BoardFacts,
    BoardGap,
    BoardPoint,
    BoardSite,
    EndReason,
    LoggerSnapshot,
    PointSnapshot,
    WrongClock,
)
from gezeiten.domain.board.thresholds import (
    FORESEEN_MS,
    LONG_NOT_OFFLOADED_MS,
    PRESSING_MS,
    SOON_MS,
    is_clock_difference_notable,
)
from gezeiten.domain.series.timeline import DAY_MS, Span, duration_text

NeedKind = Literal[
    "end", "gap", "offload", "clock", "calibration", "not recording", "fault", "wrong clock"
]


@dataclass(frozen=True, slots=True)
class VisitNeed:
    """Why to go to a point, and by when; weight 2 is urgent, 1 soon, 0 for knowing. serial: of a
    logger beside the one that the point's row is about, "" for that one."""

    kind: NeedKind
    words: str
    due_ms: int
    weight: int
    serial: str = ""


@dataclass(frozen=True, slots=True)
class BoardRow:
    """One point on the board. Spans are UTC ms.

    on_logger: what the logger has recorded since the last offload, as far as is known.
    ends_ms: when recording ends (None: it goes on), with the reason. fault: why the point cannot
    be shown, "" for all that can.
    """

    point: BoardPoint
    serial: str
    held: tuple[Span, ...]
    estimated: tuple[Span, ...]
    gaps: tuple[BoardGap, ...]
    excursions: tuple[BoardExcursion, ...]
    offloads_ms: tuple[int, ...]
    on_logger: Span | None
    ends_ms: int | None
    end_reason: EndReason
    is_recording: bool
    needs: tuple[VisitNeed, ...]
    fault: str = ""
    wrong_clocks: tuple[WrongClock, ...] = ()


def row_of(facts: PointSnapshot, site: BoardSite, now_ms: int) -> BoardRow:
    """Return the row of a point at an instant."""
    if facts.fault:
        return _unreadable(facts, now_ms)
    its = facts.logger
    row = _recording(facts, its, facts.gaps, facts.held, now_ms)
    needs = _needs(row, its, site.next_visit_ms, now_ms)
    for other in facts.beside:
        beside = _recording(facts, other, (), other.held, now_ms)
        needs += [
            replace(need, words=f"{other.serial}: {need.words}", serial=other.serial)
            for need in _needs(beside, other, site.next_visit_ms, now_ms)
        ]
    needs += [
        VisitNeed("wrong clock", _wrong_clock_text(wrong_clock), now_ms, 2)
        for wrong_clock in facts.wrong_clocks
    ]
    return replace(row, needs=tuple(sorted(needs, key=_by_weight)), wrong_clocks=facts.wrong_clocks)


def _wrong_clock_text(wrong_clock: WrongClock) -> str:
    return f"clock wrong by {duration_text(round(abs(wrong_clock.ahead_ms)) // DAY_MS * DAY_MS)}"


def _unreadable(facts: PointSnapshot, now_ms: int) -> BoardRow:
    """The row of a point that cannot be read; it says why."""
    need = VisitNeed("fault", "cannot be read", now_ms, 2)
    serial = facts.logger.serial if facts.logger else ""
    return BoardRow(
        facts.point,
        serial,
        (),
        (),
        (),
        facts.excursions,
        (),
        None,
        None,
        "memory full",
        False,
        (need,),
        facts.fault,
    )


def _recording(
    facts: PointSnapshot,
    logger: LoggerSnapshot | None,
    gaps: tuple[BoardGap, ...],
    held: tuple[Span, ...],
    now_ms: int,
) -> BoardRow:
    """The row of a point as it is by one of its loggers, without its needs."""
    recording = logger is not None and logger.is_recording
    return BoardRow(
        facts.point,
        logger.serial if logger else "",
        facts.held,
        facts.estimated,
        gaps,
        facts.excursions,
        facts.offloads_ms,
        _on_logger(logger, held, now_ms) if logger and recording else None,
        logger.ends_ms if logger and recording else None,
        logger.end_reason if logger else "memory full",
        recording,
        (),
    )


def _on_logger(logger: LoggerSnapshot, held: tuple[Span, ...], now_ms: int) -> Span | None:
    if not logger.first_ms:
        return None
    until = now_ms if logger.ends_ms is None else min(now_ms, logger.ends_ms)
    since = max(held[-1][1] if held else logger.first_ms, logger.first_ms)
    if until - since < 2 * logger.interval_ms:
        return None
    return (since, until)


def _needs(
    row: BoardRow, logger: LoggerSnapshot | None, visit_ms: int | None, now_ms: int
) -> list[VisitNeed]:
    """Return what a point asks for by one of its loggers, most pressing first."""
    needs: list[VisitNeed] = []
    visit = max(visit_ms or now_ms, now_ms)  # what has no date of its own waits for the visit
    pressing = 2 if visit_ms is not None and visit - now_ms < 2 * DAY_MS else 1
    if row.ends_ms is not None and row.ends_ms - now_ms < FORESEEN_MS:
        left = row.ends_ms - now_ms
        words: str = "battery" if row.end_reason == "battery empty" else row.end_reason
        weight = 2 if left < PRESSING_MS else 1 if left < SOON_MS else 0
        needs.append(VisitNeed("end", words, row.ends_ms, weight))
    open_count = sum(1 for gap in row.gaps if gap.state == "open")
    if open_count:
        words = "gap" if open_count == 1 else f"{open_count} gaps"
        needs.append(VisitNeed("gap", words, visit, pressing))
    if row.on_logger and row.on_logger[1] - row.on_logger[0] > DAY_MS:
        length = row.on_logger[1] - row.on_logger[0]
        weight = pressing if length > LONG_NOT_OFFLOADED_MS or pressing == 2 else 0
        needs.append(VisitNeed("offload", "offload", visit, weight))
    if (
        logger
        and logger.clock_off_ms is not None
        and is_clock_difference_notable(logger.clock_off_ms)
    ):
        words = f"clock {duration_text(round(logger.clock_off_ms))}"
        needs.append(VisitNeed("clock", words, visit, pressing))
    if logger and logger.calibration_due_ms is not None:
        left = logger.calibration_due_ms - now_ms
        if left < FORESEEN_MS:
            weight = 1 if left < SOON_MS else 0
            needs.append(VisitNeed("calibration", "calibration", logger.calibration_due_ms, weight))
    if not row.is_recording and (logger is None or logger.is_logger):
        needs.append(VisitNeed("not recording", "not recording", now_ms, 2))
    return sorted(needs, key=_by_weight)


_RANK = ("wrong clock", "not recording", "end", "clock", "gap", "offload", "calibration", "fault")


def _by_weight(need: VisitNeed) -> tuple[int, int, int]:
    return (-need.weight, _RANK.index(need.kind), need.due_ms)


def rows_of(facts: BoardFacts, now_ms: int) -> tuple[tuple[BoardSite, tuple[BoardRow, ...]], ...]:
    """Return the rows of all points at an instant, by site."""
    return tuple(
        (site, tuple(row_of(point, site, now_ms) for point in points))
        for site, points in facts.sites
    )
