"""Two programs on one archive, a laptop that sleeps meanwhile: nothing doubled, nothing lost."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.intake.live import LiveNews, Recorder
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.errors import LoggerBusyError
from gezeiten.link.transfer import Progress, Watch
from tests.conftest import STORE_PLAN, Lab, StartStandin
from tests.desk.intake.test_live import StartInstrument, live_plan, start_instrument
from tests.desk.intake.texts.test_text_files import POINT, station, tie_of

__all__ = ["start_instrument"]  # a fixture

WAIT_S = 60.0


@pytest.fixture
def other(lab: Lab) -> Workspace:
    """A second window's desk on the lab's archive."""
    return open_workspace(
        lab.desk.archive.folder, now_ms=lab.clock.now_ms, computer=TrustedClock(), pins=MemoryPins()
    )


def test_the_same_text_taken_by_two_windows_is_kept_once(
    lab: Lab, other: Workspace, tmp_path: Path
) -> None:
    path = station(tmp_path / "weather.txt", 4_000)
    tie = tie_of(lab, path)
    begin = threading.Barrier(2, timeout=WAIT_S)
    brought: list[int] = []

    def take(desk: Workspace) -> None:
        begin.wait()
        brought.append(import_text(desk, path, tie).readings)

    both = [threading.Thread(target=take, args=(desk,)) for desk in (lab.desk, other)]
    for one in both:
        one.start()
    for one in both:
        one.join(WAIT_S)
    assert sorted(brought) == [0, 4_000]
    series = record(lab.desk, point_named(lab.desk, POINT).id, "air_temperature")
    assert len(series) == 4_000
    assert bool((np.diff(series.times_utc_ms) > 0).all())
    assert verify(lab.desk).is_intact
    other.close()


def test_texts_that_overlap_are_joined_whichever_window_is_first(
    lab: Lab, other: Workspace, tmp_path: Path
) -> None:
    early = station(tmp_path / "early.txt", 3_000)
    late = station(tmp_path / "late.txt", 3_000, start=2_000)
    tie = tie_of(lab, early)
    begin = threading.Barrier(2, timeout=WAIT_S)
    brought: list[int] = []

    def take(desk: Workspace, path: Path) -> None:
        begin.wait()
        brought.append(import_text(desk, path, tie).readings)

    both = [threading.Thread(target=take, args=pair) for pair in ((lab.desk, early), (other, late))]
    for one in both:
        one.start()
    for one in both:
        one.join(WAIT_S)
    assert sorted(brought) == [2_000, 3_000]
    assert len(record(lab.desk, point_named(lab.desk, POINT).id, "air_temperature")) == 5_000
    assert verify(lab.desk).is_intact
    other.close()


def test_a_second_window_does_not_disturb_a_live_line(
    lab: Lab, other: Workspace, start_instrument: StartInstrument
) -> None:
    port = start_instrument("lines", "--every", "0.2")
    plan = live_plan("lines", port, stop_after=3)
    news: list[LiveNews] = []
    second: list[LiveNews] = []
    first_reading, enough = threading.Event(), threading.Event()

    def tell(one: LiveNews) -> None:
        news.append(one)
        if one.kind == "reading":
            first_reading.set()

    recording = threading.Thread(target=Recorder(lab.desk, plan, tell, lambda: False).run)
    recording.start()
    assert first_reading.wait(WAIT_S)

    def told(one: LiveNews) -> None:
        second.append(one)
        enough.set()

    assert Recorder(other, plan, told, enough.is_set).run() == 0
    assert recover(other).imported == 0  # opening the archive elsewhere leaves the journal alone
    recording.join(WAIT_S)
    assert second[0].kind == "away"
    assert "in use" in second[0].text
    assert not any(live_news.kind == "away" for live_news in news)
    point = point_named(lab.desk, plan.point)
    assert len(record(lab.desk, point.id, "air_temperature")) == 3
    assert verify(lab.desk).is_intact
    other.close()


def test_two_windows_offload_different_loggers_at_once(
    lab: Lab, other: Workspace, start_standin: StartStandin
) -> None:
    tower = start_standin("D-2038", base_ms=lab.clock.now_ms())
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    place = "Alte Lotsenwacht · Tower attic"
    launch(lab.desk, tower.address, "D-2038", replace(STORE_PLAN, point_name=place))
    lab.later(5 * 24 * 60)
    tower.order("time", ms=lab.clock.now_ms())
    began = threading.Event()

    def tell(_progress: Progress) -> None:
        began.set()

    done: list[int] = []
    first = threading.Thread(
        target=lambda: done.append(
            offload_logger(lab.desk, lab.standin.address, lab.serial, Watch(tell)).readings
        )
    )
    first.start()
    done.append(offload_logger(other, tower.address, "D-2038").readings)
    first.join(WAIT_S)
    assert began.is_set()
    assert all(count in (720, 721) for count in done)
    assert verify(lab.desk).is_intact
    other.close()


_SLEEPS = """
import sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.link.lines.address import Address, TimeLimits
from gezeiten.link.transfer import Watch
import gezeiten.link.transfer as transfer
transfer._TELL_EVERY_S = -1.0
said = []
def tell(progress):
    if progress.readings >= 480 and not said:
        said.append(1)
        print("asleep", flush=True)
        sys.stdin.readline()
desk = open_workspace(Path(sys.argv[1]), limits=TimeLimits(connect_s=2.0, answer_s=2.0))
done = offload_logger(desk, Address("127.0.0.1", int(sys.argv[2])), "D-2041", Watch(tell))
print(done.readings, done.error, flush=True)
"""


def test_a_laptop_that_slept_goes_on_where_it_was(lab: Lab) -> None:
    """The process is stopped as by sleep; meanwhile the logger drops the dead connection."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(10 * 24 * 60)
    command = [
        sys.executable,
        "-c",
        _SLEEPS,
        str(lab.desk.archive.folder),
        str(lab.standin.address.port),
    ]
    laptop = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert laptop.stdout is not None
    assert laptop.stdin is not None
    assert laptop.stdout.readline() == "asleep\n"
    os.kill(laptop.pid, signal.SIGSTOP)
    assert recover(lab.desk).imported == 0  # its incoming file is locked: nobody takes it away
    with pytest.raises(LoggerBusyError):
        offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.standin.order("fault", vanish_after_bytes=0, away_connections=0)
    lab.later(8 * 60)  # the night
    os.kill(laptop.pid, signal.SIGCONT)
    laptop.stdin.write("\n")
    laptop.stdin.close()
    readings, _, error = laptop.stdout.readline().partition(" ")
    laptop.wait(WAIT_S)
    laptop.stdout.close()
    assert int(readings) >= 480
    lab.standin.order("fault", vanish_after_bytes=None)
    rest = offload_logger(lab.desk, lab.standin.address, lab.serial)
    assert rest.error == ""
    point = point_named(lab.desk, "Textile store")
    series = record(lab.desk, point.id, "relative_humidity")
    assert len(series) == int(readings) + rest.readings
    assert set(np.diff(series.times_utc_ms).tolist()) == {600_000}
    assert error.strip() == "" or logbook_entries(lab.desk, action="offload")
    assert verify(lab.desk).is_intact
