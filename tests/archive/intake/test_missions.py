"""Taking mission files in: nothing twice, missions joined, damage filled later, kills survived."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.database import Archive
from gezeiten.archive.intake.missions import (
    Circumstances,
    RawChannel,
    RawMission,
    import_mission_file,
    stored_ranges,
)
from gezeiten.archive.local_cache.segments import load_segments
from gezeiten.archive.local_cache.tables import Block
from gezeiten.archive.store.tables import LogbookRow, Mission, Offload, Point, Site
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.series import Series, join_series

HOW = Circumstances(at_ms=5_000_000, person="JA", route="network", clock_difference_ms=-120.0)
PLAN = Plan(("air_temperature",), 60, point_name="Alte Lotsenwacht · Textile store")


@pytest.fixture
def archive(tmp_path: Path) -> Iterator[Archive]:
    made = Archive(tmp_path)
    yield made
    made.close()


def mission(first: int, end: int, **change: object) -> RawMission:
    """Readings [first, end) whose value is their number."""
    numbers = np.arange(first, end, dtype=np.int64)
    made = RawMission(
        serial="D-2041",
        model="Düne T2",
        firmware="1.4",
        number=12,
        launched_ms=0,
        first_ms=60_000,
        interval_ms=60_000,
        plan=PLAN.as_dict(),
        channels=(RawChannel("air_temperature", "°C"),),
        numbers=numbers,
        times=numbers,
        step_ms=0,
        values=[numbers.astype(float)],
        received=[(first, end)],
        damaged=[],
        events=[(0, "launched")],
    )
    made = replace(made, **change)
    return replace(made, times=made.first_ms + made.numbers * made.interval_ms)


def count(archive: Archive, table: type) -> int:
    with archive.reading() as session:
        return int(session.scalar(select(func.count()).select_from(table)) or 0)


def values(archive: Archive, point_id: int) -> list[float]:
    with archive.reading() as session:
        return whole(session, point_id).values.tolist()


def whole(session: Session, point_id: int) -> Series:
    segments = load_segments(session, point_id, "air_temperature")
    return join_series([segments.read(session, i) for i in range(len(segments.listed))])


def test_a_mission_makes_its_site_point_series_and_entry(archive: Archive) -> None:
    done = import_mission_file(archive, b"raw", mission(0, 100), HOW)
    assert done.readings == 100
    assert archive.vault.get(done.sha256) == b"raw"
    with archive.reading() as session:
        point = session.get_one(Point, done.point_id)
        assert (point.site.name, point.name) == ("Alte Lotsenwacht", "Textile store")
        _person, site, made, entry = session.scalars(select(LogbookRow).order_by(LogbookRow.seq))
        assert site.sentence == "Site Alte Lotsenwacht added. Its zone UTC is this computer's."
        assert made.sentence == "Point Alte Lotsenwacht · Textile store added."
        assert entry.subject == "D-2041"
        assert entry.details["act"]["raw"]["sha256"] == done.sha256
        assert entry.sentence == (
            "100 readings of mission 12 saved for Alte Lotsenwacht · Textile store."
        )
    assert values(archive, done.point_id) == list(range(100))


def test_the_same_memory_twice_stores_nothing_twice(archive: Archive) -> None:
    first = import_mission_file(archive, b"raw", mission(0, 100), HOW)
    again = import_mission_file(archive, b"raw again", mission(0, 100), HOW)
    assert again.offload_id is None
    assert again.readings == 0
    assert count(archive, Offload) == count(archive, Block) == 1
    assert len(list(archive.vault.fingerprints())) == 1
    assert values(archive, first.point_id) == list(range(100))


def test_only_what_is_new_of_an_overlap_is_stored(archive: Archive) -> None:
    import_mission_file(archive, b"one", mission(0, 100), HOW)
    done = import_mission_file(archive, b"two", mission(50, 150), HOW)
    assert done.added == [(100, 150)]
    assert values(archive, done.point_id) == list(range(150))


def test_bytes_that_come_late_and_differ_are_left_to_all_bytes(archive: Archive) -> None:
    """A copy of a vault brings what was taken before: it counts, on this computer as on others."""
    asked: list[str] = []
    archive.on_caught_up = lambda: asked.append("make readings")
    later = import_mission_file(archive, b"later", mission(0, 10), HOW)
    same = replace(HOW, at_ms=HOW.at_ms - 1)
    import_mission_file(archive, b"earlier", mission(5, 20), same)
    assert not asked  # it says the same about those that both hold
    other = mission(5, 30, values=[np.arange(5, 30) + 0.5])
    import_mission_file(archive, b"other", other, replace(HOW, at_ms=HOW.at_ms + 1))
    assert not asked  # it was taken after them: theirs stand
    assert values(archive, later.point_id) == [*range(20), *(i + 0.5 for i in range(20, 30))]
    import_mission_file(archive, b"first", mission(0, 31), replace(HOW, at_ms=HOW.at_ms - 2))
    assert asked == ["make readings"]
    with archive.reading() as session:
        assert session.scalars(select(Block)).all() == []


def test_damaged_ranges_are_a_hole_until_they_come(archive: Archive) -> None:
    numbers = np.r_[0:240, 480:600].astype(np.int64)
    holed = mission(
        0,
        600,
        numbers=numbers,
        values=[numbers.astype(float)],
        received=[(0, 240), (480, 600)],
        damaged=[(240, 480)],
    )
    done = import_mission_file(archive, b"holed", holed, HOW)
    with archive.reading() as session:
        assert stored_ranges(session, done.mission_id) == [(0, 240), (480, 600)]
        sentence = session.scalars(select(LogbookRow.sentence).filter_by(act="offload")).one()
    assert "240 readings damaged in transfer" in sentence
    import_mission_file(archive, b"rest", mission(240, 480), HOW)
    assert values(archive, done.point_id) == list(range(600))


def test_missions_of_one_point_join_into_one_series(archive: Archive) -> None:
    import_mission_file(archive, b"one", mission(0, 10), HOW)
    later = mission(0, 10, number=13, launched_ms=900_000, first_ms=960_000)
    done = import_mission_file(archive, b"two", later, HOW)
    assert count(archive, Mission) == 2
    assert count(archive, Site) == 1
    with archive.reading() as session:
        series = whole(session, done.point_id)
    assert len(series) == 20
    assert series.times_utc_ms[10] == 960_000


def test_another_logger_at_the_point_goes_on_with_its_series(archive: Archive) -> None:
    first = import_mission_file(archive, b"one", mission(0, 10), HOW)
    other = mission(0, 10, serial="D-3000", first_ms=960_000)
    second = import_mission_file(archive, b"two", other, HOW)
    assert second.point_id == first.point_id
    assert len(values(archive, first.point_id)) == 20


def test_a_logger_without_a_place_is_kept_under_its_serial(archive: Archive) -> None:
    homeless = mission(0, 10, plan=replace(PLAN, point_name="").as_dict())
    done = import_mission_file(archive, b"x", homeless, HOW)
    with archive.reading() as session:
        point = session.get_one(Point, done.point_id)
        assert (point.site.name, point.name) == ("Not yet placed", "D-2041")


def test_missing_values_are_kept_as_such(archive: Archive) -> None:
    numbers = np.arange(5, dtype=np.int64)
    column = np.array([1.0, np.nan, 3.0, np.nan, 5.0])
    done = import_mission_file(archive, b"x", mission(0, 5, numbers=numbers, values=[column]), HOW)
    assert values(archive, done.point_id) == [1.0, 3.0, 5.0]
    with archive.reading() as session:
        block = session.scalars(select(Block)).one()
        assert (block.count, block.valid, block.low, block.high) == (5, 3, 1.0, 5.0)
        assert stored_ranges(session, done.mission_id) == [(0, 5)]  # "no value" was offloaded too


def test_long_missions_are_cut_into_blocks_with_summaries(archive: Archive) -> None:
    done = import_mission_file(archive, b"x", mission(0, 40_000), HOW)
    with archive.reading() as session:
        blocks = session.scalars(select(Block).order_by(Block.first)).all()
    assert [(b.first, b.count) for b in blocks] == [(0, 16_384), (16_384, 16_384), (32_768, 7_232)]
    assert [b.low for b in blocks] == [0.0, 16_384.0, 32_768.0]
    assert values(archive, done.point_id) == list(range(40_000))


def test_a_file_in_the_vault_whose_intake_was_killed_is_taken_in_again(archive: Archive) -> None:
    sha256 = archive.vault.store(b"raw")  # as a kill between vault and database leaves it
    done = import_mission_file(archive, b"raw", mission(0, 10), HOW)
    assert done.sha256 == sha256
    assert values(archive, done.point_id) == list(range(10))
