"""Transfers: whole, in part, cut at many places, damaged, cancelled."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from gezeiten.errors import CancelledError, LoggerAwayError
from gezeiten.link import registers as reg
from gezeiten.link.files.mission_file import decode_mission_file
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.offload import Transfer, needed_blocks, offload
from gezeiten.link.session import LoggerSession
from gezeiten.link.transfer import Progress, Watch
from tests.conftest import HASTY, STORE_PLAN, Lab


@pytest.fixture
def logging_lab(lab: Lab) -> Lab:
    """The lab's logger with five days of readings."""
    with ModbusTcp(lab.standin.address) as line:
        session = LoggerSession(line)
        session.stage_plan(STORE_PLAN)
        session.command(reg.LoggerCommand.LAUNCH)
    lab.later(5 * 24 * 60)
    return lab


def take(lab: Lab, folder: Path, watch: Watch | None = None, **what: object) -> Transfer:
    with ModbusTcp(lab.standin.address, HASTY) as line:
        session = LoggerSession(line)
        [entry] = session.directory()
        wanted = what.get("wanted", [entry.numbers_in_memory])
        transfer = offload(session, entry, wanted, folder, watch or Watch())  # type: ignore[arg-type]
        transfer.release()
        return transfer


def test_everything_comes_and_reads_back(logging_lab: Lab, tmp_path: Path) -> None:
    progress: list[Progress] = []
    transfer = take(logging_lab, tmp_path, Watch(progress.append))
    file = decode_mission_file(transfer.path.read_bytes())
    assert transfer.error is None
    assert file.header.serial == "D-2041"
    [(first, end)] = file.ranges
    assert first == 0
    assert end in (720, 721)
    assert file.trailer is not None
    assert file.events[0][1] == "launched"
    assert progress[-1].readings == progress[-1].of_readings
    assert progress[-1].bytes_per_s > 0
    times, (temp, humidity) = file.readings((0, 700))
    assert np.all(np.diff(times) == 600_000)
    assert np.isfinite(temp).all()
    assert np.isfinite(humidity).all()


def test_a_part_is_a_part(logging_lab: Lab, tmp_path: Path) -> None:
    transfer = take(logging_lab, tmp_path, wanted=[(300, 310)])
    assert transfer.received == [(240, 480)]
    assert decode_mission_file(transfer.path.read_bytes()).ranges == [(240, 480)]


def test_wanted_blocks_are_those_that_hold_a_wanted_reading() -> None:
    assert needed_blocks([(0, 1)], (0, 1000)) == [range(1)]
    assert needed_blocks([(239, 241)], (0, 1000)) == [range(2)]
    assert needed_blocks([(0, 1000)], (480, 500)) == [range(2, 3)]
    assert needed_blocks([(0, 9), (700, 701), (240, 300)], (0, 1000)) == [range(3)]
    assert needed_blocks([(0, 2**31)], (0, 2**31)) == [range(-(-(2**31) // 240))]
    assert needed_blocks([(0, 10)], (480, 500)) == []


@pytest.mark.parametrize("after", [60, 700, 1_600, 2_400, 2_700])
def test_a_cut_keeps_what_came(logging_lab: Lab, tmp_path: Path, after: int) -> None:
    mission_file = decode_mission_file(take(logging_lab, tmp_path).path.read_bytes())
    with ModbusTcp(logging_lab.standin.address, HASTY) as line:
        session = LoggerSession(line)
        [entry] = session.directory()
        logging_lab.standin.order("fault", vanish_after_bytes=entry.header_bytes + 60 + after)
        transfer = offload(session, entry, [entry.numbers_in_memory], tmp_path)
        transfer.release()
    assert isinstance(transfer.error, LoggerAwayError)
    part = decode_mission_file(transfer.path.read_bytes())
    assert part.damaged == []
    assert part.trailer is None
    for block in part.blocks:
        same = next(b for b in mission_file.blocks if b.first == block.first)
        n = min(len(same.counts[0]), len(block.counts[0]))
        assert np.array_equal(same.counts[0][:n], block.counts[0][:n])


def test_cancelling_keeps_what_came(logging_lab: Lab, tmp_path: Path) -> None:
    asked = iter([False] + [True] * 100)
    watch = Watch(cancelled=lambda: next(asked))
    transfer = take(logging_lab, tmp_path, watch)
    # five days are four blocks, one batch: the second question comes too late to stop anything
    assert transfer.error is None or isinstance(transfer.error, CancelledError)
    stopped = take(logging_lab, tmp_path, Watch(cancelled=lambda: True))
    assert isinstance(stopped.error, CancelledError)
    assert stopped.received == []


def test_damaged_blocks_are_asked_for_again_then_set_aside(
    logging_lab: Lab, tmp_path: Path
) -> None:
    logging_lab.standin.order("fault", damage_blocks=[1, 2])
    transfer = take(logging_lab, tmp_path)
    assert transfer.error is None
    assert transfer.damaged == [(240, 480)]
    assert decode_mission_file(transfer.path.read_bytes()).ranges[0] == (0, 240)
    logging_lab.standin.order("fault", damage_blocks=None)
    again = take(logging_lab, tmp_path, wanted=transfer.damaged)
    assert again.received == [(240, 480)]


def test_logging_goes_on_while_it_is_read(logging_lab: Lab, tmp_path: Path) -> None:
    before = logging_lab.standin.order("state")["readings"]
    logging_lab.later(30)
    take(logging_lab, tmp_path)
    assert logging_lab.standin.order("state")["readings"] >= before + 3
