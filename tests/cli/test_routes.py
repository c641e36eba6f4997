"""Drives, text files, copies of the vault and cables on the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.office.issuing import export_csv
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.views.records import extent, record
from gezeiten.desk.sites.places import point_named
from gezeiten.link.lines.address import CablePort
from tests.cli.test_main import data_of, run
from tests.conftest import STORE_PLAN, Lab, StartStandin
from tests.desk.intake.texts.test_text_files import station, tie_of


@pytest.fixture
def store(lab: Lab) -> Lab:
    """The textile store's logger with two days recorded."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, {})
    lab.later(2 * 24 * 60)
    return lab


def test_a_drive_is_taken_and_said_to_be_kept_the_next_time(store: Lab, tmp_path: Path) -> None:
    folder = store.desk.archive.folder
    store.standin.order("drive", folder=str(tmp_path / "stick"))
    (tmp_path / "stick" / "missions" / "bad.mission").write_bytes(b"x" * 300)
    [taken] = data_of("import", tmp_path / "stick", "--archive", folder)
    assert (taken["serial"], taken["error"]) == ("D-2041", "")
    assert taken["readings"] in (288, 289)
    said = run("import", tmp_path / "stick", "--archive", folder).output
    assert "missions/D-2041-12.mission" in said
    assert "missions/bad.mission: " in said
    one = tmp_path / "stick" / "missions" / "D-2041-12.mission"
    assert "already saved" in run("import", one, "--archive", folder).output
    (tmp_path / "empty").mkdir()
    assert (
        "There is no mission file." in run("import", tmp_path / "empty", "--archive", folder).output
    )


def test_a_text_is_taken_by_the_tie_it_was_given_in_the_window(lab: Lab, tmp_path: Path) -> None:
    folder, path = lab.desk.archive.folder, station(tmp_path / "weather.txt", 60)
    refused = run("import", path, "--archive", folder, code=2)
    assert "In which time zone are the times? Nothing was imported" in refused.stderr
    import_text(lab.desk, path, tie_of(lab, path))
    more = station(tmp_path / "more.txt", 90)
    with more.open("a") as file:
        file.write("rubbish\n")
    first = data_of("import", more, "--archive", folder)
    assert first == {
        "readings": 30,
        "repeated": 60,
        "left_out": 1,
        "without_number": 0,
    }
    said = run("import", more, "--archive", folder, "--as", "Weather station").output
    assert "0 readings saved, 90 already saved, 1 line skipped." in said
    assert "line 92: it has 1 column; 5 are expected  rubbish" in said


def test_a_text_is_tried_answered_and_imported_without_a_window(lab: Lab, tmp_path: Path) -> None:
    folder, path = lab.desk.archive.folder, tmp_path / "mast.csv"
    rows = [f"2024-03-01 {i // 6:02}:{i % 6}0;{85 if i == 30 else 4 + i % 9}" for i in range(90)]
    path.write_text("time;T [°C]\n" + "\n".join([*rows, "battery changed;"]) + "\n")
    tried = data_of("import", path, "--dry-run", "--archive", folder)
    assert [one["id"] for one in tried["questions"]] == ["zone", "point", "far:2"]
    assert tried["questions"][2]["choices"][0] == {"value": "no value", "words": "no value"}
    said = [f"--answer={one}" for one in ("zone=UTC", "point=Krabbenkoog · Mast")]
    refused = run("import", path, *said, "--archive", folder, code=2)
    assert "answer with --answer far:2=…" in refused.stderr
    said.append("--answer=far:2=no value")
    [series] = (tried := data_of("import", path, *said, "--dry-run", "--archive", folder))["series"]
    assert (tried["questions"], tried["interval_s"]) == ([], 600)
    assert tried["left_out"] == {"its time cannot be read or does not exist in this zone": 1}
    assert (series["quantity"], series["unit"], series["zone"]) == ("air_temperature", "°C", "UTC")
    assert (series["first"], series["last"]) == ("2024-03-01T00:00:00Z", "2024-03-01T14:50:00Z")
    assert (series["count"], series["lowest"], series["highest"]) == (89, 4, 12)
    wrong = run("import", path, *said, "--answer=decimal=,", "--archive", folder, code=2)
    assert "is not a question about mast.csv" in wrong.stderr
    assert data_of("import", path, *said, "--archive", folder)["readings"] == 90
    # the template holds what was answered; another number far away is asked about again
    path.write_text(path.read_text().replace(";85\n", ";86\n"))
    assert "86 (once" in run("import", path, "--archive", folder, code=2).stderr


def test_an_overview_leaves_the_readings_where_they_are(store: Lab) -> None:
    folder, at = store.desk.archive.folder, str(store.standin.address)
    row = data_of("overview", "D-2041", "--at", at, "--every", "12", "--means", "--archive", folder)
    assert (row["values"], row["every"], row["error"]) == (24, 12, "")
    low, high = row["extremes"]["air_temperature"]
    assert low < high
    said = run("overview", "D-2041", "--at", at, "--archive", folder).output
    assert "one for every 2 readings" in said  # two days fill no screen
    refused = run(
        "overview", "D-2041", "--at", at, "--every", "400", "--means", "--archive", folder, code=2
    )
    assert "give a smaller --every" in refused.stderr
    [taken] = data_of("offload", "D-2041", "--at", at, "--archive", folder)
    assert taken["readings"] in (288, 289)
    idle = run("overview", "D-2041", "--at", at, "--every", "1", "--archive", folder, code=2)
    assert idle.stderr.endswith("\n")


def test_our_own_csv_comes_back_in(store: Lab, tmp_path: Path) -> None:
    """What was handed over can be taken in again, elsewhere or at another point."""
    store.standin.order("drive", folder=str(tmp_path / "stick"))
    run("import", tmp_path / "stick", "--archive", store.desk.archive.folder)
    point = point_named(store.desk, "Textile store")
    span = extent(store.desk, point.id, ["air_temperature"])
    assert span is not None
    done = export_csv(store.desk, point, (span[0], span[1] + 1), tmp_path / "own.csv")
    recognised = recognise_text(store.desk, done.path)
    assert recognised.proposal.doubts == ()
    template = proposed_template(recognised, "Own")
    known = {column.quantity for column in template.columns if column.quantity}
    assert known == {"air_temperature", "relative_humidity"}
    from dataclasses import replace

    import_text(store.desk, done.path, replace(template, point="Elsewhere · Copy"))
    copy = point_named(store.desk, "Copy")
    for channel in sorted(known):
        ours, theirs = (record(store.desk, p.id, channel) for p in (point, copy))
        assert theirs.times_utc_ms.tolist() == ours.times_utc_ms.tolist()
        assert theirs.values.tolist() == ours.values.tolist()


def test_the_vault_is_copied_handed_on_and_taken_in(store: Lab, tmp_path: Path) -> None:
    folder = store.desk.archive.folder
    store.standin.order("drive", folder=str(tmp_path / "stick"))
    run("import", tmp_path / "stick", "--archive", folder)
    said = run("vault", "export", tmp_path / "vault.zip", "--archive", folder).output
    assert "1 raw offload, each compared" in said
    run("vault", "export", tmp_path / "disk", "--archive", folder)
    fresh = tmp_path / "fresh"
    taken = data_of("vault", "import", tmp_path / "vault.zip", "--archive", fresh)
    assert taken["offloads"] == 1
    assert taken["refused"] == []
    again = data_of("vault", "import", tmp_path / "disk", "--archive", fresh)
    assert (again["offloads"], again["kept_already"]) == (0, 1)
    assert "Everything is as it was saved." in run("verify", "--archive", fresh).output
    refused = run("vault", "import", tmp_path / "stick", "--archive", fresh, code=2)
    assert "stick is not a vault copy" in refused.stderr


def test_a_logger_on_a_cable_is_found_and_offloaded(
    tmp_path: Path, start_standin: StartStandin
) -> None:
    port = CablePort(str(tmp_path / "ttyTest"), 19_200, "E", 1)
    start_standin("W-0112", cable=port)
    folder = tmp_path / "archive"
    open_workspace(folder).close()
    settings = {"addresses": "127.0.0.1:1", "serial_ports": port.path}
    (folder / "settings.json").write_text(json.dumps(settings))
    [found] = data_of("find", "--archive", folder)
    assert (found["serial"], found["address"]) == ("W-0112", f"{port.path} (19200 8E1)")
    assert json.loads((folder / "lines.json").read_text()) == {port.path: "19200 8E1"}
    [taken] = data_of("offload", "--all", "--archive", folder)
    assert (taken["serial"], taken["readings"], taken["error"]) == ("W-0112", 0, "")


def test_new_commands_say_what_they_do() -> None:
    for words in (
        ("watch",),
        ("import",),
        ("vault",),
        ("vault", "export"),
        ("vault", "import"),
        ("standin", "instrument"),
    ):
        assert "Usage:" in run(*words, "--help").output
