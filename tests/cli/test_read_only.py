"""An archive that cannot be written is said to be so before anything is begun; what only looks
works there."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from gezeiten.cli import whereabouts
from gezeiten.desk.base.workspace import TrustedClock
from gezeiten.desk.open_workspace import open_workspace
from tests.cli.test_main import run


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """An archive that this account may not write, also where it is the computer's own."""
    open_workspace(tmp_path / "a", computer=TrustedClock()).close()
    may = os.access

    def access(path: Path, mode: int) -> bool:
        return may(path, mode) and not (mode == os.W_OK and tmp_path in Path(path).parents)

    monkeypatch.setattr(whereabouts.os, "access", access)
    return tmp_path / "a"


@pytest.mark.parametrize(
    "words",
    [
        ("offload", "D-1", "--at", "127.0.0.1:1"),
        ("import", __file__),
        ("stop", "D-1"),
        ("users", "--erase", "JA"),
        ("verify", "--rebuild"),
    ],
)
def test_what_writes_says_so_at_once(folder: Path, words: tuple[str, ...]) -> None:
    said = run(*words, "--archive", folder, code=5).stderr
    assert "cannot be written, so no archive was created" in said


@pytest.mark.parametrize("words", [("list",), ("verify",), ("find", "--at", "127.0.0.1:1")])
def test_what_looks_works(folder: Path, words: tuple[str, ...]) -> None:
    run(*words, "--archive", folder)
