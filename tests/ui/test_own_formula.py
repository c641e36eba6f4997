"""A formula of somebody's own, typed in the real window, and what becomes of it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.record.statements.calculated_series import formula_texts
from gezeiten.desk.record.views.record_view import ALWAYS
from gezeiten.desk.record.views.records import record, uncorrected
from gezeiten.desk.sites.places import point_named
from gezeiten.ui.points.calculated_dialog import CalculatedDialog
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, type_into


def test_a_level_by_a_formula_of_ones_own_is_that_of_the_program(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    creek = point_named(demo_desk, "Creek gauge")
    dialog = CalculatedDialog(window, window.context, creek)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.formula.setCurrentIndex(dialog.formula.count() - 1)
    assert dialog.is_own
    for typed, why in (("a -", "cannot be read"), ("a + c", "from a on"), ("(a", "cannot be read")):
        dialog.expression.setText(typed)
        dialog.expression.editingFinished.emit()
        assert why in dialog.problem.text()
        assert not dialog.add_button.isEnabled()
    dialog.expression.setText("(a - b) / (9.80665[m/s2] * 1018[kg/m3])")
    dialog.expression.editingFinished.emit()
    air = next(
        i
        for i in range(dialog.inputs[1].count())
        if dialog.inputs[1].itemText(i).startswith("Air pressure")
    )
    dialog.inputs[1].setCurrentIndex(air)
    dialog.comes_out.setCurrentIndex(dialog.comes_out.findData("air_temperature"))
    idle(qtbot, window)
    assert "The result of this formula cannot be in °C" in dialog.problem.text()
    dialog.comes_out.setCurrentIndex(dialog.comes_out.findData("water_depth"))
    idle(qtbot, window)
    assert dialog.seen.text().startswith("Last week")
    dialog.words.setText("by the book")
    dialog.enter()
    idle(qtbot, window)
    here = point_named(demo_desk, "Creek gauge")
    assert "custom formula" in formula_texts(demo_desk, here)["water_depth@="]
    level = next(p.channel for p in here.channels if p.channel.startswith("water_level"))
    series = record(demo_desk, here.id, "water_depth@=")
    wanted = uncorrected(demo_desk, here.id, level, ALWAYS)  # before it is tied to dips
    assert series.times_utc_ms.tolist() == wanted.times_utc_ms.tolist()
    assert np.abs(series.values - wanted.values).max() < 1e-4
    assert verify(demo_desk).faults == []
    rebuild(demo_desk)
    assert len(record(demo_desk, here.id, "water_depth@=")) == len(series)


def test_one_value_is_typed_for_a_period_and_proposed_first_as_an_input(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    room = point_named(demo_desk, "Cold room A")
    dialog = CalculatedDialog(window, window.context, room)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.formula.setCurrentIndex(dialog.formula.findText("Dew point"))
    idle(qtbot, window)
    assert "away" in dialog.inputs[1].currentText()  # nobody measures humidity at its site
    dialog.formula.setCurrentIndex(dialog.formula.findText("Typed value for a period"))
    idle(qtbot, window)
    dialog.comes_out.setCurrentIndex(dialog.comes_out.findData("relative_humidity"))
    value = next(field for one, field in dialog.parameters if one.key == "value")
    assert isinstance(value, QLineEdit)
    assert value.text() == ""  # nobody typed 0 by not typing
    qtbot.mouseClick(dialog.add_button, Qt.MouseButton.LeftButton)
    idle(qtbot, window)
    assert "Value" in dialog.problem.text()
    type_into(value, "60")
    qtbot.keyClick(value, Qt.Key.Key_Tab)
    idle(qtbot, window)
    assert "60" in dialog.seen.text()
    type_into(dialog.words, "no sensor in the store")
    qtbot.mouseClick(dialog.add_button, Qt.MouseButton.LeftButton)
    idle(qtbot, window)
    dialog.formula.setCurrentIndex(dialog.formula.findText("Dew point"))
    idle(qtbot, window)
    assert dialog.inputs[1].currentText() == "Relative humidity (calculated) (same point)"
    assert dialog.inputs[1].currentData()[1] == "relative_humidity@="
