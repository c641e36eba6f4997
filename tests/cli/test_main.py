"""The command line: the same acts as in the window, JSON and exit codes for scripts."""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner, Result

from gezeiten.cli.main import main
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import contact, session_with
from gezeiten.desk.logger.offloading import offload_connected, recover_incoming
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.errors import ArchiveLockedError
from gezeiten.exchange.plan_file import NamedPlan, write_plan_file
from tests.conftest import ANCHOR_MS, HASTY, STORE_PLAN, StartStandin
from tests.databases import behind_its_back


def run(*words: object, code: int = 0) -> Result:
    result = CliRunner().invoke(main, [str(word) for word in words])
    assert result.exit_code == code, result.output + str(result.exception)
    return result


def data_of(*words: object) -> Any:
    return json.loads(run(*words, "--json").stdout)


def test_help_of_every_command_says_what_it_does() -> None:
    listed = run("--help").output
    for name in (
        "standin",
        "find",
        "offload",
        "launch",
        "list",
        "export",
        "report",
        "verify",
        "demo",
    ):
        assert name in listed
        assert "Usage:" in run(name, "--help").output


TRUST = ("--clock-is-right", "compared with a radio clock")


def test_from_launch_to_report_without_a_window(
    tmp_path: Path, start_standin: StartStandin
) -> None:
    """A logger that lives 20 000 times as fast records days while the commands run."""
    archive = ("--archive", tmp_path / "archive")
    standin = start_standin("D-2041", anchor_ms=ANCHOR_MS)
    at = str(standin.address)
    [found] = data_of("find", *archive, "--at", at)
    assert (found["serial"], found["state"], found["practice"]) == ("D-2041", "idle", True)
    plan = write_plan_file(NamedPlan("Store", "Düne T2", STORE_PLAN), tmp_path / "store")
    launch = ("launch", "D-2041", *archive, "--at", at, "--plan", plan, "--interval", "1 s")
    done = data_of(*launch, *TRUST)
    assert done["serial"] == "D-2041"
    now = standin.order("state")["now_ms"]
    standin.order("time", ms=now + 3_600_000)
    [taken] = data_of("offload", "D-2041", *archive, "--at", at)
    assert taken["readings"] == pytest.approx(3600, abs=5)
    assert taken["error"] == ""
    [point] = data_of("list", *archive)
    assert (point["point"], point["logger"]) == ("Textile store", "D-2041")
    stretch = ("--from", point["from"], "--until", "2999-01-01")
    csv = data_of("export", "Textile store", *archive, *stretch, "--out", tmp_path / "a.csv")
    assert csv["readings"] == taken["readings"]  # an instant with all its channels is one
    pdf = data_of("report", "Textile store", *archive, "--out", tmp_path / "a.pdf", *stretch)
    assert (tmp_path / "a.pdf").read_bytes().startswith(b"%PDF")
    assert pdf["readings"] == csv["readings"]
    verdict = data_of("verify", *archive)
    assert verdict["faults"] == []
    assert verdict["values"] == 2 * csv["readings"]


def test_not_kept_readings_have_an_exit_code_of_their_own(
    tmp_path: Path, start_standin: StartStandin
) -> None:
    archive = ("--archive", tmp_path)
    standin = start_standin("D-2041", anchor_ms=ANCHOR_MS)
    at = ("--at", str(standin.address))
    point = ("--point", "Alte Lotsenwacht · Textile store")
    run("launch", "D-2041", *archive, *at, *point, *TRUST)
    standin.order("time", ms=standin.order("state")["now_ms"] + 36_000_000)
    stopped = data_of("stop", "D-2041", *archive, *at)
    assert stopped == {"serial": "D-2041", "stopped": True}
    standin.order("fault", damage_blocks=[0, 1])
    failed = run("offload", "D-2041", *archive, *at, code=3)
    assert "D-2041: not everything was saved; offload again." in failed.stderr
    assert "Traceback" not in failed.output
    standin.order("fault", damage_blocks=None)
    run("launch", "D-2041", *archive, *at, *TRUST)  # fetches the rest by itself
    again = run("launch", "D-2041", *archive, *at, *TRUST, code=2)
    assert "is waiting for its first reading; launching again ends it before that." in again.stderr
    run("launch", "D-2041", *archive, *at, *TRUST, "--end-started", "another interval")


def test_one_meaning_of_the_archive_before_and_behind_the_command(tmp_path: Path) -> None:
    here, there = tmp_path / "here", tmp_path / "there"
    open_workspace(here).close()
    assert run("--archive", str(here), "list").output == "The archive is empty.\n"
    assert "There is no archive in" in run("--archive", str(there), "verify", code=2).stderr
    assert run("--archive", str(there), "list", "--archive", str(here)).exit_code == 0
    for command in (
        ("list",),
        ("verify",),
        ("export", "X"),
        ("report", "X"),
        ("vault", "export", "x"),
    ):
        assert "There is no archive in" in run(*command, "--archive", str(there), code=2).stderr
    run("find", "--at", "127.0.0.1:1", "--archive", str(there))
    assert not there.exists()  # what only reads makes none


def test_a_file_that_is_there_is_replaced_only_on_request(
    demo_desk: Workspace, tmp_path: Path
) -> None:
    out = tmp_path / "out.csv"
    archive = str(demo_desk.archive.folder)
    fortnight = ("--from", "2026-11-16", "--until", "2026-11-30")
    words = ("export", "Cold room A", "--archive", archive, "--out", str(out), *fortnight)
    run(*words)
    before = out.read_bytes()
    assert "already exists; give another name, or --replace." in run(*words, code=2).stderr
    assert out.read_bytes() == before
    run(*words, "--replace")


def test_waiting_for_another_program_is_said_and_ends(
    tmp_path: Path, start_standin: StartStandin
) -> None:
    """What came while the archive was locked lies in its folder and is taken in by the next act."""
    archive = tmp_path / "archive"
    standin = start_standin("D-2041", anchor_ms=ANCHOR_MS)
    at = ("--at", str(standin.address), "--archive", str(archive))
    run("launch", "D-2041", *at, "--point", "Alte Lotsenwacht · Textile store", *TRUST)
    standin.order("time", ms=standin.order("state")["now_ms"] + 36_000_000)
    desk, said = open_workspace(archive, limits=HASTY), []
    desk.archive.on_wait = said.append
    card = contact(desk, standin.address, "D-2041")
    other = sqlite3.connect(archive / "archive.db", isolation_level=None)
    with session_with(desk, standin.address) as (session, _):
        other.execute("BEGIN IMMEDIATE")
        with pytest.raises(ArchiveLockedError):
            offload_connected(desk, session, card)
    assert len(said) == 1  # once, and nothing else waited after it
    assert said[0].startswith("Waiting for another program that is writing to")
    other.execute("ROLLBACK")
    other.close()
    standin.kill()  # the logger is gone, what came is not
    assert recover_incoming(desk)[0].readings > 50
    desk.close()


def test_a_pin_is_used_once_and_written_nowhere(
    tmp_path: Path, start_standin: StartStandin
) -> None:
    archive = ("--archive", tmp_path / "archive")
    standin = start_standin("P-0330", anchor_ms=ANCHOR_MS)
    at = ("--at", str(standin.address), "--point", "Austernzucht Ost · Tank 2")
    failed = run("launch", "P-0330", *archive, *at, *TRUST, code=4)
    assert "P-0330 is locked" in failed.stderr
    failed = run("launch", "P-0330", *archive, *at, *TRUST, "--pin", "25", code=2)
    assert "four to nine digits" in failed.stderr
    run("launch", "P-0330", *archive, *at, *TRUST, "--pin", "2580")
    wrong = run("launch", "P-0330", *archive, *at, *TRUST, "--label", "0331", code=4)
    assert "The label ends in 0331" in wrong.stderr
    entries = json.loads(run("list", *archive, "--json").output)
    assert entries[0]["logger"] == "P-0330"
    with behind_its_back(tmp_path / "archive" / "archive.db") as raw:
        rows = raw.execute("SELECT sentence, details FROM logbook").fetchall()
    assert rows
    assert not any("2580" in sentence or ": 2580" in details for sentence, details in rows)


def test_errors_are_one_sentence_and_a_code(tmp_path: Path) -> None:
    archive = ("--archive", tmp_path)
    for words, code, said in (
        (("offload", "D-1", "--at", "127.0.0.1:1"), 4, "No logger answers at 127.0.0.1:1"),
        (("offload",), 2, "No logger named; give serials or --all."),
        (("export", "Nowhere"), 2, "There is no point “Nowhere”"),
        (("launch", "D-1", "--at", "nonsense"), 2, "is not an address; type it like"),
        (("find", "--at", "nonsense"), 2, "The network addresses cannot be read ("),
        (("find", "--at", "a:1-2-3"), 2, "type them like 127.0.0.1:15020-15039"),
    ):
        failed = run(*words, *archive, code=code)
        assert said in failed.stderr
        assert failed.stderr.count("\n") == 1


def test_a_touched_archive_fails_to_verify(demo_desk: Workspace, tmp_path: Path) -> None:
    folder = demo_desk.archive.folder
    demo_desk.close()
    victim = next((folder / "vault").rglob("*.mission"))
    victim.chmod(0o644)
    raw = bytearray(victim.read_bytes())
    raw[len(raw) // 2] ^= 1
    victim.write_bytes(raw)
    failed = run("verify", "--archive", folder, code=6)
    assert "was changed since it was saved" in failed.output


def test_what_somebody_changed_in_the_database_is_named_and_put_right(demo_desk: Workspace) -> None:
    folder = demo_desk.archive.folder
    demo_desk.close()
    with behind_its_back(folder / "archive.db") as raw:
        raw.execute("UPDATE point SET name = 'Cellar' WHERE name = 'Tank 2'")
        raw.execute("DELETE FROM kept_plan WHERE name = 'Museum store'")
    with behind_its_back(folder / "local.db") as raw:
        raw.execute("UPDATE excursion SET extreme = extreme + 1 WHERE id = 1")
    failed = run("verify", "--archive", folder, code=6)
    assert "gezeiten verify --rebuild updates them" in failed.output
    assert (
        "is in the logbook but missing from the tables; gezeiten verify --rebuild restores it."
    ) in failed.output
    assert "are not those of its record; gezeiten verify --rebuild updates them." in failed.output
    assert (
        "Everything is as it was saved." in run("verify", "--rebuild", "--archive", folder).output
    )
    quick = run("verify", "--quick", "--archive", folder).output
    assert "this was a quick verification" in quick
    refused = run("verify", "--read-again", "0" * 12, "--archive", folder, code=2)
    assert (
        "” matches no file of this archive, or several; type twelve digits of the fingerprint."
    ) in refused.output


def test_dates_are_the_sites(demo_desk: Workspace, tmp_path: Path) -> None:
    folder = demo_desk.archive.folder
    demo_desk.close()
    day = ("--from", "2026-11-20", "--until", "2026-11-21")
    first_kept = data_of("list", "--archive", folder)[7]["from"]
    assert first_kept.endswith("Z")
    result = CliRunner().invoke(
        main,
        ["export", "Cold room A", "--archive", str(folder), *day, "--out", str(tmp_path / "d.csv")],
    )
    if result.exit_code == 0:  # the day lies within the demonstration's seventy days
        lines = (tmp_path / "d.csv").read_text().splitlines()
        assert ",2026-11-19T23:00:00Z,2026-11-20T00:00:00+01:00," in lines[1]
        assert len(lines) == 1 + 288
    wrong = run("export", "Cold room A", "--archive", folder, "--from", "20.11.26", code=2)
    assert "type it like 2026-11-20 or with a time" in wrong.stderr


def test_it_runs_as_a_module() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "gezeiten", "standin", "list"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert len(done.stdout.splitlines()) == 13


def test_nothing_below_ui_imports_qt() -> None:
    """The command line's whole import tree, in a process of its own."""
    code = (
        "import sys, gezeiten.cli.main, gezeiten.report.pdf, gezeiten.standin.run;"
        "print([m for m in sys.modules if m.startswith(('PySide6', 'pyqtgraph'))])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_a_reader_that_goes_away_is_no_mistake(tmp_path: Path) -> None:
    """As with `gezeiten … | head -1`."""
    open_workspace(tmp_path).close()
    reading, writing = os.pipe()
    os.close(reading)
    command = [sys.executable, "-m", "gezeiten", "list", "--archive", str(tmp_path), "--json"]
    done = subprocess.run(command, stdout=writing, stderr=subprocess.PIPE, text=True, check=False)
    os.close(writing)
    assert done.stderr == ""
