"""What Mend, Trends, Excursions and Handover know and what follows from that; no window, no Qt."""

from __future__ import annotations

import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

import gezeiten.ui
from gezeiten.desk.field.alternative_sources import AlternativeReadings
from gezeiten.desk.field.estimates import FillMethod
from gezeiten.desk.field.gap_filling import LineOffer, LoggerOffer
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, MINUTE_MS
from gezeiten.domain.steps.steps import GapState
from gezeiten.ui.excursions.model import Draft, arranged, assessment_of, next_open
from gezeiten.ui.handover.model import (
    Contents,
    HandoverModel,
    Target,
    in_minutes,
    usual_span,
)
from gezeiten.ui.mend import model as mend
from gezeiten.ui.trends.model import TrendsView, first_view, surroundings_of, title

MODELS = sorted(Path(gezeiten.ui.__file__).parent.glob("*/model.py"))


def test_models_need_no_qt() -> None:
    names = [f"gezeiten.ui.{path.parent.name}.model" for path in MODELS]
    asked = f"import sys, {', '.join(names)}; print('PySide6' in sys.modules)"
    told = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert told.stdout.strip() == "False"


def test_every_place_that_has_much_to_know_has_a_model() -> None:
    rooms = {path.parent.name for path in MODELS}
    assert rooms >= {"tideboard", "field", "mend", "trends", "excursions", "handover"}


# -- Mend --------------------------------------------------------------------------------------
def booked(
    state: GapState = "open", site: str = "A", begin: int = 0, *, missing: int = 10
) -> BookedGap:
    point: Any = SimpleNamespace(id=1, site=site)
    gap = Gap(begin, begin + missing * MINUTE_MS, MINUTE_MS)
    return BookedGap(point, ("t",), gap, state, () if state == "open" else ("step",))


def logger(readings: int = 0, kept: int | None = None) -> LoggerOffer:
    ranges = ((0, readings),) if readings else ()
    return LoggerOffer("D-1", 3, ranges, kept, "what it says")


LINE, REFUSED = LineOffer(10, {}, ""), LineOffer(10, {}, "too long")


def test_gaps_stand_by_site_the_one_with_an_open_one_first() -> None:
    gaps = [booked("estimated", "A"), booked("open", "B"), booked("left open", "B", 5)]
    assert [(one.point.site, one.state) for one in mend.arranged(gaps)] == [
        ("B", "open"),
        ("B", "left open"),
        ("A", "estimated"),
    ]


@pytest.mark.parametrize(
    ("state", "from_logger", "line", "usual", "says"),
    [
        ("open", logger(7), LINE, "logger", ("what it holds", "between the ends", 7, 10)),
        ("open", logger(), LINE, "line", ("what it holds", "between the ends", None, 10)),
        ("open", logger(), REFUSED, None, ("what it holds", "refusal", None, None)),
        ("open", logger(kept=4), REFUSED, "logger", ("what it holds", "refusal", 0, None)),
        ("left open", logger(7), LINE, "logger", ("what it holds", "between the ends", 7, 10)),
        ("estimated", logger(7), LINE, None, ("undo first", "otherwise", 7, None)),
        ("from the logger", logger(), LINE, None, ("fetched", "not needed", 10, None)),
        ("from another source", logger(7), LINE, None, ("not needed", "not needed", None, None)),
    ],
)
def test_what_the_sources_say_of_a_gap(
    state: GapState,
    from_logger: LoggerOffer,
    line: LineOffer,
    usual: str | None,
    says: tuple[str, str, int | None, int | None],
) -> None:
    source_offers = mend.offers(booked(state), from_logger, line)
    assert source_offers.usual == usual
    assert (
        source_offers.logger_offer,
        source_offers.line_offer,
        source_offers.logger_covers,
        source_offers.line_covers,
    ) == says


def test_a_line_says_that_it_fills_a_gap_only_where_it_does() -> None:
    source_offers = mend.offers(booked("estimated"), logger(7), LINE, by_line=True)
    assert (source_offers.line_offer, source_offers.line_covers) == ("filled", 10)


def test_a_gap_is_filled_by_what_can_fill_it_and_one_act_at_a_time() -> None:
    model = mend.SelectedGap()
    assert (model.can_fill, model.can_leave, model.can_undo) == (False, False, False)
    model.set_gap(booked(), mend.offers(booked(), logger(7), LINE), [])
    assert (model.source, model.shows_line, model.can_fill, model.can_leave) == (
        "logger",
        False,
        True,
        True,
    )
    model.select("line")
    assert model.shows_line
    model.is_busy = True
    assert (model.can_fill, model.can_leave) == (False, False)
    model.is_busy = False
    model.set_gap(booked("estimated"), mend.offers(booked("estimated"), logger(7), LINE), [])
    model.select("line")
    assert (model.can_fill, model.can_leave, model.can_undo) == (False, False, True)
    model.leave()
    assert not model.can_undo


def test_what_was_measured_beside_it_comes_after_its_logger_and_before_estimates() -> None:
    model, spare = mend.SelectedGap(), AlternativeReadings("Thermometer", 9)
    model.set_gap(booked(), mend.offers(booked(), logger(7), LINE), [spare])
    assert (model.source, model.other) == ("logger", None)
    refused = AlternativeReadings("Door logger", 9, "corrected there")
    model.set_gap(booked(), mend.offers(booked(), logger(), LINE), [refused, spare])
    assert (model.source, model.other) == ("other", spare)
    model.set_methods([FillMethod("by its own cycles", {}, beats_line=True)])
    assert (model.source, model.other, model.method) == ("other", spare, None)
    model.select_alternative(refused)
    assert model.other is spare
    model.select_method(model.methods[0])
    assert (model.source, model.other) == ("way", None)
    model.select_alternative(spare)
    assert (model.source, model.method) == ("other", None)
    model.leave()
    assert (model.other, model.others) == (None, [])


def test_the_best_of_all_ways_is_chosen_not_the_best_of_those_known_first() -> None:
    model = mend.SelectedGap()
    model.set_gap(booked(), mend.offers(booked(), logger(), LINE), [])
    first = FillMethod("by its own cycles", {}, beats_line=True)
    model.set_methods([first])
    assert (model.source, model.method) == ("way", first)
    model.set_methods([FillMethod("by a companion", {}), FillMethod("by its own cycles", {})])
    assert (model.source, model.method) == ("line", None)
    model.set_gap(booked(), mend.offers(booked(), logger(), REFUSED), [])
    model.set_methods([first])
    model.set_methods([])
    assert (model.source, model.method) == (None, None)


def test_a_gap_is_seen_in_its_surroundings() -> None:
    short = Gap(0, MINUTE_MS, MINUTE_MS)
    assert mend.surroundings(short) == (-DAY_MS // 8, MINUTE_MS + DAY_MS // 8)
    assert mend.surroundings(Gap(0, DAY_MS, 1)) == (-round(0.6 * DAY_MS), round(1.6 * DAY_MS))
    assert mend.table_span(short) == (-12 * HOUR_MS, MINUTE_MS + 12 * HOUR_MS)


# -- Trends ------------------------------------------------------------------------------------
WHOLE = (0, 100 * DAY_MS)


def test_first_the_last_fortnight_then_what_was_shown() -> None:
    model = TrendsView()
    model.set_loading(None)
    assert model.loaded(WHOLE) == (86 * DAY_MS, 100 * DAY_MS)
    seen = (10 * DAY_MS, 20 * DAY_MS)
    model.set_loading(seen)
    assert model.is_loading
    assert model.loaded(WHOLE) == seen
    model.set_loading(seen)
    assert model.loaded((200 * DAY_MS, 201 * DAY_MS)) == (200 * DAY_MS, 201 * DAY_MS)
    assert model.loaded(None) is None


def test_what_is_looked_at_wins_over_what_was_shown() -> None:
    model = TrendsView(WHOLE)
    model.set_target((50 * DAY_MS, 51 * DAY_MS))
    model.set_loading((0, DAY_MS))
    assert model.loaded(WHOLE) == surroundings_of((50 * DAY_MS, 51 * DAY_MS))
    assert surroundings_of((0, HOUR_MS)) == (-3 * HOUR_MS, 4 * HOUR_MS)
    assert first_view((200 * DAY_MS, 300 * DAY_MS), WHOLE) == (86 * DAY_MS, 100 * DAY_MS)


def test_a_length_asked_for_while_it_loads_is_shown_once_it_has() -> None:
    model = TrendsView(WHOLE)
    assert model.last_days(7) == (93 * DAY_MS, 100 * DAY_MS)
    assert model.last_days(0) == WHOLE
    assert model.last_days(300) == WHOLE
    model.set_loading(None)
    assert model.last_days(1) is None
    model.loaded(WHOLE)
    assert (model.waiting_days(), model.waiting_days()) == (1, None)
    model.set_loading(None)
    model.failed()
    assert not model.is_loading


def test_lengths_are_known_again_and_marks_beyond_the_record_are_not_held() -> None:
    model = TrendsView(WHOLE)
    assert model.lengths_of((0, 7 * DAY_MS + HOUR_MS)) == [7]
    assert model.lengths_of(WHOLE) == [0]
    assert model.lengths_of((0, 5 * DAY_MS)) == []
    assert TrendsView((0, 14 * DAY_MS)).lengths_of((0, 14 * DAY_MS)) == [14, 0]
    assert model.contains(None)
    assert model.contains((99 * DAY_MS, 101 * DAY_MS))
    assert not model.contains((100 * DAY_MS, 101 * DAY_MS))
    assert title([("A · one", "one")]) == "A · one"
    assert title([("A · one", "one"), ("B · two", "two")]) == "one, two"


# -- Excursions --------------------------------------------------------------------------------
def event(number: int, site: str, *, settled: bool = False, start_ms: int = 0) -> Any:
    return SimpleNamespace(
        id=number,
        point=SimpleNamespace(site=site),
        is_settled=settled,
        start_ms=start_ms,
        once=None,
        cause="Door",
        comment="open",
    )


def test_next_goes_on_at_the_site_then_down_the_list() -> None:
    listed = [
        event(1, "A"),
        event(2, "A", settled=True),
        event(3, "A"),
        event(4, "B"),
        event(5, "C", settled=True),
    ]
    assert next_open(listed, [listed[0]]) == 3
    assert next_open(listed, [listed[2]]) == 1  # back up before leaving the site
    assert next_open(listed, [listed[0], listed[2]]) == 4
    assert next_open(listed, [listed[0], listed[2], listed[3]]) is None


def test_sites_with_something_to_assess_come_first_latest_first() -> None:
    events = [
        event(1, "A", settled=True),
        event(2, "B", start_ms=5),
        event(3, "B", settled=True),
        event(4, "B", start_ms=9),
    ]
    assert [one.id for one in arranged(events, open_only=False)] == [4, 2, 3, 1]
    assert [one.id for one in arranged(events, open_only=True)] == [4, 2]


def test_a_draft_comes_back_as_it_was_and_what_was_said_once_is_offered() -> None:
    draft = Draft("Weather", "two\nlines")
    assert Draft.of(draft.text()) == draft
    assert Draft.of("") is None
    one = event(1, "A")
    assert assessment_of(one) == ("Door", "open")
    one.once = SimpleNamespace(cause="Power", words="fuse")
    assert assessment_of(one) == ("Power", "fuse")


# -- Handover ----------------------------------------------------------------------------------
@dataclass(frozen=True)
class Paper:
    point_id: int
    sha256: str


def point(number: int) -> Any:
    return SimpleNamespace(id=number)


def test_the_chosen_point_stays_where_it_is_there_still() -> None:
    model = HandoverModel()
    assert not model.set_data([], [])
    assert (model.point, model.can_write) == (None, False)
    one, two = point(1), point(2)
    assert not model.set_data([one, two], [])
    assert model.point is one
    model.select(2)
    assert model.set_data([point(2), point(3)], [])
    assert model.point is not None
    assert model.point.id == 2
    assert not model.set_data([point(3)], [])


def test_what_somebody_came_with_waits_until_its_point_is_known() -> None:
    model, target = HandoverModel(), Target(2, (0, 5), "ab")
    assert not model.select_target(target)
    papers: Any = [Paper(1, "cd"), Paper(2, "ab")]
    model.set_data([point(1), point(2)], papers)
    assert model.target is target
    assert model.select_target(target)
    assert (model.point and model.point.id, model.target) == (2, None)
    assert (model.line_of("ab"), model.line_of("")) == (1, None)
    assert model.point_of(papers[1]) is model.point
    assert HandoverModel().point_of(papers[0]) is None


def test_what_was_counted_of_another_stretch_is_not_shown() -> None:
    model = HandoverModel()
    model.set_data([point(1)], [])
    model.span = (0, 10)
    assert model.can_write  # nothing is known against it
    assert not model.set_contents(Contents(1, (0, 9), 5, 0))
    assert model.set_contents(Contents(1, (0, 10), 5, 1))
    assert model.can_write
    model.is_busy = True
    assert not model.can_write
    model.is_busy = False
    assert model.set_contents(Contents(1, (0, 10), 0, 0))
    assert not model.can_write
    model.span = (10, 10)
    assert model.asks is None


def test_fields_of_minutes_leave_nothing_out() -> None:
    assert in_minutes((59_999, 60_001)) == (0, 120_000)
    assert in_minutes((60_000, 120_000)) == (60_000, 120_000)
    assert usual_span((0, 100 * DAY_MS - 1)) == (86 * DAY_MS, 100 * DAY_MS)
    assert usual_span((0, DAY_MS - 1)) == (0, DAY_MS)
