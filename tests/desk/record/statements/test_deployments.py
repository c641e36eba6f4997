"""Where a logger was and what it feeds, put right in the office: readings stay, series follow."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from gezeiten.desk.field.board import board
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions, settle
from gezeiten.desk.record.statements.deployments import (
    assign_source,
    place_source,
    sources,
    withdraw_statement,
)
from gezeiten.desk.record.views.records import limits_at, record
from gezeiten.desk.sites.places import PointPlace, add_point, points
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError
from tests.conftest import ANCHOR_MS, COLD_PLAN, Lab
from tests.desk.intake.texts.test_text_files import station, tie_of
from tests.golden import golden, opened

STORE = "Saatgutspeicher · Cold room A"
FUSE_MS = ANCHOR_MS - round(3.28 * DAY_MS)


@pytest.fixture
def cold(cold_lab: Lab) -> Lab:
    """Cold room A two days before the anchor: its fuse has tripped, somebody has said so."""
    launch(cold_lab.desk, cold_lab.standin.address, cold_lab.serial, COLD_PLAN)
    cold_lab.go_to(ANCHOR_MS - 2 * DAY_MS)
    offload_logger(cold_lab.desk, cold_lab.standin.address, cold_lab.serial)
    [event] = excursions(cold_lab.desk)
    settle(cold_lab.desk, event.id, "Power", "Fuse.")
    return cold_lab


def at(lab: Lab, name: str = STORE) -> PointPlace:
    return next(point for point in points(lab.desk) if point.full_name == name)


def test_a_logger_moved_while_it_recorded_takes_its_excursion_and_assessment_along(
    cold: Lab,
) -> None:
    desk, before = cold.desk, golden(cold.desk)
    other = add_point(desk, "Saatgutspeicher · Cold room B")
    series = record(desk, at(cold).id, "probe_temperature")
    moved_ms = FUSE_MS - DAY_MS // 2
    place_source(desk, cold.serial, other, moved_ms, None, "carried over before the weekend")
    left, came = (record(desk, key, "probe_temperature") for key in (at(cold).id, other))
    assert int(came.times_utc_ms[0]) >= moved_ms > int(left.times_utc_ms[-1])
    assert len(left) + len(came) == len(series)
    assert gaps(desk) == []
    [event] = excursions(desk)
    assert (event.point.id, event.cause, event.is_gone) == (other, "Power", False)
    [_, (_, rows)] = [("", ()), *board(desk).sites]
    assert [(row.point.name, row.serial, row.is_recording) for row in rows] == [
        ("Cold room A", "R-1107", False),
        ("Cold room B", "R-1107", True),
    ]
    assert verify(desk).is_intact
    [said] = sources(desk, serial=cold.serial).statements
    withdraw_statement(desk, said)
    now = golden(desk)
    for told in ("records", "gaps", "plans"):
        assert now[told][STORE] if told == "plans" else now[told] == before[told]
    assert now["excursions"] == before["excursions"]


def test_readings_on_the_bench_are_of_no_point(cold: Lab) -> None:
    desk, point = cold.desk, at(cold)
    begun = int(record(desk, point.id, "probe_temperature").times_utc_ms[0])
    place_source(desk, cold.serial, None, begun, begun + 3_600_000, "still on the bench")
    series = record(desk, point.id, "probe_temperature")
    assert int(series.times_utc_ms[0]) == begun + 3_600_000
    [seen] = sources(desk, point_id=point.id).deployments
    assert (seen.source, seen.start_ms, seen.end_ms) == (cold.serial, begun + 3_600_000, None)
    place_source(desk, cold.serial, None, FUSE_MS - DAY_MS, None, "picked up")
    assert excursions(desk)[0].is_gone  # nobody forgets what was said of it
    assert verify(desk).is_intact


def test_a_deployment_survives_a_lost_database(cold: Lab) -> None:
    desk = cold.desk
    other = add_point(desk, "Saatgutspeicher · Cold room B")
    place_source(desk, cold.serial, other, FUSE_MS - DAY_MS, None, "carried over")
    assign_source(desk, other, "probe_temperature", "door side", cold.serial)
    before, folder = golden(desk), desk.archive.folder
    desk.close()
    for name in ("archive.db", "archive.db-wal", "archive.db-shm"):
        (folder / name).unlink(missing_ok=True)
    again = opened(folder)
    now = golden(again)
    again.close()
    assert {**now, "loggers": 0} == {**before, "loggers": 0}
    assert "Saatgutspeicher · Cold room B · probe_temperature@door side" in now["records"]


def test_a_text_at_a_loggers_point_changes_nothing_of_the_logger(cold: Lab, tmp_path: Path) -> None:
    desk, point = cold.desk, at(cold)
    before = golden(desk)["excursions"], limits_at(desk, point.id), board(desk).sites[0][1][0]
    text = station(tmp_path / "beside.txt", 300)
    tie = tie_of(cold, text)
    import_text(desk, text, replace(tie, point=STORE))
    row = board(desk).sites[0][1][0]
    assert golden(desk)["excursions"] == before[0]
    assert limits_at(desk, point.id) == before[1]
    for fact in ("serial", "is_recording", "ends_ms", "held", "needs", "on_logger"):
        assert getattr(row, fact) == getattr(before[2], fact), fact


def test_a_second_source_gets_a_labelled_series_until_somebody_joins_it(
    cold: Lab, tmp_path: Path
) -> None:
    desk, point = cold.desk, at(cold)
    text = station(tmp_path / "beside.txt", 300)
    tie = tie_of(cold, text)
    columns = tuple(
        replace(column, quantity="probe_temperature")
        if column.quantity == "air_temperature"
        else column
        for column in tie.columns
    )
    import_text(desk, text, replace(tie, point=STORE, columns=columns))
    keys = [place.channel for place in at(cold).channels]
    assert keys == [
        "probe_temperature",
        "probe_temperature@Weather station",
        "room_temperature",
        "air_pressure",
    ]
    theirs = record(desk, point.id, keys[1])
    mine = record(desk, point.id, keys[0])
    begin, end = int(theirs.times_utc_ms[0]), int(theirs.times_utc_ms[-1]) + 1
    assign_source(desk, point.id, "probe_temperature", "", "Weather station", begin, end)
    joined = record(desk, point.id, "probe_temperature")
    inside = joined.between(begin, end)
    assert inside.values.tolist() == theirs.values.tolist()
    outside = (mine.times_utc_ms < begin) | (mine.times_utc_ms >= end)
    assert len(joined) == len(theirs) + int(outside.sum())
    series = record(desk, point.id, f"probe_temperature@{cold.serial}")
    assert len(series) == int((~outside).sum())


def test_what_cannot_be_said_is_refused_in_a_sentence(cold: Lab, tmp_path: Path) -> None:
    desk, point = cold.desk, at(cold)
    text = station(tmp_path / "elsewhere.txt", 30)
    import_text(desk, text, tie_of(cold, text))
    with pytest.raises(InputError, match="Enter a reason"):
        place_source(desk, cold.serial, None, 0, None, " ")
    with pytest.raises(
        InputError, match=r"The end must be after the start; correct one of the two\."
    ):
        place_source(desk, cold.serial, None, 10, 5, "x")
    with pytest.raises(InputError, match="The archive has no source"):
        place_source(desk, "X-1", point.id, 0, None, "x")
    with pytest.raises(InputError, match="name of another source"):
        assign_source(desk, point.id, "probe_temperature", "Weather station", cold.serial)
    with pytest.raises(InputError, match="another one"):
        assign_source(desk, point.id, "probe_temperature", "a@b", cold.serial)
