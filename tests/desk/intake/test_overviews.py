"""Overviews at the desk: kept beside the readings, drawn only where these are missing, verified."""

from __future__ import annotations

import itertools
import os
import signal
import subprocess
import sys

import numpy as np
import pytest

from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.overviews import (
    ImportedOverview,
    OverviewLine,
    offload_overview,
    overview_lines,
)
from gezeiten.desk.intake.recovery import recover
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import extent, record
from gezeiten.desk.sites.places import points
from gezeiten.domain.series.drawing.thinning import ThinKind, Thinning
from gezeiten.errors import ArchiveDamagedError, GezeitenError
from gezeiten.link.transfer import UNWATCHED, Watch
from tests.conftest import COLD_PLAN, Lab

TEMP = "probe_temperature"
NTH, MEANS = ThinKind.NTH, ThinKind.MEANS


@pytest.fixture
def cold(cold_lab: Lab) -> Lab:
    """Cold room A, launched five days ago; its fuse has tripped on the way."""
    launch(cold_lab.desk, cold_lab.standin.address, cold_lab.serial, COLD_PLAN)
    cold_lab.later(4 * 24 * 60)
    return cold_lab


def come(lab: Lab, thinning: Thinning, watch: Watch = UNWATCHED) -> ImportedOverview:
    return offload_overview(
        lab.desk, lab.standin.address, lab.serial, mission_of(lab), thinning, watch
    )


def mission_of(lab: Lab) -> int:
    return contact(lab.desk, lab.standin.address, lab.serial).state.mission_number


def lines(lab: Lab, channel: str = TEMP) -> list[OverviewLine]:
    [point] = points(lab.desk)
    return overview_lines(lab.desk, point.id, channel)


def drawn(line: OverviewLine) -> int:
    return int(np.isfinite(line.values).sum())


def test_an_overview_is_seen_and_adds_no_reading(cold: Lab) -> None:
    before = contact(cold.desk, cold.standin.address, cold.serial).readings_to_offload
    came = come(cold, Thinning(MEANS, 12, 0, 1152))
    assert (came.values, came.readings, came.error) == (96, 1152, "")
    assert contact(cold.desk, cold.standin.address, cold.serial).readings_to_offload == before
    [point] = points(cold.desk)
    assert extent(cold.desk, point.id, [TEMP]) is None
    assert gaps(cold.desk, point.id) == []
    [line] = lines(cold)
    assert drawn(line) == 96
    # the fuse: the store was warmer than its limit, and means alone would show less of it
    lows = {key: (low, high) for key, low, high in came.extremes}
    assert lows[TEMP][1] > 7.0
    assert lows[TEMP][1] > np.nanmax(line.values)
    assert came.outside > 0
    [entry] = logbook_entries(cold.desk, action="overview")
    assert "still to offload" in entry.sentence
    assert verify(cold.desk).is_intact


def test_where_readings_are_kept_the_overview_makes_room(cold: Lab) -> None:
    come(cold, Thinning(NTH, 10, 0, 1100))
    offload_logger(
        cold.desk, cold.standin.address, cold.serial, only={mission_of(cold): [(240, 480)]}
    )
    [line] = lines(cold)
    hidden = ~np.isfinite(line.values)
    assert hidden.nonzero()[0].tolist() == list(range(24, 48))
    offload_logger(cold.desk, cold.standin.address, cold.serial)
    assert lines(cold) == []
    [point] = points(cold.desk)
    series = record(cold.desk, point.id, TEMP)
    at = np.searchsorted(series.times_utc_ms, line.times_utc_ms)
    shown = np.isfinite(line.values)
    assert np.array_equal(series.times_utc_ms[at], line.times_utc_ms)
    assert np.array_equal(series.values[at][shown], line.values[shown])


def test_of_two_overviews_the_latest_shows(cold: Lab) -> None:
    come(cold, Thinning(NTH, 100, 0, 1100))
    come(cold, Thinning(MEANS, 10, 500, 700))
    newest, older = lines(cold)
    assert (newest.kind, drawn(newest)) == (MEANS, 20)
    assert (older.kind, drawn(older)) == (NTH, 9)  # the groups of 500 and 600 are covered
    assert newest.lows is not None
    assert bool((newest.lows <= newest.values + 0.01).all())


def test_stopped_in_the_middle_what_came_is_kept(cold: Lab) -> None:
    asked = itertools.count()
    stopping = Watch(cancelled=lambda: next(asked) >= 8)  # in the second of three blocks
    came = come(cold, Thinning(NTH, 2, 0, 1152), stopping)
    assert came.error == "Offloading was cancelled; the readings received so far are saved."
    assert came.values == 240
    [line] = lines(cold)
    assert drawn(line) == came.values


_KILLED = """
import os, signal, sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.intake.overviews import offload_overview
from gezeiten.domain.series.drawing.thinning import ThinKind, Thinning
from gezeiten.link.lines.address import Address
from gezeiten.link.transfer import Watch
import gezeiten.link.transfer as transfer
transfer._TELL_EVERY_S = -1.0
def tell(progress):
    if progress.readings >= 240:
        os.kill(os.getpid(), signal.SIGKILL)
desk = open_workspace(Path(sys.argv[1]))
offload_overview(desk, Address("127.0.0.1", int(sys.argv[2])), "R-1107", int(sys.argv[3]),
                 Thinning(ThinKind.NTH, 2, 0, 1152), Watch(tell))
"""


def test_killed_in_the_middle_what_came_is_taken_in_at_the_next_start(cold: Lab) -> None:
    folder, address = cold.desk.archive.folder, cold.standin.address
    command = [sys.executable, "-c", _KILLED, str(folder), str(address.port), str(mission_of(cold))]
    assert subprocess.run(command, check=False).returncode == -signal.SIGKILL
    assert lines_or_none(cold) == 0
    assert recover(cold.desk).imported == 1
    assert os.listdir(cold.desk.archive.incoming) == []
    [line] = lines(cold)
    assert drawn(line) == 240
    assert recover(cold.desk).imported == 0


def lines_or_none(lab: Lab) -> int:
    return sum(len(overview_lines(lab.desk, point.id, TEMP)) for point in points(lab.desk))


def test_a_logger_that_goes_away_is_said_and_logged(cold: Lab) -> None:
    mission, thinning = mission_of(cold), Thinning(NTH, 2, 0, 1152)
    cold.standin.order("fault", vanish_after_bytes=900, away_connections=9)
    with pytest.raises(GezeitenError):
        offload_overview(cold.desk, cold.standin.address, cold.serial, mission, thinning)
    assert [row.subject for row in logbook_entries(cold.desk, action="overview failed")] == [
        "R-1107"
    ]


def test_an_overview_that_was_changed_is_found_by_verify(cold: Lab) -> None:
    come(cold, Thinning(NTH, 10, 0, 1100))
    [sha256] = cold.desk.archive.overviews.fingerprints()
    path = cold.desk.archive.overviews.path(sha256)
    path.chmod(0o644)
    path.write_bytes(path.read_bytes().replace(b"R-1107", b"R-1108"))
    verdict = verify(cold.desk)
    assert not verdict.is_intact
    assert sha256[:12] in verdict.faults[0]
    cold.desk.overviews.clear()
    with pytest.raises(ArchiveDamagedError):
        lines(cold)
