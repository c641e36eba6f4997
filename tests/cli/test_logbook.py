"""The logbook at the command line, in the program itself."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from click.testing import CliRunner

from gezeiten.cli.main import main
from gezeiten.desk.base.workspace import Workspace


def run(desk: Workspace, *words: str) -> str:
    command = ["logbook", "--archive", str(desk.archive.folder), *words]
    done = CliRunner().invoke(main, command)
    assert done.exit_code == 0, done.output
    return done.output


@pytest.mark.parametrize(
    ("asked", "acts"),
    [
        (("--about", "D-2041", "--kind", "launch"), {"launch"}),
        (("--about", "Krabbenkoog", "damaged"), {"offload"}),
        (("--about", "Piezometer K2", "--user", "nobody"), set()),
        (("--until", "2000-01-01"), set()),
    ],
)
def test_entries_are_found(demo_desk: Workspace, asked: tuple[str, ...], acts: set[str]) -> None:
    listed = json.loads(run(demo_desk, *asked, "--json"))
    assert {entry["act"] for entry in listed} == acts


def test_entries_are_written_and_a_head_compared(demo_desk: Workspace, tmp_path: Path) -> None:
    out = tmp_path / "all.jsonl"
    said = run(demo_desk, "--out", str(out))
    lines = [json.loads(line) for line in out.read_text().splitlines()]
    assert f"{len(lines)} entries written" in said
    assert "That is entry 3 of" in run(demo_desk, "--compare", lines[2]["hash"])
    (tmp_path / "note.txt").write_text(f"head: {lines[4]['hash'][:20]}")
    assert "That is entry 5 of" in run(demo_desk, "--compare", str(tmp_path / "note.txt"))


def test_an_archive_is_checked_without_being_changed(demo_desk: Workspace) -> None:
    folder = demo_desk.archive.folder
    demo_desk.close()
    for path in folder.glob("archive.db*"):
        path.unlink()
    command = ["verify", "--archive", str(folder), "--read-only"]
    done = CliRunner().invoke(main, command)
    assert (done.exit_code, "Everything is as it was saved." in done.output) == (0, True)
    assert not list(folder.glob("archive.db*"))
    refused = CliRunner().invoke(main, [*command, "--rebuild"])
    assert refused.exit_code == 2
