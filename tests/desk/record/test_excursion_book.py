"""Excursions in the archive: found on offload, settled once, kept when found again."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import update

from gezeiten.archive.local_cache.excursion_store import detection_states, store_excursions
from gezeiten.archive.local_cache.tables import ExcursionRow
from gezeiten.desk.field.gap_filling import fill_by_line, undo
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import (
    detect_all_excursions,
    excursions,
    refresh_excursions,
    refresh_stale,
    reopen,
    settle,
    to_assess,
)
from gezeiten.domain.actions.assessments import AssessmentWords
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.timeline import DAY_MS, iso_local
from gezeiten.errors import InputError
from tests.conftest import ANCHOR_MS, COLD_PLAN, Lab
from tests.golden import opened
from tests.small_blocks import KEY, PLAN, kept_in


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
    with pytest.raises(InputError, match="Enter a comment"):
        settle(fuse.desk, event.id, "Power", "   ")
    settle(fuse.desk, event.id, "Power", "Fuse tripped at 03:10.")
    [settled] = excursions(fuse.desk)
    assert (settled.cause, settled.comment, settled.settled_by) == (
        "Power",
        "Fuse tripped at 03:10.",
        "JA",
    )
    assert to_assess(fuse.desk) == 0
    entry = logbook_entries(fuse.desk)[0]
    assert entry.sentence == "Store temperature: alarm above 7 °C for 30 min assessed: Power."


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
    assert whole.comment == "Seen while it happened."
    assert (half.changed, whole.changed) == (False, True)  # it is longer than what was assessed
    with pytest.raises(InputError, match="One of these excursions is already assessed"):
        settle(cold_lab.desk, whole.id, "Power", "Seen to its end.")
    settle(cold_lab.desk, whole.id, "Power", "Seen to its end.", replacing=[whole.id])
    [settled] = excursions(cold_lab.desk)
    assert not settled.changed
    assert logbook_entries(cold_lab.desk)[0].sentence.endswith("Power (before: Power).")


def test_an_assessment_stays_when_its_excursion_is_no_longer_in_the_record(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    settle(fuse.desk, event.id, "Power", "Fuse.")
    with fuse.desk.archive.writing() as session:  # as if its readings had been taken out
        [point] = detection_states(session, event.point.id)
        assert store_excursions(session, point, {}, fuse.desk.now_ms(), "") == []
    [gone] = excursions(fuse.desk)
    assert (gone.is_gone, gone.comment, gone.extreme) == (True, "Fuse.", event.extreme)
    assert to_assess(fuse.desk) == 0
    refresh_excursions(fuse.desk, event.point.id)
    [again] = excursions(fuse.desk)
    assert (again.is_gone, again.comment, again.changed) == (False, "Fuse.", False)
    reopen(fuse.desk, again.id)
    assert to_assess(fuse.desk) == 1
    with pytest.raises(
        InputError, match=r"This excursion has not been assessed, so it cannot be reopened\."
    ):
        reopen(fuse.desk, again.id)


def test_excursions_that_somebody_changed_in_the_database_are_found_anew(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    settle(fuse.desk, event.id, "Power", "Fuse.")
    settled = excursions(fuse.desk)
    assert verify(fuse.desk).is_intact
    with fuse.desk.archive.writing() as session:
        session.execute(update(ExcursionRow).values(extreme=6.5))
    [fault] = verify(fuse.desk).faults
    assert (
        "The stored excursions of Saatgutspeicher · Cold room A are not those of its record"
        in fault
    )
    detect_all_excursions(fuse.desk)
    assert verify(fuse.desk).is_intact
    assert excursions(fuse.desk) == settled


def test_the_logbook_tells_once_what_was_found_and_when(fuse: Lab) -> None:
    [event] = excursions(fuse.desk)
    [told] = logbook_entries(fuse.desk, action="found")
    assert told.sentence == (
        f"1 excursion found, the first at {iso_local(event.start_ms, 'Europe/Berlin')[:16]}: "
        "Store temperature: alarm above 7 °C for 30 min."
    ).replace("T", " ")
    assert (told.person, told.at_ms) == ("", event.found_ms)
    fuse.later(60)
    offload_logger(fuse.desk, fuse.standin.address, fuse.serial)
    refresh_excursions(fuse.desk, event.point.id)
    assert len(logbook_entries(fuse.desk, action="found")) == 1


def test_when_it_was_found_outlives_this_computers_tables(fuse: Lab) -> None:
    before = excursions(fuse.desk)
    settle(fuse.desk, before[0].id, "Power", "Fuse.")
    settled, entries = excursions(fuse.desk), len(logbook_entries(fuse.desk))
    folder = fuse.desk.archive.folder
    fuse.desk.close()
    for path in folder.glob("local.db*"):
        path.unlink()
    fuse.later(24 * 60)
    fuse.desk = opened(folder, fuse.clock.now_ms)
    assert excursions(fuse.desk) == settled
    assert len(logbook_entries(fuse.desk)) == entries
    assert verify(fuse.desk).is_intact


def test_no_count_is_trusted_beside_an_older_database(fuse: Lab) -> None:
    """An older copy of archive.db alone is put back: what is found must fit it, whatever the
    counts beside the readings say."""
    desk = fuse.desk
    folder, [event] = desk.archive.folder, excursions(desk)
    desk.archive.copy_aside("fuse")
    with desk.archive.writing() as session:  # as if found by another database's rules
        session.execute(update(ExcursionRow).values(extreme=99.0))
    settle(desk, event.id, "Power", "Fuse.")
    desk.close()
    for path in folder.glob("archive.db*"):
        path.unlink()
    (folder / "archive-before-fuse.db").rename(folder / "archive.db")
    fuse.desk = opened(folder, fuse.clock.now_ms)
    [again] = excursions(fuse.desk)
    assert (again.extreme, again.comment) == (event.extreme, "Fuse.")
    assert verify(fuse.desk).is_intact


def test_of_one_that_became_two_the_other_part_asks_whether_it_is_the_same(tmp_path: Path) -> None:
    plan = replace(PLAN, limits=(LimitRule(KEY, "above", -20.0),))
    with kept_in(tmp_path, plan) as kept:
        kept.take(0, 60)  # readings 5, 16, 27, ... are missing, so runs are ten readings long
        refresh_stale(kept.desk)
        hole = gaps(kept.desk)[0]
        fill_by_line(kept.desk, hole)
        joined = next(excursion for excursion in excursions(kept.desk) if excursion.estimated)
        settle(kept.desk, joined.id, "Weather", "A storm.")
        [filled] = [gap for gap in gaps(kept.desk) if gap.steps]
        undo(kept.desk, filled)
        parts = [
            excursion
            for excursion in excursions(kept.desk)
            if joined.start_ms <= excursion.start_ms < joined.end_ms
        ]
        said = {one.is_settled: one for one in parts}
        assert len(parts) == 2
        assert (said[True].comment, said[True].changed, said[True].once) == ("A storm.", True, None)
        assert said[False].once == AssessmentWords("Weather", "A storm.")
        assert [
            excursion.once for excursion in excursions(kept.desk) if excursion not in parts
        ] == [None] * 4
        settle(kept.desk, said[False].id, "Weather", "A storm.")
        assert all(excursion.once is None for excursion in excursions(kept.desk))
