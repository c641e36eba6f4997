"""Killed with SIGKILL while a record comes by drive, as text, or as a copy of a vault: what was
kept is whole, the rest comes the next time, the end is the same as without the kill."""

from __future__ import annotations

import random
import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.carriers.drives import DriveCard, import_from_drive, survey_drive
from gezeiten.desk.intake.carriers.vault_copy import hand_on, import_copy
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.link.files import drive
from gezeiten.link.files.drive import DriveSeen
from tests.conftest import STORE_PLAN, Lab
from tests.desk.intake.texts.test_text_files import tie_of

_BEGIN = """
import os, signal, sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.link.transfer import Watch
import gezeiten.link.transfer as transfer
import gezeiten.link.files.drive as drive
transfer._TELL_EVERY_S = -1.0
drive._CHUNK = 500
told = 0
def tell(progress):
    global told
    told += 1
    if told >= int(sys.argv[3]):
        os.kill(os.getpid(), signal.SIGKILL)
desk, source, watch = open_workspace(Path(sys.argv[1])), Path(sys.argv[2]), Watch(tell)
"""
_DRIVE = """
from gezeiten.desk.intake.carriers.drives import survey_drive, import_from_drive
from gezeiten.link.files.drive import DriveSeen
import_from_drive(desk, survey_drive(desk, DriveSeen(source, "stick")), watch=watch)
"""
_TEXT = """
from dataclasses import replace
from gezeiten.desk.intake.texts.import_templates import recognise_text, proposed_template
from gezeiten.desk.intake.texts.text_files import import_text
tie = proposed_template(recognise_text(desk, source), "Big")
import_text(desk, source, replace(tie, point="A · B"), watch)
"""
_COPY = """
from gezeiten.desk.intake.carriers import vault_copy
whole = vault_copy._copy_exactly
def half(source, raw, to, name):
    if told + 1 >= int(sys.argv[3]):
        with to.open("wb") as out:
            out.write(source.read(700))
            out.flush()
            os.kill(os.getpid(), signal.SIGKILL)
    whole(source, raw, to, name)
vault_copy._copy_exactly = half
vault_copy.import_copy(desk, source, watch)
"""


def killed(body: str, desk: Workspace, source: Path, after: int) -> None:
    command = [sys.executable, "-c", _BEGIN + body, str(desk.archive.folder), str(source)]
    done = subprocess.run([*command, str(after)], check=False)
    assert done.returncode == -signal.SIGKILL


@pytest.fixture
def store(lab: Lab) -> Lab:
    """Ten days of the textile store, on the logger only."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(10 * 24 * 60)
    return lab


def humidity(desk: Workspace) -> np.ndarray:
    return record(desk, point_named(desk, "Textile store").id, "relative_humidity").values


def look(lab: Lab, stick: Path) -> DriveCard:
    return survey_drive(lab.desk, DriveSeen(stick, "stick"))


def test_while_a_drive_is_read(store: Lab, tmp_path: Path) -> None:
    stick = tmp_path / "stick"
    store.standin.order("drive", folder=str(stick))
    for after in random.Random(7).sample(range(2, 11), 3):
        killed(_DRIVE, store.desk, stick, after)
        recover(store.desk)  # what had come is a file that was cut: its readings are kept
    [record_] = look(store, stick).records
    imported = import_from_drive(store.desk, look(store, stick))
    assert imported.error == ""
    assert len(humidity(store.desk)) == record_.readings
    raw = (stick / record_.key).read_bytes()
    whole = drive.read_small(stick / record_.key)
    assert raw == whole
    assert verify(store.desk).is_intact
    offload_logger(store.desk, store.standin.address, store.serial)
    assert len(humidity(store.desk)) == record_.readings  # the logger has no more than the drive


def test_while_a_text_is_taken(lab: Lab, tmp_path: Path) -> None:
    path = tmp_path / "big.csv"
    count = 400_000  # more than one piece of 8 MB
    lines = (f"{1_700_000_000 + i},{i % 50}.25,4{i % 10}0.5\n" for i in range(count))
    path.write_text("time,Temp (°C),CO2 (ppm)\n" + "".join(lines))
    killed(_TEXT, lab.desk, path, 1)
    assert verify(lab.desk).is_intact
    assert verify(lab.desk).offloads == 0  # as a whole or not at all
    recover(lab.desk)
    tie = tie_of(lab, path, "UTC")
    imported = import_text(lab.desk, path, tie)
    assert imported.readings == count
    again = proposed_template(recognise_text(lab.desk, path), "x")
    assert again.name == tie.name  # the kind is known now
    assert verify(lab.desk).is_intact


def test_while_a_copy_of_a_vault_is_taken_in(store: Lab, tmp_path: Path) -> None:
    for _ in range(3):
        offload_logger(store.desk, store.standin.address, store.serial)
        store.later(24 * 60)
    hand_on(store.desk, tmp_path / "vault.zip")
    other = open_workspace(tmp_path / "other")
    killed(_COPY, other, tmp_path / "vault.zip", 2)
    assert [path.suffix for path in other.archive.incoming.iterdir()] == [".copy"]
    recover(other)
    assert list(other.archive.incoming.iterdir()) == []
    brought = import_copy(other, tmp_path / "vault.zip")
    assert (brought.offloads + brought.already_stored, brought.refused) == (3, [])
    assert brought.already_stored >= 1
    np.testing.assert_array_equal(humidity(other), humidity(store.desk))
    assert verify(other).is_intact
    assert set(other.archive.vault.fingerprints()) == set(store.desk.archive.vault.fingerprints())
    other.close()
