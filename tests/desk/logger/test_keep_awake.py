"""Keeping the computer awake: an inhibitor runs as long as the work, and ends with it."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from gezeiten.desk.logger.keep_awake import prevent_sleep

_TOOL = """#!/bin/sh
echo "$@" > "{log}"
cat
echo ended >> "{log}"
"""


@pytest.fixture
def log(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A power service of our own that writes down what it was asked for."""
    tool = tmp_path / "systemd-inhibit"
    file = tmp_path / "log"
    tool.write_text(_TOOL.format(log=file))
    tool.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}{os.pathsep}{os.environ['PATH']}")
    return file


def test_the_inhibitor_ends_with_the_work(log: Path) -> None:
    with prevent_sleep("Offloading") as works:
        assert works
    text = log.read_text()
    assert "--what=sleep:idle" in text
    assert "--why=Offloading" in text
    assert text.endswith("ended\n")


def test_it_ends_when_the_work_fails(log: Path) -> None:
    with pytest.raises(ValueError, match="cut"), prevent_sleep("Offloading"):
        raise ValueError("cut")
    assert log.read_text().endswith("ended\n")


def test_without_wish_or_tool_work_goes_on(log: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with prevent_sleep("Offloading", wanted=False) as works:
        assert not works
    assert not log.exists()
    monkeypatch.setenv("PATH", "")
    with prevent_sleep("Offloading") as works:
        assert not works
