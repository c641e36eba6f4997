"""What points need as time goes by, worked by hand: nothing but the instant differs."""

from __future__ import annotations

from dataclasses import replace

from gezeiten.domain.board.board import Board, board_of
from gezeiten.domain.board.facts import (
    BoardFacts,
    BoardGap,
    BoardPoint,
    BoardSite,
    KnownOfLogger,
    KnownOfPoint,
)
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS

NOW_MS = 1_795_392_000_000
SITE = BoardSite(1, "Shore", "marsh", "Europe/Berlin", None)
POINT = BoardPoint(1, 1, "Shore", "Creek", "Europe/Berlin")
LOGGER = KnownOfLogger(
    "P-0330", True, NOW_MS - 20 * DAY_MS, 600_000, True, NOW_MS + 20 * DAY_MS, "memory full",
    ((NOW_MS - 20 * DAY_MS, NOW_MS - HOUR_MS),), -42_000.0, NOW_MS + 70 * DAY_MS,
)  # fmt: skip
GAP = BoardGap((1, NOW_MS - 9 * DAY_MS, NOW_MS - 8 * DAY_MS, "water_level"), "open")


def seen(at_ms: int, *gaps: BoardGap, site: BoardSite = SITE, **of_logger: object) -> Board:
    its = replace(LOGGER, **of_logger)
    known = KnownOfPoint(POINT, its, (), its.held, (), gaps, (), ())
    return board_of(BoardFacts(((site, (known,)),)), at_ms)


def needs(shown: Board) -> dict[str, int]:
    [(_, [row])] = shown.sites
    return {need.words: need.weight for need in row.needs}


def test_what_is_known_asks_for_more_as_time_goes_by() -> None:
    assert needs(seen(NOW_MS)) == {"clock −42 s": 1, "memory full": 0}
    after = seen(NOW_MS + 8 * DAY_MS)  # full in 12 d, 8 d and an hour to offload
    assert needs(after) == {"memory full": 1, "clock −42 s": 1, "offload": 1}
    assert after.sites[0][1][0].on_logger == (NOW_MS - HOUR_MS, NOW_MS + 8 * DAY_MS)
    [visit] = after.visits
    assert visit.due_ms == NOW_MS + 20 * DAY_MS
    assert visit.needs == ("Creek: full in 12 d, clock −42 s off, 8 d to offload",)
    full = seen(NOW_MS + 21 * DAY_MS)
    assert needs(full)["memory full"] == 2
    assert full.sites[0][1][0].on_logger == (NOW_MS - HOUR_MS, NOW_MS + 20 * DAY_MS)  # no further
    [visit] = full.visits
    assert visit.due_ms == NOW_MS + 21 * DAY_MS
    assert visit.needs[0].startswith("Creek: memory is full, ")


def test_a_visit_that_is_near_makes_what_waits_for_it_urgent() -> None:
    far, near = (replace(SITE, next_visit_ms=NOW_MS + days * DAY_MS) for days in (9, 1))
    assert needs(seen(NOW_MS, GAP, site=far))["gap"] == 1
    soon = seen(NOW_MS, GAP, site=near)
    assert needs(soon)["gap"] == 2
    assert soon.visits[0].is_urgent
    assert "gap of 1 d" in soon.visits[0].needs[0]


def test_what_does_not_record_is_named_now_and_a_text_never() -> None:
    ended = seen(NOW_MS, is_recording=False, clock_off_ms=None)
    assert needs(ended) == {"not recording": 2}
    assert ended.visits[0].due_ms == NOW_MS
    text = seen(NOW_MS, is_recording=False, clock_off_ms=None, is_logger=False)
    assert needs(text) == {}
    assert text.visits == ()


def test_a_point_that_cannot_be_read_says_why_and_keeps_nothing_else() -> None:
    known = KnownOfPoint(POINT, LOGGER, (), (), (), (GAP,), (), (), "a block is damaged")
    shown = board_of(BoardFacts(((SITE, (known,)),)), NOW_MS)
    assert needs(shown) == {"cannot be read": 2}
    assert shown.visits[0].needs == ("Creek cannot be read: a block is damaged",)
