"""The whole Tideboard at an instant: its rows, and the visits that follow from them."""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.domain.board.facts import BoardFacts, BoardSite
from gezeiten.domain.board.rows import BoardRow, rows_of
from gezeiten.domain.board.thresholds import LONG_NOT_OFFLOADED_MS, SOON_MS
from gezeiten.domain.series.timeline import DAY_MS, approximate_duration_text, duration_text

_ASKS_FOR_A_VISIT = ("end", "not recording", "fault")
"""Needs for which somebody has to go, whether a visit is planned or not."""


@dataclass(frozen=True, slots=True)
class Visit:
    """What is due at a site on a day."""

    site: BoardSite
    due_ms: int
    loggers: int
    needs: tuple[str, ...]
    is_urgent: bool


@dataclass(frozen=True, slots=True)
class Board:
    """Everything the tideboard shows, as of `now_ms` (UTC ms)."""

    now_ms: int
    sites: tuple[tuple[BoardSite, tuple[BoardRow, ...]], ...]
    visits: tuple[Visit, ...]


def board_of(facts: BoardFacts, now_ms: int) -> Board:
    """Return the board at an instant, visits in the order in which they are due."""
    listed = rows_of(facts, now_ms)
    visits = [_visit(site, rows, now_ms) for site, rows in listed]
    due = sorted((visit for visit in visits if visit), key=lambda visit: visit.due_ms)
    return Board(now_ms, listed, tuple(due))


def _visit(site: BoardSite, rows: tuple[BoardRow, ...], now_ms: int) -> Visit | None:
    """The visit that follows from a site's rows: the planned one, or an earlier one that a need
    asks for; where none is planned only what cannot wait asks for one."""
    if site.next_visit_ms is not None:
        ends = [row.ends_ms for row in rows if row.ends_ms is not None]
        due = min([site.next_visit_ms, *ends])
    else:
        asking = [
            need.due_ms
            for row in rows
            if row.serial or row.fault
            for need in row.needs
            if need.kind in _ASKS_FOR_A_VISIT and need.weight
        ]
        if not asking:
            return None
        due = max(min(asking), now_ms)
    texts = [sentence for row in rows for sentence in _sentences(row, now_ms)]
    urgent = due - now_ms < 2 * DAY_MS
    return Visit(site, due, len([row for row in rows if row.serial]), tuple(texts), urgent)


def _sentences(row: BoardRow, now_ms: int) -> list[str]:
    """What is to do at a point in one line; none where there is nothing."""
    if row.fault:
        return [f"{row.point.name} cannot be read: {row.fault}"]
    texts = []
    if row.ends_ms is not None and row.ends_ms - now_ms < SOON_MS:
        texts.append(_end_text(row, row.ends_ms - now_ms))
    if any(need.kind == "not recording" and not need.serial for need in row.needs):
        texts.append("not recording")
    for need in row.needs:
        if need.kind == "wrong clock" or need.serial:
            texts += [need.words] if need.weight else []
        elif need.kind == "clock":
            texts.append(f"{need.words} off")
        elif need.kind == "calibration" and need.weight:
            texts.append("calibration due")
    if row.on_logger and row.on_logger[1] - row.on_logger[0] > LONG_NOT_OFFLOADED_MS:
        texts.append(f"{(row.on_logger[1] - row.on_logger[0]) // DAY_MS} d to offload")
    texts += [
        f"gap of {duration_text(gap.span[1] - gap.span[0])}"
        for gap in row.gaps
        if gap.state == "open"
    ]
    return [f"{row.point.name}: {', '.join(texts)}"] if texts else []


def _end_text(row: BoardRow, left_ms: int) -> str:
    over, going_on = _END_WORDS[row.end_reason]
    return over if left_ms <= 0 else going_on.format(approximate_duration_text(left_ms))


_END_WORDS = {
    "battery empty": ("battery must be empty", "battery lasts {}"),
    "memory full": ("memory is full", "full in {}"),
    "plan ends": ("the plan has ended", "the plan ends in {}"),
}
"""What is said of an end that has come, and of one to come, by its reason."""
