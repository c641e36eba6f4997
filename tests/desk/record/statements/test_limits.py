"""Limits set in the office: in force when they say, found like a plan's, in every paper."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.documents import csv_table, point_report
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions, reopen, settle
from gezeiten.desk.record.statements.limits import (
    end_limit,
    limits_over_time,
    set_limit,
    withdraw_limit,
)
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.limits.limits import InForce, LimitRule, in_turn
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from gezeiten.errors import InputError
from tests.conftest import AGAIN, ANCHOR_MS, COLD_PLAN, Lab
from tests.desk.intake.texts.test_text_files import POINT, station, tie_of
from tests.golden import golden, opened

ROOM = "room_temperature"
WARM = LimitRule(ROOM, "above", 20.0, 0)


@pytest.fixture
def cold(cold_lab: Lab) -> Lab:
    launch(cold_lab.desk, cold_lab.standin.address, cold_lab.serial, COLD_PLAN)
    cold_lab.go_to(ANCHOR_MS - 2 * DAY_MS)
    offload_logger(cold_lab.desk, cold_lab.standin.address, cold_lab.serial)
    return cold_lab


def room(lab: Lab) -> PointPlace:
    return next(point for point in points(lab.desk) if point.serial == lab.serial)


def outside_ms(lab: Lab, start_ms: int, end_ms: int) -> int:
    """Held time above 20 °C in a stretch, reading by reading: they lie 5 min apart, no gap."""
    series = record(lab.desk, room(lab).id, ROOM).between(start_ms, end_ms)
    return int((series.values > 20.0).sum()) * 300_000


def test_a_series_without_any_limit_gets_one_for_a_stretch(cold: Lab) -> None:
    desk, point = cold.desk, room(cold)
    series = record(desk, point.id, ROOM)
    begin = int(series.times_utc_ms[0]) + 12 * HOUR_MS
    end = begin + DAY_MS
    assert 0 < outside_ms(cold, begin, end) < outside_ms(cold, 0, 2**62)
    set_limit(desk, point.id, ROOM, WARM, begin, end, "insurance asks for it")
    found = [event for event in excursions(desk) if event.rule.channel == ROOM]
    assert sum(one.end_ms - one.start_ms for one in found) == outside_ms(cold, begin, end)
    assert all(begin <= one.start_ms and one.end_ms <= end for one in found)
    report = point_report(desk, point, (0, desk.now_ms()))
    channel = next(one for one in report.channels if one.key == ROOM)
    assert channel.statistics.above_ms == outside_ms(cold, begin, end)
    assert sum(day.numbers.above_ms for day in channel.days) == channel.statistics.above_ms
    table = csv_table(desk, point, (0, desk.now_ms()))
    [judged] = next(one.limits for one in table.channels if one.key == ROOM)
    assert (judged.start_ms, judged.end_ms) == (begin, end)
    assert verify(desk).is_intact


def test_what_was_in_force_then_judges_what_happened_then(cold: Lab) -> None:
    """In papers as well: they judged a whole stretch by the newest plan."""
    desk, point = cold.desk, room(cold)
    tame = replace(COLD_PLAN, limits=())
    launch(desk, cold.standin.address, cold.serial, tame, AGAIN)
    cold.later(600)
    offload_logger(desk, cold.standin.address, cold.serial)
    report = point_report(desk, point, (0, desk.now_ms()))
    channel = next(one for one in report.channels if one.key == "probe_temperature")
    [event] = excursions(desk)
    assert channel.statistics.above_ms == event.end_ms - event.start_ms > 0
    assert {rule.value for rule, _ in channel.rules_by_time()} == {7.0, 1.0}
    assert all(span[1] < desk.now_ms() for _, span in channel.rules_by_time())


def test_a_text_has_limits_too_and_its_excursions_are_assessed(lab: Lab, tmp_path: Path) -> None:
    path = station(tmp_path / "one.txt", 300)
    import_text(lab.desk, path, tie_of(lab, path))
    point = next(one for one in points(lab.desk) if one.full_name == POINT)
    begin = int(record(lab.desk, point.id, "air_temperature").times_utc_ms[0])
    rule = LimitRule("air_temperature", "above", 15.5)  # 50 °F + 6 x 1.8 °F = 16 °C
    set_limit(lab.desk, point.id, "air_temperature", rule, begin, None, "frames warp")
    found = excursions(lab.desk)
    assert len(found) == 300 // 7
    settle(lab.desk, found[0].id, "Weather", "Sun.")
    reopen(
        lab.desk, next(excursion.id for excursion in excursions(lab.desk) if excursion.is_settled)
    )
    [limit] = [one.stored for one in limits_over_time(lab.desk, point.id)]
    assert limit is not None
    end_limit(lab.desk, limit, begin + 5 * HOUR_MS, "frames were moved")
    assert len(excursions(lab.desk)) == 4  # of the readings 6, 13, 20, 27 of every ten minutes
    [limit] = [one.stored for one in limits_over_time(lab.desk, point.id)]
    assert limit is not None
    withdraw_limit(lab.desk, limit)
    assert excursions(lab.desk) == []


def test_limits_come_back_with_a_lost_database(cold: Lab) -> None:
    desk = cold.desk
    set_limit(desk, room(cold).id, ROOM, WARM, ANCHOR_MS - 4 * DAY_MS, None, "insurance")
    before, folder = golden(desk)["excursions"], desk.archive.folder
    assert len(before) > 1
    desk.close()
    for name in ("archive.db", "archive.db-wal", "archive.db-shm"):
        (folder / name).unlink(missing_ok=True)
    again = opened(folder)
    assert [{**one, "found_ms": 0} for one in golden(again)["excursions"]] == [
        {**one, "found_ms": 0} for one in before
    ]
    again.close()


def test_what_cannot_be_is_refused(cold: Lab) -> None:
    desk, point = cold.desk, room(cold)
    set_limit(desk, point.id, ROOM, WARM, 10, 20, "x")
    cases = [
        (
            WARM,
            15,
            None,
            "x",
            "is already valid here at that time; end it first, or choose another time.",
        ),
        (LimitRule(ROOM, "below", 25.0), 15, None, "x", "Every value would be outside"),
        (WARM, 30, 30, "x", "The end must be after the start; correct one of the two."),
        (WARM, 30, None, "", "Enter a reason"),
        (LimitRule(ROOM, "absent", 0.0), 30, None, "x", "logger itself"),
    ]
    for rule, start, end, words, said in cases:
        with pytest.raises(InputError, match=said):
            set_limit(desk, point.id, ROOM, rule, start, end, words)
    with pytest.raises(InputError, match="no such series"):
        set_limit(desk, point.id, "co2", LimitRule("co2", "above", 1.0), 0, None, "x")
    set_limit(desk, point.id, ROOM, WARM, 20, None, "the next begins where one ends")


def test_overlapping_limits_are_told_in_turn() -> None:
    low, high = LimitRule("co2", "below", 1.0), LimitRule("co2", "above", 9.0)
    limit_periods = in_turn(
        [InForce((low,), 0, 50), InForce((high,), 20, 80), InForce((low,), 60, 70)]
    )
    assert [(in_force.start_ms, in_force.end_ms, in_force.rules) for in_force in limit_periods] == [
        (0, 20, (low,)),
        (20, 50, (low, high)),
        (50, 60, (high,)),
        (60, 70, (high, low)),
        (70, 80, (high,)),
    ]
