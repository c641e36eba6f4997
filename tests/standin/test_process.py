"""Stand-ins as processes: they start, speed time up, end with their parent, and go on."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from gezeiten.errors import SurroundingsError
from gezeiten.link import registers as reg
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.session import LoggerSession
from gezeiten.standin.process import StandinProcess
from tests.conftest import ANCHOR_MS, STORE_PLAN, StartStandin


def test_time_runs_faster_when_told(start_standin: StartStandin) -> None:
    standin = start_standin("D-2041", base_ms=ANCHOR_MS, speed=5000.0)
    first = standin.order("state")["now_ms"]
    began = time.monotonic()
    second = first
    while second - first < 60_000 and time.monotonic() - began < 20:
        second = standin.order("state")["now_ms"]
    elapsed_ms = (time.monotonic() - began) * 1000
    assert second - first >= 60_000
    assert elapsed_ms < 60_000 / 2  # a minute passed in far less


def test_a_restart_goes_on_with_the_mission(tmp_path: Path, start_standin: StartStandin) -> None:
    state = tmp_path / "D-2041.json"
    standin = start_standin("D-2041", state_file=state, anchor_ms=ANCHOR_MS, base_ms=ANCHOR_MS)
    with ModbusTcp(standin.address) as line:
        session = LoggerSession(line)
        session.stage_plan(STORE_PLAN)
        session.command(reg.LoggerCommand.LAUNCH)
    standin.kill()
    later = ANCHOR_MS + 7_200_000
    again = start_standin("D-2041", state_file=state, base_ms=later)
    with ModbusTcp(again.address) as line:
        session = LoggerSession(line)
        assert session.plan() == STORE_PLAN
        assert session.state().readings in (11, 12)


def test_an_unknown_serial_does_not_start() -> None:
    with pytest.raises(SurroundingsError, match="X-1 did not start"):
        StandinProcess("X-1").wait_until_ready()


def test_it_ends_when_its_parent_dies(tmp_path: Path) -> None:
    script = (
        "from gezeiten.standin.process import StandinProcess; import os, time;"
        "p = StandinProcess('D-2041').wait_until_ready();"
        "print(p._process.pid, flush=True); time.sleep(60)"
    )
    parent = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    assert parent.stdout is not None
    child = int(parent.stdout.readline())
    parent.send_signal(signal.SIGKILL)
    parent.wait()
    parent.stdout.close()
    deadline = time.monotonic() + 10
    while _is_running(child) and time.monotonic() < deadline:
        os.sched_yield()
    assert not _is_running(child)


def _is_running(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().split()[2] != "Z"
    except OSError:
        return False
