"""Offloading into an archive: all of it, once, after cuts, kills and damage."""

from __future__ import annotations

import contextlib
import errno
import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger, recover_incoming
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.errors import DiskFullError, LoggerAwayError, LoggerBusyError, WrongLoggerError
from gezeiten.link.files.mission_blocks import FileChannel, encode_block
from gezeiten.link.files.mission_file import Header, encode_header
from gezeiten.link.transfer import INCOMING, Watch, lock_incoming
from tests.conftest import STORE_PLAN, Lab


@pytest.fixture
def running(lab: Lab) -> Lab:
    """A mission of ten days (1 440 readings of two channels)."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(10 * 24 * 60)
    return lab


def values(lab: Lab, channel: str = "relative_humidity") -> np.ndarray:
    point = point_named(lab.desk, "Textile store")
    return record(lab.desk, point.id, channel).values


def test_all_of_it_comes_and_the_next_time_only_what_is_new(running: Lab) -> None:
    first = offload_logger(running.desk, running.standin.address, running.serial)
    assert first.readings in (1440, 1441)
    again = offload_logger(running.desk, running.standin.address, running.serial)
    assert again.readings == 0
    running.later(60)
    rest = offload_logger(running.desk, running.standin.address, running.serial)
    assert rest.readings == 6
    assert len(values(running)) == first.readings + 6
    assert verify(running.desk).is_intact


def test_the_card_says_what_is_not_kept(running: Lab) -> None:
    card = contact(running.desk, running.standin.address, running.serial)
    assert card.readings_to_offload in (1440, 1441)
    assert card.point == "Alte Lotsenwacht · Textile store"
    offload_logger(running.desk, running.standin.address, running.serial)
    card = contact(running.desk, running.standin.address, running.serial)
    assert card.readings_to_offload == 0


def test_a_cut_is_told_and_the_next_contact_goes_on(running: Lab) -> None:
    running.standin.order("fault", vanish_after_bytes=6_000)
    cut = offload_logger(running.desk, running.standin.address, running.serial)
    assert (
        "was disconnected; readings received so far are saved, connect it again to continue."
    ) in cut.error
    offloaded = offload_logger(running.desk, running.standin.address, running.serial)
    assert offloaded.error == ""
    assert cut.readings + offloaded.readings in (1440, 1441)
    assert verify(running.desk).is_intact


@pytest.mark.parametrize("after", [3_000, 5_000, 6_500])
def test_cut_or_not_the_record_ends_the_same(running: Lab, tmp_path: Path, after: int) -> None:
    running.standin.order("fault", vanish_after_bytes=after)
    with contextlib.suppress(LoggerAwayError):  # cut before anything usable came
        offload_logger(running.desk, running.standin.address, running.serial)
    offload_logger(running.desk, running.standin.address, running.serial)
    in_pieces = values(running)
    workspace = open_workspace(tmp_path / "straight", now_ms=running.clock.now_ms)
    offload_logger(workspace, running.standin.address, running.serial)
    point = point_named(workspace, "Textile store")
    assert np.array_equal(record(workspace, point.id, "relative_humidity").values, in_pieces)
    workspace.close()


def test_damage_is_set_aside_named_and_fetched_when_it_can_be(running: Lab) -> None:
    running.standin.order("fault", damage_blocks=[2, 4])
    first = offload_logger(running.desk, running.standin.address, running.serial)
    assert first.damaged == 480
    [told] = logbook_entries(running.desk, action="offload")
    assert "480 readings damaged in transfer" in told.sentence
    running.standin.order("fault", damage_blocks=None)
    assert offload_logger(running.desk, running.standin.address, running.serial).readings == 480
    assert len(values(running)) in (1440, 1441)


def test_another_logger_at_the_address_changes_nothing(running: Lab) -> None:
    running.standin.order("fault", serial="D-2044")
    with pytest.raises(WrongLoggerError, match="D-2044 answers"):
        offload_logger(running.desk, running.standin.address, running.serial)
    entry = logbook_entries(running.desk)[0]
    assert (entry.act, entry.subject) == ("offload failed", "D-2041")
    assert verify(running.desk).offloads == 0


def test_a_logger_that_is_away_is_logged(running: Lab) -> None:
    address = running.standin.address
    running.standin.end()
    with pytest.raises(LoggerAwayError):
        offload_logger(running.desk, address, running.serial)
    assert logbook_entries(running.desk)[0].act == "offload failed"


def test_cancelling_is_told_and_loses_nothing(running: Lab) -> None:
    result = offload_logger(
        running.desk, running.standin.address, running.serial, Watch(cancelled=lambda: True)
    )
    assert result.error == "Offloading was cancelled; the readings received so far are saved."
    assert offload_logger(running.desk, running.standin.address, running.serial).error == ""
    assert len(values(running)) in (1440, 1441)


_KILLED = """
import os, sys, signal
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.link.lines.address import Address
from gezeiten.link.transfer import Watch
import gezeiten.link.transfer as transfer
transfer._TELL_EVERY_S = -1.0
def tell(progress):
    if progress.readings >= int(sys.argv[3]):
        os.kill(os.getpid(), signal.SIGKILL)
desk = open_workspace(Path(sys.argv[1]))
offload_logger(desk, Address("127.0.0.1", int(sys.argv[2])), "D-2041", Watch(tell))
"""


@pytest.mark.parametrize("at", [240, 720, 1200])
def test_killed_in_the_middle_it_goes_on_where_it_was(
    running: Lab, at: int, tmp_path: Path
) -> None:
    folder = running.desk.archive.folder
    port = str(running.standin.address.port)
    done = subprocess.run([sys.executable, "-c", _KILLED, str(folder), port, str(at)], check=False)
    assert done.returncode == -signal.SIGKILL
    assert list((folder / "incoming").glob("*.part"))
    [taken] = recover_incoming(running.desk)
    assert taken.readings == at
    assert list((folder / "incoming").iterdir()) == []
    rest = offload_logger(running.desk, running.standin.address, running.serial)
    assert rest.readings in (1440 - at, 1441 - at)
    verdict = verify(running.desk)
    assert verdict.is_intact
    assert verdict.offloads == 2
    assert len(values(running)) in (1440, 1441)


def test_two_programs_never_offload_one_mission_into_one_file(running: Lab) -> None:
    offloaded = offload_logger(running.desk, running.standin.address, running.serial)
    running.later(60)
    card = contact(running.desk, running.standin.address, running.serial)
    entry = card.directory[0]
    path = (
        running.desk.archive.incoming / f"D-2041-{entry.mission}-{entry.launched_ms}.network.part"
    )
    lock = lock_incoming(path)  # as another window holds it while it offloads
    assert lock is not None
    with pytest.raises(LoggerBusyError, match="by another window or program; wait for it"):
        offload_logger(running.desk, running.standin.address, running.serial)
    assert recover_incoming(running.desk) == []  # nor is its file taken away
    assert path.exists()
    os.close(lock)
    path.unlink()
    rest = offload_logger(running.desk, running.standin.address, running.serial)
    assert rest.readings == 6
    assert len(values(running)) == offloaded.readings + 6


def test_an_incoming_file_of_junk_is_put_aside(lab: Lab) -> None:
    path = lab.desk.archive.incoming / "X-1-1-1.part"
    path.write_bytes(b"half a header")
    assert recover_incoming(lab.desk) == []
    assert path.with_suffix(".unreadable").read_bytes() == b"half a header"


def test_a_file_whose_plan_makes_no_sense_does_not_keep_the_archive_shut(lab: Lab) -> None:
    channels = (FileChannel("air_temperature", "°C", "int16", 100, 0.0),)
    header = Header("D-2041", "Düne T2", "1", 1, 5, 1000, 60_000, channels, {"channels": 7})
    data = encode_header(header) + encode_block(channels, 0, [np.arange(20)])
    (lab.desk.archive.incoming / "odd.network.part").write_bytes(data)
    assert recover_incoming(lab.desk) == []
    assert (lab.desk.archive.incoming / "odd.network.unreadable").read_bytes() == data
    [entry] = logbook_entries(lab.desk, action="put aside")
    assert "odd.network.unreadable" in entry.sentence
    assert verify(lab.desk).is_intact


def test_an_incoming_file_that_was_taken_in_already_adds_nothing(running: Lab) -> None:
    offload_logger(running.desk, running.standin.address, running.serial)
    vault = running.desk.archive.vault
    [sha256] = vault.fingerprints()
    shutil.copy(vault.path(sha256), running.desk.archive.incoming / "D-2041-12-1.part")
    [taken] = recover_incoming(running.desk)
    assert taken.offload_id is None
    assert verify(running.desk).offloads == 1


def test_a_window_whose_disk_was_full_does_not_lock_itself_out(
    running: Lab, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = os.fsync

    def full(descriptor: int) -> None:
        if os.readlink(f"/proc/self/fd/{descriptor}").endswith(INCOMING):
            raise OSError(errno.ENOSPC, "No space left on device")
        real(descriptor)

    with monkeypatch.context() as patched:
        patched.setattr("gezeiten.link.offload.os.fsync", full)
        with pytest.raises(DiskFullError):
            offload_logger(running.desk, running.standin.address, running.serial)
    assert len(recover_incoming(running.desk)) == 1  # nobody holds the file any more
    assert offload_logger(running.desk, running.standin.address, running.serial).error == ""
    assert len(values(running)) in (1440, 1441)
    assert verify(running.desk).is_intact


def test_a_file_taken_in_between_opening_and_locking_is_not_written_to(tmp_path: Path) -> None:
    """Another process removes it in just that moment: the lock is on the file of that name."""
    path = tmp_path / "x.part"
    real = os.open
    removed: list[int] = []

    def late(name: str, *how: int) -> int:
        descriptor = real(name, *how)
        if not removed:
            removed.append(descriptor)
            path.unlink()
        return descriptor

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("gezeiten.link.transfer.os.open", late)
        lock = lock_incoming(path)
    assert lock is not None
    assert os.path.samestat(os.fstat(lock), path.stat())
    assert lock_incoming(path) is None
    os.close(lock)
