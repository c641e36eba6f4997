"""How much of what is done to the databases behind the program's back `verify` finds: all of it."""

from __future__ import annotations

import random
import shutil
from pathlib import Path

import pytest

from gezeiten.archive.actions import logbook
from gezeiten.archive.actions.beginnings import beginning
from gezeiten.archive.actions.verification.projected_tables import MADE, Rows, rows
from gezeiten.archive.actions.verification.rebuild import repair_tables
from gezeiten.archive.actions.verification.replay import differences, replayed_tables
from gezeiten.archive.database import Archive
from gezeiten.archive.queries.missions import missions_at
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import mission_id
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock
from gezeiten.desk.field.gap_filling import leave_open
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.field.rounds import make_round
from gezeiten.desk.intake.texts.import_templates import save_template
from gezeiten.desk.logger.launch.planning import save_plan
from gezeiten.desk.office.issuing import export_csv
from gezeiten.desk.office.logger_history import loggers, note_service
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions, reopen, settle
from gezeiten.desk.record.statements.calculated_series import Calculation, calculate
from gezeiten.desk.record.statements.check_readings import TypedCheck, enter
from gezeiten.desk.record.statements.corrections import chain, proposed, save_correction, switch
from gezeiten.desk.record.statements.deployments import assign_source, place_source
from gezeiten.desk.record.statements.limits import set_limit
from gezeiten.desk.record.statements.remarks import write_remark
from gezeiten.desk.record.statements.sensor_depths import set_sensor_depth
from gezeiten.desk.record.statements.site_editor import save_point, save_site
from gezeiten.desk.sites.places import points, sites
from gezeiten.desk.sites.quantities import save_quantity
from gezeiten.domain.actions.clocks import ClockCorrected
from gezeiten.domain.actions.launches import LaunchBegun
from gezeiten.domain.actions.loggers import ReportStored
from gezeiten.domain.actions.offloads import OverviewImported, RawBytes, StatedMission
from gezeiten.domain.facts.sites import PointFacts, SiteFacts
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.quantities.quantities import Quantity
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.domain.steps.sensor_depth import SensorDepth
from gezeiten.errors import ArchiveDamagedError, GezeitenError
from gezeiten.exchange.text.form import ImportTemplate, TextForm, TimeForm
from tests.archive.test_golden import unpacked
from tests.conftest import STORE_PLAN
from tests.databases import behind_its_back
from tests.golden import opened

CHANGES = 50
FOUND_SO_FAR = 50
"""Found, or put right when the archive is opened: of so many, in both databases."""
NOT_OURS = ("alembic_version", "sqlite_sequence", "chain")
"""The last tells how far chain files were applied; it is put right when the archive is opened."""


def tampered(folder: Path, seed: int) -> str:
    """Change one cell, take one row out or double one, in one of both databases; return what was
    done."""
    dice = random.Random(seed)
    database = folder / ("local.db" if seed % 4 == 3 else "archive.db")
    with behind_its_back(database) as raw:
        refusal = raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        tables = sorted(
            name
            for (name,) in refusal
            if name not in NOT_OURS and raw.execute(f"SELECT 1 FROM {name} LIMIT 1").fetchone()
        )
        table = dice.choice(tables)
        columns = [row[1] for row in raw.execute(f"PRAGMA table_info({table})")]
        rows = raw.execute(f"SELECT rowid, * FROM {table}").fetchall()
        row = dice.choice(rows)
        kind = dice.choice(("cell", "cell", "out", "doubled"))
        if kind == "out":
            raw.execute(f"DELETE FROM {table} WHERE rowid = ?", (row[0],))
            return f"row {row[0]} of {table} taken out"
        if kind == "doubled":
            places = ", ".join("?" * len(columns))
            fresh = (max(r[0] for r in rows) + 1, *(_other(v) for v in row[2:]))
            raw.execute(f"INSERT INTO {table} VALUES ({places})", fresh)
            return f"row {row[0]} of {table} doubled"
        i = dice.randrange(1, len(columns))
        value = _other(row[i + 1])
        raw.execute(f"UPDATE {table} SET {columns[i]} = ? WHERE rowid = ?", (value, row[0]))
        return f"{columns[i]} of row {row[0]} of {table} changed"


def _other(value: object) -> object:
    """Another value of the same kind."""
    if isinstance(value, bytes):
        return value[:-1] + bytes((value[-1] ^ 1,))
    if isinstance(value, str):
        return value.replace("1", "2") if "1" in value else value + "x"
    if value == 1:
        return 0  # of a truth the other one: 2 would be true as well
    return 1 if value is None else value + 1  # type: ignore[operator]


def is_found(folder: Path) -> bool:
    """Whether the archive cannot be opened, or verifying it finds a fault."""
    try:
        desk = opened(folder)
    except GezeitenError:
        return True
    try:
        return not verify(desk).is_intact
    except GezeitenError:
        return True
    finally:
        desk.close()


def test_so_many_changes_behind_the_programs_back_are_found(tmp_path: Path) -> None:
    whole = unpacked("0005", tmp_path)
    assert not is_found(whole)
    as_it_was = made_here(whole)
    missed = []
    for seed in range(CHANGES):
        folder = tmp_path / "tampered"
        shutil.copytree(whole, folder)
        done = tampered(folder, seed)
        if not is_found(folder) and made_here(folder) != as_it_was:
            missed.append(done)
        shutil.rmtree(folder)
    found = CHANGES - len(missed)
    print(missed)
    print(f"{found} of {CHANGES} changes found")
    assert found >= FOUND_SO_FAR, "\n".join(missed)


def made_here(folder: Path) -> list[tuple[object, ...]]:
    """The rows of this computer's tables, but their keys: what is missing there is made anew when
    the archive is opened."""
    rows: list[tuple[object, ...]] = []
    with behind_its_back(folder / "local.db") as raw:
        for table in ("block", "block_bytes", "held"):
            rows += sorted((row[1:] for row in raw.execute(f"SELECT * FROM {table}")), key=repr)
    return rows


@pytest.fixture
def acted(tmp_path: Path) -> Path:
    """An archive in which acts have made a row of every table that they make."""
    folder = unpacked("0005", tmp_path)
    opened(folder).close()
    desk = open_workspace(folder, computer=TrustedClock(), pins=MemoryPins(), zone="Europe/Berlin")
    site = save_site(desk, SiteFacts("Shore", "marsh", latitude=53.9, longitude=8.1, height_m=1.0))
    facts = PointFacts("Well", 2.5, 3.2, ("water_level",), 900)
    save_point(desk, site, facts, save_point(desk, site, PointFacts("Well 1")))
    save_plan(desk, "Store", STORE_PLAN, "Düne T2")
    form = TextForm("utf-8", ",", ".", 1, 2, TimeForm((0,), "%Y-%m-%d", "UTC"))
    save_template(desk, ImportTemplate("Weather", "Shore · Well", form, ()))
    note_service(desk, loggers(desk)[0][0], "note", "seen")
    make_round(desk, [one.id for one in sites(desk)][:1], desk.now_ms())
    export_csv(desk, next(p for p in points(desk) if p.channels), (0, desk.now_ms()))
    leave_open(desk, gaps(desk)[0], "chewed")
    serial = loggers(desk)[0][0]
    desk.do(LaunchBegun(serial, "here/1", STORE_PLAN.as_dict(), 12, {}))
    desk.do(ReportStored(serial, "report.pdf", "ab" * 32, 5, 12))
    with desk.archive.reading() as session:
        point = stored_point(session, 1).uid
    said = StatedMission("Düne T2", "1.4", 14, 5, 0, 60_000, point, STORE_PLAN.as_dict())
    raw = RawBytes("cd" * 32, 9, "network")
    desk.do(OverviewImported(serial, said, raw, "nth", 4, ((0, 40),)))
    settled = next(e for e in excursions(desk) if e.is_settled)
    reopen(desk, settled.id)
    settle(desk, settled.id, "Power", "Fuse.")
    save_quantity(desk, Quantity("sap_flow", "Sap flow", "F", "kg", 1, low=0, high=9))
    place_source(desk, serial, None, 5, 9, "on the bench")
    shown = next(p for p in points(desk) if p.channels)
    assign_source(desk, shown.id, shown.channels[0].channel, "upper", serial, 5, 9)
    rule = LimitRule(shown.channels[0].channel, "above", 1e6)
    set_limit(desk, shown.id, shown.channels[0].channel, rule, 5, 9, "asked for")
    twice = ((shown, shown.channels[0].channel),) * 2
    calculate(desk, Calculation(FORMULAS["difference", 1], twice, {}))
    key = shown.channels[0].channel
    save_correction(
        desk, shown, proposed(shown, key, "linear", (5, None), {"offset": 1}), "asked for"
    )
    save_correction(
        desk, shown, proposed(shown, key, "mark", (5, 9), {"mark": "suspect"}), "asked for"
    )
    switch(desk, shown, chain(desk, shown, key).corrections[0])
    write_remark(desk, shown.id, (5, 9), "gauge cleaned", whole_site=True)
    enter(desk, [TypedCheck(shown, key, 5, 20.0, "ah", low=1.0, high=30.0, remark="seen")])
    with desk.archive.reading() as session:
        mission = missions_at(session, shown.id)[0][0]
    serial = mission.logger.serial
    uid = mission_id(serial, mission.number, mission.launched_ms)
    moved = ((0, 1000),)
    desk.do(ClockCorrected(serial, uid, mission.number, "ab", "shifted", moved, 500, "zone"))
    set_sensor_depth(desk, points(desk)[0], SensorDepth(0, 3.2, 8.4), "levelled")
    desk.close()
    return folder


def test_whatever_is_changed_of_what_acts_made_is_found_and_put_right(acted: Path) -> None:
    archive = Archive(acted)
    as_it_was, changes = kept_rows(archive), 0
    with archive.reading() as session:  # the logbook is not touched: what acts make stays the same
        began, _, since = beginning(archive.foundings.get, logbook.entry_stream(session))
        anew = replayed_tables(began, since)
    assert not anew.failed
    for table in MADE:
        for statement, values in changes_to_the_newest(acted / "archive.db", table):
            with behind_its_back(acted / "archive.db") as raw:
                raw.execute(statement, values)
            with archive.writing() as session:
                found = differences(session.connection(), anew.rows)
                assert any(one.table == table for one in found), (statement, values)
                repair_tables(session, anew.rows)
            assert kept_rows(archive) == as_it_was, (statement, values)
            changes += 1
    archive.close()
    print(f"{changes} changes of what acts made found and put right")
    assert changes > 90


def changes_to_the_newest(database: Path, table: str) -> list[tuple[str, tuple[object, ...]]]:
    """Return statements that change each column of a table's newest row, and take the row out."""
    with behind_its_back(database) as raw:
        columns = [row[1] for row in raw.execute(f"PRAGMA table_info({table})")]
        newest = raw.execute(f"SELECT * FROM {table} ORDER BY id DESC LIMIT 1").fetchone()
    made = dict(zip(columns, newest, strict=True))
    changes = [
        (f"UPDATE {table} SET {column} = ? WHERE id = ?", (_other(made[column]), made["id"]))
        for column in columns
        if column != "id"
    ]
    return [*changes, (f"DELETE FROM {table} WHERE id = ?", (made["id"],))]


def kept_rows(archive: Archive) -> Rows:
    with archive.reading() as session:
        return rows(session.connection())


def test_nothing_is_put_right_from_a_logbook_that_does_not_hold(acted: Path) -> None:
    """Its first hash changed, all rows of before seem to be made by nobody: they must stay."""
    archive = Archive(acted)
    as_it_was = kept_rows(archive)
    archive.close()
    with behind_its_back(acted / "archive.db") as raw:
        raw.execute("UPDATE logbook SET hash = 'f' || substr(hash, 2) WHERE seq = 1")
        raw.execute(
            "UPDATE logbook SET hash = 'e' || substr(hash, 2) WHERE seq = 1 AND hash = ("
            "SELECT previous FROM logbook WHERE seq = 2)"
        )
    desk = open_workspace(acted, computer=TrustedClock(), pins=MemoryPins(), zone="Europe/Berlin")
    with pytest.raises(
        ArchiveDamagedError, match="The logbook itself is not intact, so nothing was changed:"
    ):
        rebuild(desk)
    assert kept_rows(desk.archive) == as_it_was
    assert (acted / "archive-before-rebuild.db").exists()
    desk.close()
