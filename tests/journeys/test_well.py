"""A well from two pressures to a level tied by three dips: its logger's clock stretched, a flood
gap filled, handed over; through the real window, checked by hand and by another library."""

from __future__ import annotations

from datetime import timedelta

import numpy as np
import pypdf
import pytest
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.office.issuing import export_pdf
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.statements.check_readings import checks_of, withdraw_check
from gezeiten.desk.record.statements.corrections import chain, withdraw_correction
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, point_named
from gezeiten.domain.series.timeline import DAY_MS, from_ms
from gezeiten.ui.mend.clock_dialog import ClockDialog
from gezeiten.ui.points.check_sheet import CheckSheet
from gezeiten.ui.points.checks_dialog import ChecksDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, open_window

PRESSURE = "water_pressure"
LENGTH_M = 4.62


@pytest.fixture
def window(qtbot: QtBot, demo_desk: Workspace) -> MainWindow:
    application()
    return open_window(qtbot, demo_desk)


@pytest.fixture
def creek(demo_desk: Workspace) -> PointPlace:
    """The creek gauge, at which nothing was read by hand yet, and nothing is tied."""
    point = point_named(demo_desk, "Creek gauge")
    level = level_of(demo_desk, point)
    for step in chain(demo_desk, point, level).corrections:
        withdraw_correction(demo_desk, point, step)
    for check in checks_of(demo_desk, point.id):
        withdraw_check(demo_desk, check)
    return point


def level_of(desk: Workspace, creek: PointPlace) -> str:
    return next(
        channel.channel for channel in creek.channels if channel.channel.startswith("water_level")
    )


def stretch_clock(window: MainWindow, qtbot: QtBot, creek: PointPlace) -> tuple[int, int]:
    """Put the clock right by its contacts; returns what it was ahead by at the last, and when."""
    dialog = ClockDialog(window, window.context, creek, PRESSURE)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    last = dialog.clock.reads[-1]
    dialog.words.setText("drift between launch and offloads")
    dialog.keep()
    idle(qtbot, window)
    assert "Shift" in dialog.now.text()
    dialog.accept()
    return last.shown_ms - last.true_ms, last.true_ms


def dip(window: MainWindow, qtbot: QtBot, creek: PointPlace, at_ms: int, dip_m: float) -> None:
    check_sheet = CheckSheet(window, window.context, creek.id)
    qtbot.addWidget(check_sheet)
    check_sheet.show()
    idle(qtbot, window)
    check_sheet.at.show_instant(at_ms, creek.zone)
    check_sheet.table.item(0, 2).setText(f"{dip_m:.3f}")
    check_sheet.enter()
    idle(qtbot, window)
    assert not check_sheet.isVisible(), check_sheet.problem.text()


def test_a_well_from_two_pressures_to_a_level_that_is_handed_over(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace, creek: PointPlace
) -> None:
    desk, level = demo_desk, level_of(demo_desk, creek)
    as_written = record(desk, creek.id, PRESSURE)

    # the clock first: everything else rests on its instants
    ahead_ms, read_ms = stretch_clock(window, qtbot, creek)
    assert ahead_ms > 1000
    moved = record(desk, creek.id, PRESSURE)
    assert moved.values.tobytes() == as_written.values.tobytes()
    last = int(np.searchsorted(moved.times_utc_ms, read_ms)) - 1
    assert as_written.times_utc_ms[last] - moved.times_utc_ms[last] == pytest.approx(
        ahead_ms, abs=200
    )

    # the flood took half a day of readings
    window.show_place(places.MEND)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    flood = next(gap for gap in gaps(desk, creek.id) if gap.state == "open")
    mend.show_target(flood.key)
    idle(qtbot, window)
    assert mend.model.method is not None
    mend.fill()
    idle(qtbot, window)
    filled = record(desk, creek.id, PRESSURE)
    assert filled.estimated.sum() == flood.gap.missing

    # three dips, each where the water stood then
    levels = record(desk, creek.id, level)
    measured = levels.subset(~levels.estimated)
    for part, off_m in ((0.2, 0.004), (0.5, -0.003), (0.9, 0.005)):
        at = int(len(measured) * part)
        at_ms = int(measured.times_utc_ms[at]) // 60_000 * 60_000
        stands_m = float(np.interp(at_ms, measured.times_utc_ms, measured.values))
        dip(window, qtbot, creek, at_ms, LENGTH_M - (stands_m + off_m))
    dialog = ChecksDialog(window, window.context, creek, level)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    assert dialog.table.rowCount() == 3
    dialog.words.setText("three dips of this autumn")
    dialog.keep()
    idle(qtbot, window)
    tied = record(desk, creek.id, level)
    assert (tied.values - levels.values) == pytest.approx(0.002, abs=0.004)
    assert tied.estimated.sum() == levels.estimated.sum() > 0

    # handed over, and read again by another library
    end_ms = int(tied.times_utc_ms[-1])
    path = export_pdf(desk, creek, (end_ms - 40 * DAY_MS, end_ms)).path
    text = " ".join("".join(page.extract_text() for page in pypdf.PdfReader(path).pages).split())
    for words in (
        "Check readings",
        "was corrected",
        "measured at contacts",
        "Fitted to check readings",
        "three dips of this autumn",
        "estimated",
    ):
        assert words in text, words
    day = from_ms(int(flood.gap.start_ms), creek.zone)
    assert f"{day:%Y-%m-%d}" in text or f"{day + timedelta(days=1):%Y-%m-%d}" in text
    assert verify(desk).faults == []
