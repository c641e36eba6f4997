"""What points need as time goes by, and when to go: worked by hand."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.domain.board.board import Board, Visit, board_of
from gezeiten.domain.board.facts import (
    BoardExcursion,
    BoardFacts,
    BoardGap,
    BoardPoint,
    BoardSite,
    LoggerSnapshot,
    PointSnapshot,
)
from gezeiten.domain.board.rows import BoardRow, VisitNeed
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS

NOW_MS = 1_795_392_000_000
SITE = BoardSite(1, "Shore", "marsh", "Europe/Berlin", None)
POINT = BoardPoint(1, 1, "Shore", "Creek", "Europe/Berlin")
HELD = ((NOW_MS - 20 * DAY_MS, NOW_MS - HOUR_MS),)
LOGGER = LoggerSnapshot(
    "P-0330",
    True,
    NOW_MS - 20 * DAY_MS,
    600_000,
    True,
    NOW_MS + 20 * DAY_MS,
    "memory full",
    HELD,
    -42_000.0,
    NOW_MS + 70 * DAY_MS,
)
CALM = replace(LOGGER, ends_ms=None, clock_off_ms=None, calibration_due_ms=None)
"""It asks for nothing."""
GAP = BoardGap((1, NOW_MS - 9 * DAY_MS, NOW_MS - 8 * DAY_MS, "water_level"), "open")
EVENT = BoardExcursion(7, "above", NOW_MS - 3 * DAY_MS, False)


def point_with(logger: LoggerSnapshot | None, *gaps: BoardGap, **more: object) -> PointSnapshot:
    point = PointSnapshot(POINT, logger, (), logger.held if logger else (), (), gaps, (), ())
    return replace(point, **more)


def board(
    *point: PointSnapshot, at_ms: int = NOW_MS, visit_ms: int | None = None, site: BoardSite = SITE
) -> Board:
    return board_of(BoardFacts(((replace(site, next_visit_ms=visit_ms), point),)), at_ms)


def row(point: PointSnapshot, at_ms: int = NOW_MS, visit_ms: int | None = None) -> BoardRow:
    [(_, [found])] = board(point, at_ms=at_ms, visit_ms=visit_ms).sites
    return found


def needs(found: BoardRow) -> dict[str, int]:
    return {need.words: need.weight for need in found.needs}


# -- rows ------------------------------------------------------------------------------------------
def test_a_row_holds_what_is_known_and_what_follows_from_it() -> None:
    point = PointSnapshot(POINT, LOGGER, (), HELD, ((1, 2),), (GAP,), (EVENT,), (NOW_MS - HOUR_MS,))
    clock = VisitNeed("clock", "clock −42 s", NOW_MS, 1)
    gap, full = (
        VisitNeed("gap", "gap", NOW_MS, 1),
        VisitNeed("end", "memory full", NOW_MS + 20 * DAY_MS, 0),
    )
    assert row(point) == BoardRow(
        POINT,
        "P-0330",
        HELD,
        ((1, 2),),
        (GAP,),
        (EVENT,),
        (NOW_MS - HOUR_MS,),
        (NOW_MS - HOUR_MS, NOW_MS),
        NOW_MS + 20 * DAY_MS,
        "memory full",
        True,
        (clock, gap, full),
    )


def test_a_point_without_a_mission_waits_for_one() -> None:
    assert row(point_with(None)) == BoardRow(
        POINT,
        "",
        (),
        (),
        (),
        (),
        (),
        None,
        None,
        "memory full",
        False,
        (VisitNeed("not recording", "not recording", NOW_MS, 2),),
    )


def test_a_point_that_cannot_be_read_says_why_and_shows_nothing_else() -> None:
    known = point_with(LOGGER, GAP, excursions=(EVENT,), fault="a block is damaged")
    need = VisitNeed("fault", "cannot be read", NOW_MS, 2)
    wanted = BoardRow(
        POINT,
        "P-0330",
        (),
        (),
        (),
        (EVENT,),
        (),
        None,
        None,
        "memory full",
        False,
        (need,),
        "a block is damaged",
    )
    assert row(known) == wanted
    assert row(replace(known, logger=None)) == replace(wanted, serial="")
    [visit] = board(known).visits
    assert visit.needs == ("Creek cannot be read: a block is damaged",)


@pytest.mark.parametrize(
    ("left_ms", "weight"),
    [
        (-1, 2),
        (4 * DAY_MS - 1, 2),
        (4 * DAY_MS, 1),
        (14 * DAY_MS - 1, 1),
        (14 * DAY_MS, 0),
        (60 * DAY_MS - 1, 0),
        (60 * DAY_MS, None),
    ],
)
def test_the_end_of_memory_or_battery_presses_more_as_it_comes(
    left_ms: int, weight: int | None
) -> None:
    full = replace(CALM, ends_ms=NOW_MS + left_ms)
    assert needs(row(point_with(full))) == ({} if weight is None else {"memory full": weight})
    empty = replace(full, end_reason="battery empty")
    assert needs(row(point_with(empty))) == ({} if weight is None else {"battery": weight})


@pytest.mark.parametrize(
    ("left_ms", "weight"),
    [(14 * DAY_MS - 1, 1), (14 * DAY_MS, 0), (60 * DAY_MS - 1, 0), (60 * DAY_MS, None)],
)
def test_a_calibration_is_named_two_months_before_it_is_due(
    left_ms: int, weight: int | None
) -> None:
    due = replace(CALM, calibration_due_ms=NOW_MS + left_ms)
    wanted = (
        ()
        if weight is None
        else (VisitNeed("calibration", "calibration", NOW_MS + left_ms, weight),)
    )
    assert row(point_with(due)).needs == wanted


@pytest.mark.parametrize(("off_ms", "words"), [(29_999, None), (-30_000, "−30 s"), (95e3, "1 min")])
def test_a_clock_is_off_from_half_a_minute_on(off_ms: float, words: str | None) -> None:
    off = row(point_with(replace(CALM, clock_off_ms=off_ms)))
    assert [need.words.startswith(f"clock {words}") for need in off.needs] == [True] * bool(words)


@pytest.mark.parametrize(
    ("since_ms", "weight", "near"),
    [(DAY_MS, None, None), (DAY_MS + 1, 0, 2), (7 * DAY_MS, 0, 2), (7 * DAY_MS + 1, 1, 2)],
)
def test_what_lies_on_the_logger_for_long_is_to_be_offloaded(
    since_ms: int, weight: int | None, near: int | None
) -> None:
    held = ((NOW_MS - 20 * DAY_MS, NOW_MS - since_ms),)
    known = point_with(replace(CALM, held=held))
    assert needs(row(known)).get("offload") == weight
    tomorrow, later = NOW_MS + 2 * DAY_MS - 1, NOW_MS + 2 * DAY_MS
    assert needs(row(known, visit_ms=tomorrow)).get("offload") == near
    assert needs(row(known, visit_ms=later)).get("offload") == weight
    assert all(need.due_ms == later for need in row(known, visit_ms=later).needs)
    [visit] = board(known, visit_ms=later).visits
    assert visit.needs == (("Creek: 7 d to offload",) if weight else ())


def test_what_waits_for_a_visit_that_is_past_is_due_now() -> None:
    [gap] = row(point_with(CALM, GAP, GAP), visit_ms=NOW_MS - DAY_MS).needs
    assert gap == VisitNeed("gap", "2 gaps", NOW_MS, 2)
    settled = replace(GAP, state="left open")
    assert row(point_with(CALM, settled)).needs == ()


STEP_MS = LOGGER.interval_ms


@pytest.mark.parametrize(
    ("logger", "on_logger"),
    [
        (replace(CALM, first_ms=0), None),  # it waits for its button
        (replace(CALM, held=()), (CALM.first_ms, NOW_MS)),
        (replace(CALM, held=((0, NOW_MS - 2 * STEP_MS + 1),)), None),
        (replace(CALM, held=((0, NOW_MS - 2 * STEP_MS),)), (NOW_MS - 2 * STEP_MS, NOW_MS)),
        (replace(CALM, held=((0, NOW_MS - 9),), ends_ms=NOW_MS + 5), None),
        (replace(CALM, held=(), ends_ms=NOW_MS - DAY_MS), (CALM.first_ms, NOW_MS - DAY_MS)),
        # of the mission before there is something: this one begins where it begins
        (replace(CALM, held=((0, CALM.first_ms - 2 * STEP_MS),)), (CALM.first_ms, NOW_MS)),
        (replace(CALM, held=((0, 9), (10, CALM.first_ms + 7))), (CALM.first_ms + 7, NOW_MS)),
    ],
)
def test_what_is_on_the_logger_reaches_from_the_last_offload_to_now_or_its_end(
    logger: LoggerSnapshot, on_logger: tuple[int, int] | None
) -> None:
    assert row(point_with(logger)).on_logger == on_logger
    assert row(point_with(replace(logger, is_recording=False))).on_logger is None


def test_a_text_that_no_longer_comes_is_nothing_to_go_to() -> None:
    ended = row(point_with(replace(LOGGER, is_recording=False, clock_off_ms=None)))
    assert (needs(ended), ended.ends_ms) == ({"not recording": 2}, None)
    assert row(point_with(replace(CALM, is_recording=False, is_logger=False))).needs == ()


def test_a_second_logger_asks_by_its_own_name_and_gaps_count_once() -> None:
    beside = replace(LOGGER, serial="P-0444", ends_ms=NOW_MS + DAY_MS, held=())
    found = row(point_with(CALM, GAP, beside=(beside,)), visit_ms=NOW_MS + 9 * DAY_MS)
    due = NOW_MS + 9 * DAY_MS
    assert found.serial == "P-0330"
    assert found.needs == (
        VisitNeed("end", "P-0444: memory full", NOW_MS + DAY_MS, 2, "P-0444"),
        VisitNeed("clock", "P-0444: clock −42 s", due, 1, "P-0444"),
        VisitNeed("gap", "gap", due, 1),
        VisitNeed("offload", "P-0444: offload", due, 1, "P-0444"),
    )
    stopped = replace(CALM, serial="P-0444", is_recording=False)
    [visit] = board(point_with(CALM, beside=(stopped,))).visits
    assert visit.needs == ("Creek: P-0444: not recording",)
    full = replace(CALM, ends_ms=NOW_MS)
    [visit] = board(point_with(full, beside=(stopped,))).visits
    assert visit.needs == ("Creek: memory is full, P-0444: not recording",)
    checked = replace(CALM, serial="P-0444", calibration_due_ms=NOW_MS + 40 * DAY_MS)
    [visit] = board(point_with(CALM, beside=(checked,)), visit_ms=due).visits
    assert visit.needs == ()  # for knowing alone


# -- visits ----------------------------------------------------------------------------------------
def test_what_is_known_asks_for_more_as_time_goes_by() -> None:
    assert needs(row(point_with(LOGGER))) == {"clock −42 s": 1, "memory full": 0}
    then = NOW_MS + 8 * DAY_MS  # full in 12 d, 8 d and an hour to offload
    assert needs(row(point_with(LOGGER), then)) == {
        "memory full": 1,
        "clock −42 s": 1,
        "offload": 1,
    }
    assert board(point_with(LOGGER), at_ms=then).visits == (
        Visit(
            SITE,
            NOW_MS + 20 * DAY_MS,
            1,
            ("Creek: full in 12 d, clock −42 s off, 8 d to offload",),
            False,
        ),
    )
    full = board(point_with(LOGGER), at_ms=NOW_MS + 21 * DAY_MS)
    assert full.now_ms == NOW_MS + 21 * DAY_MS
    [visit] = full.visits
    assert (visit.due_ms, visit.is_urgent) == (NOW_MS + 21 * DAY_MS, True)
    assert visit.needs[0].startswith("Creek: memory is full, ")


@pytest.mark.parametrize(
    ("reason", "left_ms", "words"),
    [
        ("memory full", 0, "memory is full"),
        ("battery empty", 0, "battery must be empty"),
        ("memory full", 3 * DAY_MS, "full in 3 d"),
        ("battery empty", 3 * DAY_MS, "battery lasts 3 d"),
        ("memory full", 14 * DAY_MS, None),
        ("memory full", 1, "full in "),
    ],
)
def test_an_end_in_words(reason: str, left_ms: int, words: str | None) -> None:
    ends = replace(CALM, ends_ms=NOW_MS + left_ms, end_reason=reason)
    [visit] = board(point_with(ends), visit_ms=NOW_MS + 30 * DAY_MS).visits
    said = [one.removeprefix("Creek: ").startswith(words or "-") for one in visit.needs]
    assert said == ([] if words is None else [True])


@pytest.mark.parametrize(("days", "urgent"), [(2 - 1 / DAY_MS, True), (2, False)])
def test_a_planned_visit_is_due_on_its_day_or_before_something_ends(
    days: float, urgent: bool
) -> None:
    day = round(NOW_MS + days * DAY_MS)
    two = (point_with(CALM), point_with(None))
    [visit] = board(*two, visit_ms=day).visits
    assert (visit.due_ms, visit.loggers, visit.is_urgent) == (day, 1, urgent)
    full = point_with(replace(CALM, ends_ms=NOW_MS + DAY_MS))
    [visit] = board(*two, full, visit_ms=day).visits
    assert (visit.due_ms, visit.loggers, visit.is_urgent) == (NOW_MS + DAY_MS, 2, True)


def test_without_a_planned_visit_only_what_cannot_wait_asks_for_one() -> None:
    waiting = replace(CALM, clock_off_ms=90_000.0, calibration_due_ms=NOW_MS + DAY_MS)
    assert board(point_with(waiting, GAP)).visits == ()
    assert board(point_with(replace(CALM, ends_ms=NOW_MS + 14 * DAY_MS))).visits == ()
    assert board(point_with(None)).visits == ()  # nobody has begun there
    [visit] = board(point_with(replace(waiting, ends_ms=NOW_MS + 13 * DAY_MS))).visits
    assert (visit.due_ms, visit.is_urgent) == (NOW_MS + 13 * DAY_MS, False)
    assert visit.needs == ("Creek: full in 13 d, clock 1 min 30 s off, calibration due",)


def test_visits_stand_in_the_order_in_which_they_are_due() -> None:
    def site(number: int, days: int) -> tuple[BoardSite, tuple[PointSnapshot, ...]]:
        return (replace(SITE, id=number, next_visit_ms=NOW_MS + days * DAY_MS), (point_with(CALM),))

    shown = board_of(BoardFacts((site(1, 9), site(2, 3), site(3, 5))), NOW_MS)
    assert [visit.site.id for visit in shown.visits] == [2, 3, 1]
    assert [one.id for one, _ in shown.sites] == [1, 2, 3]
    other = BoardGap((1, NOW_MS - 99 * DAY_MS, NOW_MS - 90 * DAY_MS, "water_level"), "estimated")
    gap = point_with(CALM, other, GAP)
    [visit] = board(gap, visit_ms=NOW_MS + DAY_MS).visits
    assert visit.needs == ("Creek: gap of 1 d",)
