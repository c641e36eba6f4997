"""Bytes in the vault that no entry names are told, and imported again."""

from __future__ import annotations

from pathlib import Path

import pytest

from gezeiten.archive.database import Archive
from gezeiten.desk.base.workspace import TrustedClock
from gezeiten.desk.intake.carriers.drives import import_from_drive, survey_file
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from tests.cli.test_main import data_of, run
from tests.conftest import STORE_PLAN, Lab
from tests.desk.intake.texts.test_text_files import station


@pytest.fixture
def mission_file(lab: Lab, tmp_path: Path) -> Path:
    """A mission file of two days on a drive."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, {})
    lab.later(2 * 24 * 60)
    lab.standin.order("drive", folder=str(tmp_path / "stick"))
    return tmp_path / "stick" / "missions" / "D-2041-12.mission"


@pytest.fixture
def stray(lab: Lab, mission_file: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    """Its fingerprint in a vault: the program ended after the bytes were kept, before the act."""

    class Killed(BaseException):
        pass

    def killed(*_: object) -> None:
        raise Killed

    card = survey_file(lab.desk, mission_file)
    monkeypatch.setattr(Archive, "enter", killed)
    with pytest.raises(Killed):
        import_from_drive(lab.desk, card)
    monkeypatch.undo()
    [sha256] = lab.desk.archive.vault.fingerprints()
    for begun in lab.desk.archive.incoming.iterdir():
        begun.unlink()
    return sha256


def test_a_mission_file_is_told_and_imported_again(lab: Lab, stray: str) -> None:
    folder = lab.desk.archive.folder
    [fault] = verify(lab.desk).faults
    assert "mission 12 of D-2041 with 28" in fault
    assert "offload" not in fault
    assert f"gezeiten import --unnamed {stray[:12]}" in fault
    [taken] = data_of("import", "--unnamed", stray[:12], "--archive", folder)
    assert (taken["serial"], taken["error"]) == ("D-2041", "")
    assert taken["readings"] in (288, 289)
    desk = open_workspace(folder, computer=TrustedClock())
    assert verify(desk).is_intact
    desk.close()
    assert (
        "” matches no file without a logbook entry, or several; gezeiten verify "
        "lists them, type twelve digits of the fingerprint."
    ) in run("import", "--unnamed", stray[:12], "--archive", folder, code=2).stderr


def test_one_whose_readings_are_all_here_is_named_as_well(
    lab: Lab, mission_file: Path, stray: str
) -> None:
    """Else it would be told for ever."""
    lab.later(60)
    lab.standin.order("drive", folder=str(mission_file.parents[1]))
    import_from_drive(lab.desk, survey_file(lab.desk, mission_file))
    [taken] = data_of("import", "--unnamed", stray, "--archive", lab.desk.archive.folder)
    assert (taken["readings"], taken["error"]) == (0, "")
    assert verify(lab.desk).is_intact


def test_a_text_is_imported_as_any_other(lab: Lab, tmp_path: Path) -> None:
    data = station(tmp_path / "weather.txt", 60).read_bytes()
    sha256, folder = lab.desk.archive.vault.store(data), lab.desk.archive.folder
    [fault] = verify(lab.desk).faults
    assert "a text file without a logbook entry;" in fault
    row = data_of("import", "--unnamed", sha256[:12], "--dry-run", "--archive", folder)
    assert [one["id"] for one in row["questions"]]
    refused = run("import", "--unnamed", sha256[:12], "--archive", folder, code=2)
    assert "Nothing was imported" in refused.stderr


def test_exactly_one_of_path_and_fingerprint_is_named(lab: Lab, tmp_path: Path) -> None:
    for words in ((), (tmp_path, "--unnamed", "0123456789ab")):
        said = run("import", *words, "--archive", lab.desk.archive.folder, code=2)
        assert "Name a file or folder, or a file of the vault with --unnamed." in said.stderr
