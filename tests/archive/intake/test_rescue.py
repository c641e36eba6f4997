"""Bytes that were lost before readings were made from them: what the database had stays."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest

from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from tests.archive.test_golden import FOLDER, unpacked
from tests.databases import behind_its_back
from tests.golden import golden, opened


@pytest.fixture
def bereft(tmp_path: Path) -> Path:
    """An archive of 0007 whose largest mission file is gone, and whose only text is."""
    folder = unpacked("0007", tmp_path)
    files = sorted((folder / "vault").rglob("*.mission"), key=lambda path: path.stat().st_size)
    with behind_its_back(folder / "archive.db") as raw:
        query = "SELECT sha256 FROM offload WHERE reading IS NOT NULL ORDER BY id LIMIT 1"
        [text] = raw.execute(query).fetchone()
    for path in (files[-1], *(p for p in files if p.stem == text)):
        path.unlink()
    return folder


def test_readings_of_lost_bytes_are_kept_as_bytes_of_their_own(bereft: Path) -> None:
    wanted = json.loads((FOLDER / "0007.json").read_text())["records"]
    desk = opened(bereft)
    assert golden(desk)["records"] == wanted
    told = [
        logbook_entry
        for logbook_entry in logbook_entries(desk)
        if logbook_entry.details["kind"] == "readings rescued"
    ]
    assert len(told) == 2
    faults = verify(desk).faults
    assert len(faults) == 2
    assert all(
        "is lost; the readings made from it are kept instead. Import a vault copy that has it."
        in fault
        for fault in faults
    )
    desk.close()
    for path in bereft.glob("*.db*"):
        path.unlink()
    again = opened(bereft)  # logbook, vault and what was rescued are enough
    assert golden(again)["records"] == wanted
    again.close()


def test_bytes_that_come_back_are_read_again(bereft: Path, tmp_path: Path) -> None:
    opened(bereft).close()
    shutil.rmtree(bereft / "vault")
    whole = unpacked("0007", tmp_path / "whole")
    shutil.copytree(whole / "vault", bereft / "vault")
    desk = opened(bereft)
    assert verify(desk).is_intact
    desk.close()
