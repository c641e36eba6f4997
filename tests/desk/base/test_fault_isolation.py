"""One thing that cannot be read spoils nothing else: the board names it, verify names its place."""

from __future__ import annotations

from pathlib import Path

import pytest
from sqlalchemy import select, text, update

from gezeiten.archive.local_cache.changes import all_changed
from gezeiten.archive.local_cache.tables import Block, BlockBytes
from gezeiten.archive.store.tables import Mission
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import refresh_stale
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.board.rows import BoardRow
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import ArchiveDamagedError
from tests.conftest import Lab
from tests.desk.intake.texts.test_text_files import POINT, tie_of


def rows(desk: Workspace) -> dict[str, BoardRow]:
    return {row.point.name: row for _, listed in board(desk).sites for row in listed}


def test_readings_a_month_and_more_apart(lab: Lab, tmp_path: Path) -> None:
    """Their interval, 2,592,000,000 ms and more, does not fit into 32 bits."""
    path = tmp_path / "monthly.txt"
    days = ["01.03.2026", "31.03.2026", "30.05.2026", "01.03.2027"]
    lines = [f"{day};12:00;{50 + i};1013" for i, day in enumerate(days)]
    path.write_text("\n".join(["Date;Time;Temp (°F);Air pressure (hPa)", *lines]) + "\n")
    import_text(lab.desk, path, tie_of(lab, path, "UTC"))
    series = record(lab.desk, point_named(lab.desk, POINT).id, "air_temperature")
    assert len(series) == 4
    assert int(series.interval_ms[0]) >= 30 * DAY_MS > 2**31
    assert not rows(lab.desk)["Weather"].fault
    assert verify(lab.desk).is_intact


def test_a_damaged_block_spoils_its_point_only(demo_desk: Workspace) -> None:
    before = {name: row.held for name, row in rows(demo_desk).items()}
    point = point_named(demo_desk, "Tank 2")
    with demo_desk.archive.writing() as session:
        at = select(Mission.uid).filter_by(point_id=point.id)
        its = select(Block.id).where(Block.mission.in_(at))
        damaged = update(BlockBytes).where(BlockBytes.id.in_(its))
        session.execute(damaged.values(data=b"\x00" * 40))
        all_changed(session.connection())
    demo_desk.views.clear()
    demo_desk.chunks.clear()
    with pytest.raises(ArchiveDamagedError, match="block of readings is damaged"):
        record(demo_desk, point.id, point.channels[0].channel)
    after = {name: row.held for name, row in rows(demo_desk).items()}
    assert after == before  # what is held is known without reading it
    assert {g.point.name for g in gaps(demo_desk)} >= {"Piezometer K2"}
    refresh_stale(demo_desk)
    assert any("differ from the raw offload" in fault for fault in verify(demo_desk).faults)


@pytest.mark.parametrize(
    ("table", "column", "value", "words"),
    [
        ("mission", "plan", '{"channels": ', "“plan” of mission "),
        ("mission", "plan", "[]", "“plan” of mission "),
        ("mission", "plan", "[" * 5_000 + "]" * 5_000, "nested too deep"),
        ("offload", "received", '"all of them"', "“received” of offload "),
        ("offload", "events", "[[1, 2, 3]]", "“events” of offload "),
        ("logger", "state", "7", "“state” of logger "),
        ("local.excursion", "rule", "{}", "The stored excursions of"),
        ("logbook", "details", "{", "“details” of logbook "),
    ],
)
def test_a_stored_value_that_is_none_is_named_by_its_place(
    demo_desk: Workspace, table: str, column: str, value: str, words: str
) -> None:
    with demo_desk.archive.writing() as session:
        key = "seq" if table == "logbook" else "id"
        where = f"{key} = (SELECT max({key}) FROM {table})"
        session.execute(
            text(f"UPDATE {table} SET {column} = :value WHERE {where}"), {"value": value}
        )
    faults = verify(demo_desk).faults
    assert any(words in fault for fault in faults), faults


def test_a_plan_that_cannot_be_read_spoils_its_point_only(demo_desk: Workspace) -> None:
    point = point_named(demo_desk, "Tank 2")
    with demo_desk.archive.writing() as session:
        session.execute(
            text("UPDATE mission SET plan = '{' WHERE point_id = :id"), {"id": point.id}
        )
        others = session.scalars(select(Mission.id).where(Mission.point_id != point.id)).all()
    assert others
    demo_desk.archive.latest = None  # as whoever opens it now
    after = rows(demo_desk)
    assert "gezeiten verify" in after["Tank 2"].fault
    assert [name for name, row in after.items() if row.fault] == ["Tank 2"]
