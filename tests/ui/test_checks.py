"""What is read by hand, through the real window: a sheet for a site, doubts, the record tied."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.check_readings import checks_of
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, point_named
from gezeiten.ui.points.check_sheet import CheckSheet
from gezeiten.ui.points.checks_dialog import ChecksDialog
from gezeiten.ui.points.places_dialog import PlacesDialog
from gezeiten.ui.points.remarks_dialog import RemarksDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, press


@pytest.fixture
def creek(demo_desk: Workspace) -> PointPlace:
    return point_named(demo_desk, "Creek gauge")


def level_of(creek: PointPlace) -> str:
    return next(p.channel for p in creek.channels if p.channel.startswith("water_level"))


def sheet_at(window: MainWindow, qtbot: QtBot, creek: PointPlace) -> CheckSheet:
    window.show_place(places.TRENDS, creek.id)
    idle(qtbot, window)
    if QApplication.activeWindow() is window:
        press(window, "Ctrl+Shift+H")
    else:  # where no window manager runs none is active once a dialog is closed
        window.show_check_sheet()
    idle(qtbot, window)
    [made] = [
        one for one in QApplication.allWidgets() if isinstance(one, CheckSheet) and one.isVisible()
    ]
    return made


def test_dips_are_typed_on_a_sheet_doubted_and_entered(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace, creek: PointPlace
) -> None:
    made = sheet_at(window, qtbot, creek)
    assert made.site.currentText() == creek.site
    assert made.table.item(0, 1).text() == "Water level (calculated): dip to the water, m"
    assert not made.enter_button.isEnabled()
    before = checks_of(demo_desk, creek.id, level_of(creek))
    last = before[-1]
    made.at.show_instant(last.at_ms, creek.zone)
    assert last.dip_m is not None
    made.table.item(0, 2).setText(f"{last.dip_m * 100:.1f}")  # the tape was read in centimetres
    made.table.item(0, 7).setText("tape K-3")
    assert made.enter_button.text() == "Save 1 check reading"
    made.enter()
    idle(qtbot, window)
    assert "centimetres" in made.problem.text()
    assert made.enter_button.text() == "Save anyway"
    assert len(checks_of(demo_desk, creek.id, level_of(creek))) == len(before)
    made.table.item(0, 2).setText("gauge")
    made.enter()
    assert "is not a number" in made.problem.text()
    # the window is closed over it: what was typed is there again
    made.table.item(0, 2).setText(f"{last.dip_m:.3f}")
    made.reject()
    made = sheet_at(window, qtbot, creek)
    assert made.table.item(0, 7).text() == "tape K-3"
    made.at.show_instant(last.at_ms, creek.zone)
    made.table.item(0, 6).setText("25:61")
    made.enter()
    assert "is not a time" in made.problem.text()
    made.table.item(0, 6).setText("")
    made.enter()
    idle(qtbot, window)
    after = checks_of(demo_desk, creek.id, level_of(creek))
    assert len(after) == len(before) + 1
    assert [
        check_reading.value for check_reading in after if check_reading.at_ms == last.at_ms
    ] == pytest.approx([last.value] * 2)
    idle(qtbot, window)
    [lane] = [one for one in window.places[places.TRENDS].lanes if one.checks]
    assert len(lane.checks) == len(after)
    made = sheet_at(window, qtbot, creek)
    assert made.table.item(0, 7).text() == ""


def test_a_level_is_tied_to_its_dips(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace, creek: PointPlace
) -> None:
    """The demonstration's dips fit its record, up to 11 mm off; it is tied to them by a line."""
    key = level_of(creek)
    before = record(demo_desk, creek.id, key)
    dialog = ChecksDialog(window, window.context, creek, key)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    assert dialog.table.rowCount() == 6
    assert dialog.tried is not None
    assert dialog.tried.fit.knots[0][1] == pytest.approx(0.0045, abs=0.0005)
    assert "From 6 check readings" in dialog.figures.text()
    assert dialog.table.item(0, 4).text() != ""  # what it is off when left out
    dialog.way.setCurrentIndex(dialog.way.findData("line"))
    idle(qtbot, window)
    assert "drift" in dialog.figures.text()
    dialog.way.setCurrentIndex(dialog.way.findData("offset"))
    idle(qtbot, window)
    dialog.keep()
    idle(qtbot, window)
    assert "Enter a reason" in dialog.problem.text()
    dialog.words.setText("six dips of this autumn")
    dialog.keep()
    idle(qtbot, window)
    tied = record(demo_desk, creek.id, key)
    assert np.abs(before.values - tied.values).max() < 0.02
    first = float(dialog.table.item(0, 3).text().split(" ")[0])
    assert abs(first) < 0.02
    dialog.table.setCurrentCell(0, 0)
    dialog.withdraw()
    idle(qtbot, window)
    assert dialog.table.rowCount() == 5


def test_a_duty_that_was_not_met_says_when(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    dialog = ChecksDialog(window, window.context, point_named(demo_desk, "Cold room A"))
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    assert "Last four weeks: check schedule met on" in dialog.schedule_label.text()
    assert "(1/2)" in dialog.schedule_label.text()


def test_a_rim_that_was_cut_asks_whether_the_sensor_came_down_too(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace, creek: PointPlace
) -> None:
    dialog = PlacesDialog(window, window.context, creek.id)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    assert dialog.point_form.rim.text() == "3.2"
    dialog.point_form.rim.setText("3.20")
    dialog.point_form.checks.setText("2")
    dialog.save()
    idle(qtbot, window)
    assert window.message.text() == "Saved."
    dialog.point_form.rim.setText("3.08")
    dialog.save()
    idle(qtbot, window)
    assert "did the sensor move with it?" in window.message.text()


def test_from_the_board_to_the_point_in_hand(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace, creek: PointPlace
) -> None:
    window.show_place(places.TIDEBOARD)
    idle(qtbot, window)
    board = window.places[places.TIDEBOARD]
    assert board.point_in_hand() is not None
    window.show_checks()
    idle(qtbot, window)
    window.show_remarks()
    idle(qtbot, window)
    shown = [
        one
        for one in QApplication.allWidgets()
        if isinstance(one, ChecksDialog | RemarksDialog) and one.isVisible()
    ]
    assert {type(one) for one in shown} == {ChecksDialog, RemarksDialog}
    window.show_place(places.LOGBOOK)
    idle(qtbot, window)
    window.show_checks()
    assert window.message.text() == "Select a point first."
