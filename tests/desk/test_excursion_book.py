"""Excursions in the archive: found on offload, settled once, kept when found again."""

from __future__ import annotations

import pytest
from sqlalchemy import update

from gezeiten.archive.excursions import book_found
from gezeiten.archive.tables import ExcursionRow
from gezeiten.desk.excursion_book import (
    excursions,
    find_all_anew,
    refresh_excursions,
    reopen,
    settle,
    to_assess,
)
from gezeiten.desk.launching import launch
from gezeiten.desk.logbook import logbook_entries
from gezeiten.desk.offloading import offload_logger
from gezeiten.desk.verifying import verify
from gezeiten.domain.timeline import DAY_MS
from gezeiten.errors import InputError
from tests.conftest import ANCHOR_MS, COLD_PLAN, Lab


@pytest.fixture
def fuse(cold_lab: Lab) -> Lab:
    """Cold room A two days before the anchor: its fuse has tripped and been reset."""
    launch(cold_lab.desk, cold_lab.standin.address, cold_lab.serial, COLD_PLAN)
    cold_lab.go_to(ANCHOR_MS - 2 * DAY_MS)
    offload_logger(cold_lab.desk, cold_lab.standin.address, cold_lab.serial)
    return cold_lab


def test_the_tripped_fuse_is_found(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    assert event.rule.value == 7.0
    assert event.alarm_ms == event.start_ms + 1_800_000
    assert event.start_ms == pytest.approx(ANCHOR_MS - 3.28 * DAY_MS, abs=2 * 3_600_000)
    assert 11 < event.extreme < 14
    assert event.estimated == 0
    assert event.measured == (event.end_ms - event.start_ms) // 300_000
    assert not event.is_settled
    assert to_assess(fuse.desk) == 1


def test_settling_needs_a_cause_and_words(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    with pytest.raises(InputError, match="Choose a cause first"):
        settle(fuse.desk, event.id, "", "x")
    with pytest.raises(InputError, match="Write in a few words"):
        settle(fuse.desk, event.id, "Power", "   ")
    settle(fuse.desk, event.id, "Power", "Fuse tripped at 03:10.")
    [settled] = excursions(fuse.desk)
    assert (settled.cause, settled.words, settled.settled_by) == (
        "Power", "Fuse tripped at 03:10.", "JA",
    )  # fmt: skip
    assert to_assess(fuse.desk) == 0
    entry = logbook_entries(fuse.desk)[0]
    assert entry.sentence == "Store temperature: alarm above 7 °C for 30 min settled: Power."


def test_an_assessment_survives_being_found_again(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    settle(fuse.desk, event.id, "Power", "Fuse.")
    fuse.later(600)
    offload_logger(fuse.desk, fuse.standin.address, fuse.serial)
    refresh_excursions(fuse.desk, event.point.id)
    [same] = excursions(fuse.desk)
    assert (same.id, same.cause, same.found_ms) == (event.id, "Power", event.found_ms)


def test_an_assessment_can_be_taken_back_and_the_logbook_keeps_it(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    settle(fuse.desk, event.id, "Power", "Fuse.")
    reopen(fuse.desk, event.id)
    assert to_assess(fuse.desk) == 1
    entry = logbook_entries(fuse.desk)[0]
    assert entry.act == "reopen"
    assert entry.details["act"]["said"] == {"cause": "Power", "words": "Fuse."}


def test_half_of_it_offloaded_grows_when_the_rest_comes(cold_lab: Lab) -> None:
    launch(cold_lab.desk, cold_lab.standin.address, cold_lab.serial, COLD_PLAN)
    cold_lab.go_to(ANCHOR_MS - 3.28 * DAY_MS + 2.5 * 3_600_000)
    offload_logger(cold_lab.desk, cold_lab.standin.address, cold_lab.serial)
    [half] = excursions(cold_lab.desk)
    settle(cold_lab.desk, half.id, "Power", "Seen while it happened.")
    cold_lab.go_to(ANCHOR_MS - 2 * DAY_MS)
    offload_logger(cold_lab.desk, cold_lab.standin.address, cold_lab.serial)
    [whole] = excursions(cold_lab.desk)
    assert whole.id == half.id
    assert whole.end_ms > half.end_ms
    assert whole.words == "Seen while it happened."
    assert (half.changed, whole.changed) == (False, True)  # it is longer than what was assessed
    settle(cold_lab.desk, whole.id, "Power", "Seen to its end.")
    [settled] = excursions(cold_lab.desk)
    assert not settled.changed
    assert logbook_entries(cold_lab.desk)[0].sentence.endswith(
        "settled: Power anew, before: Power."
    )


def test_an_assessment_stays_when_its_excursion_is_no_longer_in_the_record(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    settle(fuse.desk, event.id, "Power", "Fuse.")
    with fuse.desk.archive.writing() as session:  # as if its readings had been taken out
        book_found(session, event.point.id, {}, fuse.desk.now_ms())
    [gone] = excursions(fuse.desk)
    assert (gone.gone, gone.words, gone.extreme) == (True, "Fuse.", event.extreme)
    assert to_assess(fuse.desk) == 0
    refresh_excursions(fuse.desk, event.point.id)
    [again] = excursions(fuse.desk)
    assert (again.gone, again.words, again.changed) == (False, "Fuse.", False)
    reopen(fuse.desk, again.id)
    assert to_assess(fuse.desk) == 1
    with pytest.raises(InputError, match="Nobody has assessed this yet"):
        reopen(fuse.desk, again.id)


def test_excursions_that_somebody_changed_in_the_database_are_found_anew(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    settle(fuse.desk, event.id, "Power", "Fuse.")
    settled = excursions(fuse.desk)
    assert verify(fuse.desk).is_whole
    with fuse.desk.archive.writing() as session:
        session.execute(update(ExcursionRow).values(extreme=6.5))
    [fault] = verify(fuse.desk).faults
    assert "The excursions kept of Saatgutspeicher · Cold room A are not those" in fault
    find_all_anew(fuse.desk)
    assert verify(fuse.desk).is_whole
    assert excursions(fuse.desk) == settled
