"""Fixtures shared by all tests: series by hand, stand-ins as processes, archives built by them."""

from __future__ import annotations

import atexit
import gc
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, settings

from gezeiten.cli.demo import Demo
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.settings import Settings
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, make_series
from gezeiten.link.lines.address import TimeLimits
from gezeiten.standin.process import StandinProcess
from gezeiten.standin.simclock import SimClock
from tests.demo_cache import cached_demo
from tests.examples import HUNTS, examples
from tests.nursery import ForkedStandin
from tests.open_databases import watch

watch()

# What a user's computer remembers is the test run's own, in programs that tests start as well.
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="gezeiten-state-")


def _leave_no_state(folder: str, process: int) -> None:
    if os.getpid() == process:  # stand-ins are forked from this process, and end before it
        shutil.rmtree(folder, ignore_errors=True)


atexit.register(_leave_no_state, os.environ["XDG_STATE_HOME"], os.getpid())

# Speed is measured by `make bench`, never here: a busy machine must not fail a property.
# `make test` tries the same examples every time, so that it fails for a change and not by chance;
# `make hunt` tries new ones. What fails is not explained: that takes minutes of tracing.
settings.register_profile(
    "calm",
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
    max_examples=examples(30, 200),
    derandomize=not HUNTS,
    print_blob=True,
    phases=[phase for phase in Phase if phase is not Phase.explain],
)
settings.load_profile("calm")

DAY_MS = 86_400_000
ANCHOR_MS = 1_795_392_000_000  # 2026-11-23T00:00:00Z
DEMO_MS = ANCHOR_MS + 7 * DAY_MS + 9 * 3_600_000 + 1_200_000
"""When the demonstration is shown: what is found in it depends on the weekday, and what can be
proposed for its gaps on the hour of day they fall into."""
HASTY = TimeLimits(connect_s=5.0, answer_s=5.0)

AGAIN = {"begun": "the test wants it"}
"""The word for launching a logger whose mission has just begun."""

StartStandin = Callable[..., StandinProcess]


def series_of(
    minutes: list[float],
    values: list[float],
    interval_min: float = 10,
    estimated: tuple[int, ...] = (),
) -> Series:
    """Return a series with readings at minutes after the epoch."""
    times = np.array([round(m * 60_000) for m in minutes], np.int64)
    quality = np.full(len(minutes), Quality.GOOD, np.uint8)
    quality[list(estimated)] = Quality.ESTIMATE
    return make_series(times, np.array(values, float), round(interval_min * 60_000), quality)


@pytest.fixture(autouse=True)
def _rubbish_is_collected() -> Iterator[None]:
    """Where a window has turned automatic collection off, a test without one collects as well; and
    closed windows go now: the next test's would dress them once more, in seconds."""
    yield
    if not gc.isenabled():
        from PySide6.QtCore import QEvent
        from PySide6.QtWidgets import QApplication

        from gezeiten.ui.work.main_thread_gc import collect_due

        for window in QApplication.topLevelWidgets():
            if window.parent() is None:
                window.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        collect_due()


class Lab:
    """A desk and a stand-in that share one movable clock."""

    def __init__(self, folder: Path, start: StartStandin, serial: str, base_ms: float) -> None:
        self.clock = SimClock(base_ms, 0.0)  # stands until all is ready
        self.serial = serial
        self.standin = start(serial, anchor_ms=ANCHOR_MS, base_ms=base_ms)
        folder.mkdir(parents=True, exist_ok=True)
        self.desk = open_workspace(
            folder,
            zone="Europe/Berlin",
            now_ms=self.clock.now_ms,
            limits=HASTY,
            computer=TrustedClock(),
            pins=MemoryPins(),
        )
        self.desk.change_settings(
            Settings(addresses=str(self.standin.address), serial_ports="", person="JA")
        )
        self.go_to(base_ms)

    def go_to(self, at_ms: float) -> None:
        """Move the clock of both to an instant."""
        self.clock.set(at_ms, 1.0)
        self.standin.order("time", ms=self.clock.now_ms())

    def later(self, minutes: float) -> None:
        """Let time pass."""
        self.go_to(self.clock.now_ms() + minutes * 60_000)

    @property
    def address(self) -> object:
        return self.standin.address


@pytest.fixture
def start_standin() -> Iterator[StartStandin]:
    """Start stand-ins that end with the test."""
    running: list[StandinProcess] = []

    def start(serial: str, **options: object) -> StandinProcess:
        process = ForkedStandin(serial, **options).wait_until_ready()
        running.append(process)
        return process

    yield start
    for process in running:
        process.end()


@pytest.fixture
def lab(tmp_path: Path, start_standin: StartStandin) -> Iterator[Lab]:
    """A textile-store logger twenty days before the anchor, idle, and an empty archive."""
    made = Lab(tmp_path / "archive", start_standin, "D-2041", ANCHOR_MS - 20 * DAY_MS)
    yield made
    made.desk.close()


@pytest.fixture
def cold_lab(tmp_path: Path, start_standin: StartStandin) -> Iterator[Lab]:
    """Cold room A's logger five days before the anchor (its fuse trips 3.28 days before)."""
    made = Lab(tmp_path / "archive", start_standin, "R-1107", ANCHOR_MS - 5 * DAY_MS)
    yield made
    made.desk.close()


STORE_PLAN = Plan(
    ("air_temperature", "relative_humidity"),
    600,
    limits=(LimitRule("relative_humidity", "above", 60.0, 7200),),
    mission_name="Store",
    point_name="Alte Lotsenwacht · Textile store",
)
COLD_PLAN = Plan(
    ("probe_temperature", "room_temperature"),
    300,
    limits=(
        LimitRule("probe_temperature", "above", 7.0, 1800),
        LimitRule("probe_temperature", "below", 1.0, 1800),
    ),
    mission_name="Room A",
    point_name="Saatgutspeicher · Cold room A",
)


@pytest.fixture
def holed(lab: Lab) -> Lab:
    """A mission of five days whose second day arrived damaged; the plug is good again now."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(5 * 24 * 60)
    lab.standin.order("fault", damage_blocks=[1, 2])
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.standin.order("fault", damage_blocks=None)
    return lab


@pytest.fixture(scope="session")
def demo_clock() -> SimClock:
    """The clock of those who look at the demonstration."""
    return SimClock(DEMO_MS)


@pytest.fixture(scope="session")
def built_demo(tmp_path_factory: pytest.TempPathFactory, demo_clock: SimClock) -> Iterator[Demo]:
    """The demonstration as it was built last; its stand-ins run for the session."""
    demo = cached_demo(tmp_path_factory.mktemp("demo") / "demo", demo_clock, DEMO_MS)
    yield demo
    demo.close()


@pytest.fixture
def demo_desk(built_demo: Demo, demo_clock: SimClock, tmp_path: Path) -> Iterator[Workspace]:
    """A desk on a copy of the demonstration's archive; the stand-ins are shared, so look only."""
    shutil.copytree(built_demo.folder / "archive", tmp_path / "copy")
    desk = open_workspace(
        tmp_path / "copy", now_ms=demo_clock.now_ms, computer=TrustedClock(), pins=MemoryPins()
    )
    yield desk
    desk.close()


@pytest.fixture
def running(lab: Lab) -> Lab:
    """The textile store's logger with ten days recorded and nothing offloaded."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, {})
    lab.later(10 * 24 * 60)
    return lab
