"""Drives: recognised, listed, taken once, pulled out, hostile, cleared."""

from __future__ import annotations

import hashlib
import itertools
import os
import shutil
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import select

from gezeiten.archive.store.tables import LoggerReport, Offload
from gezeiten.desk.intake.carriers.carried_records import KEPT, NEW, UNUSABLE
from gezeiten.desk.intake.carriers.drives import (
    DriveCard,
    clear_drive,
    clearing_of_drive,
    import_from_drive,
    release,
    survey_drive,
)
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.logger_history import life, save_document
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.errors import (
    LoggerAwayError,
)
from gezeiten.link.files.drive import DriveSeen, Mount, drives, mission_paths, mounts
from gezeiten.link.transfer import Watch
from tests.conftest import Lab


@pytest.fixture
def stick(running: Lab, tmp_path: Path) -> Path:
    """The logger as a drive."""
    folder = tmp_path / "stick"
    running.standin.order("drive", folder=str(folder))
    return folder


def card_of(lab: Lab, folder: Path) -> DriveCard:
    [drive] = drives([folder], [])
    return survey_drive(lab.desk, drive)


def series(lab: Lab) -> np.ndarray:
    point = point_named(lab.desk, "Textile store")
    return record(lab.desk, point.id, "air_temperature").values


# -- drives
def test_a_drive_is_recognised_by_what_lies_on_it(stick: Path, tmp_path: Path) -> None:
    (tmp_path / "empty").mkdir()
    mounted = [Mount(stick, "/dev/sdb1"), Mount(tmp_path / "empty", "/dev/sdc1")]
    assert drives([], mounted) == []  # not under a folder for removable media
    [seen] = drives([stick, tmp_path / "empty", tmp_path / "none"], [])
    assert (seen.serial, seen.label, seen.device) == ("D-2041", "D-2041", "")
    (stick / "gezeiten-drive.json").unlink()
    assert drives([stick], [])[0].label == "stick"


def test_mounts_are_read_as_the_kernel_writes_them(tmp_path: Path) -> None:
    listing = tmp_path / "mountinfo"
    listing.write_text(
        "36 35 8:17 / /media/ja/LOGGER\\0401 rw,nosuid shared:1 - vfat /dev/sdb1 rw\n"
        "37 35 0:5 / /proc rw - proc proc rw\nbroken line\n"
    )
    assert mounts(listing)[0] == Mount(Path("/media/ja/LOGGER 1"), "/dev/sdb1")
    assert mounts(tmp_path / "none") == []


def test_what_is_new_is_taken_once_and_the_report_kept_beside_it(running: Lab, stick: Path) -> None:
    card = card_of(running, stick)
    [seen] = card.records
    assert (seen.serial, seen.mission, seen.state) == ("D-2041", 12, NEW)
    assert seen.new_readings == seen.readings in (1440, 1441)
    imported = import_from_drive(running.desk, card)
    assert (imported.error, imported.reports) == ("", 1)
    assert imported.results[0].readings == seen.readings
    again = card_of(running, stick)
    assert (again.records[0].state, again.reports) == (KEPT, ())
    assert import_from_drive(running.desk, again).results == []
    with running.desk.archive.reading() as session:
        [kept] = session.scalars(select(Offload))
        assert kept.route == "drive"
        raw = (stick / seen.key).read_bytes()
        assert kept.sha256 == hashlib.sha256(raw).hexdigest()
        report = session.scalars(select(LoggerReport)).one()
        assert (report.mission_number, report.name) == (12, "D-2041-12.txt")
        assert b"Practice logger" in running.desk.archive.reports.get(report.sha256)
    [known] = life(running.desk, "D-2041").reports
    assert (known.mission, known.name) == (12, "D-2041-12.txt")
    again = save_document(running.desk, known, stick.parent / "again.txt")
    assert again.read_bytes() == (stick / "reports" / "D-2041-12.txt").read_bytes()
    assert verify(running.desk).is_intact
    assert "is a folder; nothing needs to be ejected." in release(running.desk, card.drive)


def test_a_record_partly_kept_by_another_route_brings_only_the_rest(
    running: Lab, stick: Path
) -> None:
    offload_logger(running.desk, running.standin.address, running.serial, only={12: [(0, 480)]})
    [seen] = card_of(running, stick).records
    assert seen.new_readings == seen.readings - 480
    import_from_drive(running.desk, card_of(running, stick))
    assert len(series(running)) == seen.readings


def test_hostile_and_broken_files_are_said_and_nothing_else_happens(
    running: Lab, stick: Path, tmp_path: Path
) -> None:
    missions = stick / "missions"
    good = next(mission_paths(stick)).read_bytes()
    with (missions / "huge.mission").open("wb") as out:
        out.truncate(1 << 42)  # claims four terabytes, takes no room
    (missions / "junk.mission").write_bytes(os.urandom(5_000))
    (missions / "half.mission").write_bytes(good[: len(good) // 2])
    (tmp_path / "secret.mission").write_bytes(good)
    (missions / "link.mission").symlink_to(tmp_path / "secret.mission")
    (missions / ".hidden.mission").write_bytes(good)
    evil = good.replace(b"fD-2041", b"f../../x") if b"fD-2041" in good else good
    (missions / "evil.mission").write_bytes(evil)
    by_key = {Path(r.key).name: r for r in card_of(running, stick).records}
    assert set(by_key) == {
        "huge.mission",
        "junk.mission",
        "half.mission",
        "evil.mission",
        "D-2041-12.mission",
    }
    assert by_key["huge.mission"].state == UNUSABLE
    assert (
        "bytes, more than a mission file can have; it was not read." in by_key["huge.mission"].note
    )
    assert by_key["junk.mission"].state == UNUSABLE
    assert by_key["half.mission"].state == NEW
    assert (
        "The file ends early, as when writing was interrupted; the readings up "
        "to there can be imported."
    ) in by_key["half.mission"].note
    assert by_key["evil.mission"].state == UNUSABLE
    imported = import_from_drive(running.desk, card_of(running, stick))
    assert imported.error == ""
    assert len(series(running)) == by_key["D-2041-12.mission"].readings
    assert verify(running.desk).is_intact


@pytest.mark.parametrize("pieces", [1, 3, 8])
def test_a_drive_that_is_pulled_out_costs_nothing(
    running: Lab, stick: Path, monkeypatch: pytest.MonkeyPatch, pieces: int
) -> None:
    monkeypatch.setattr("gezeiten.link.files.drive._CHUNK", 500)
    card = card_of(running, stick)
    path = stick / card.records[0].key
    whole = path.read_bytes()
    asked = itertools.count()

    def pull() -> bool:
        if next(asked) == pieces:
            path.write_bytes(whole[:400])  # the rest is no more there
        return False

    imported = import_from_drive(running.desk, card, watch=Watch(cancelled=pull))
    assert (
        "could not be read to its end; connect the drive again and import it again."
    ) in imported.error
    assert list(running.desk.archive.incoming.iterdir()) == []
    path.write_bytes(whole)
    assert import_from_drive(running.desk, card_of(running, stick)).error == ""


def test_one_file_that_cannot_be_read_hides_no_other(running: Lab, stick: Path) -> None:
    bad = stick / "missions" / "a-bad.mission"
    bad.mkdir()  # reading it fails as a bad sector does; listing it does not
    assert [record.state for record in card_of(running, stick).records] == [NEW]
    bad.rmdir()
    bad.write_bytes(b"x" * 50)
    bad.chmod(0)
    states = {record.key: record.state for record in card_of(running, stick).records}
    assert states["missions/a-bad.mission"] == UNUSABLE
    assert NEW in states.values()
    shutil.rmtree(stick)
    with pytest.raises(
        LoggerAwayError,
        match="D-2041 can no longer be read",
    ):
        survey_drive(running.desk, DriveSeen(stick / "missions", "D-2041")).records  # noqa: B018


def test_a_file_that_changes_between_look_and_take_is_not_taken(running: Lab, stick: Path) -> None:
    card = card_of(running, stick)
    path = stick / card.records[0].key
    path.write_bytes(path.read_bytes() + b"more")
    assert "has changed; read the drive again." in import_from_drive(running.desk, card).error
    shutil.rmtree(stick)
    assert (
        "could not be read to its end; connect the drive again and import it again."
    ) in import_from_drive(running.desk, card).error
    assert list(running.desk.archive.incoming.iterdir()) == []


def test_taking_can_be_stopped(running: Lab, stick: Path) -> None:
    imported = import_from_drive(
        running.desk, card_of(running, stick), watch=Watch(cancelled=lambda: True)
    )
    assert "Import was cancelled" in imported.error
    assert card_of(running, stick).records[0].state == NEW


def test_what_is_in_the_vault_can_be_cleared_from_a_drive_and_nothing_else(
    running: Lab, stick: Path
) -> None:
    missions = stick / "missions"
    [path] = missions.iterdir()
    clearing = clearing_of_drive(running.desk, card_of(running, stick))
    assert (clearing.cleared, len(clearing.stays)) == ((), 1)
    assert "it is not in the vault; import it first." in clearing.stays[0]
    import_from_drive(running.desk, card_of(running, stick))
    (missions / "rubbish.mission").write_bytes(b"no mission")
    card = card_of(running, stick)
    raw = path.read_bytes()
    path.write_bytes(raw + b"x")  # changed since it was looked at
    done = clear_drive(running.desk, card)
    assert done.cleared == ()
    assert any("the file has changed" in why for why in done.stays)
    path.write_bytes(raw)
    [gone] = clear_drive(running.desk, card).cleared
    assert (gone.key, path.exists()) == (str(path.relative_to(stick)), False)
    assert [left.name for left in missions.iterdir()] == ["rubbish.mission"]
    entry = logbook_entries(running.desk)[0]
    assert entry.details["act"]["deleted"] == {gone.key: hashlib.sha256(raw).hexdigest()}


def test_a_drive_seen_names_its_root(tmp_path: Path) -> None:
    assert str(DriveSeen(tmp_path, "x")) == str(tmp_path)
