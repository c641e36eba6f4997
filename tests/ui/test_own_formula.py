"""A formula of somebody's own, typed in the real window, and what becomes of it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from gezeiten.desk.context import Workspace
from gezeiten.desk.office.verifying import rebuild, verify
from gezeiten.desk.places import point_named
from gezeiten.desk.record.calculating import formula_texts
from gezeiten.desk.record.records import record, uncorrected
from gezeiten.desk.record.view import ALWAYS
from gezeiten.ui.points.calculated_dialog import CalculatedDialog
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, type_into


def test_a_level_by_a_formula_of_ones_own_is_that_of_the_program(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    creek = point_named(demo_desk, "Creek gauge")
    made = CalculatedDialog(window, window.context, creek)
    qtbot.addWidget(made)
    made.show()
    idle(qtbot, window)
    made.formula.setCurrentIndex(made.formula.count() - 1)
    assert made.is_own
    for typed, why in (("a -", "cannot be read"), ("a + c", "from a on"), ("(a", "cannot be read")):
        made.expression.setText(typed)
        made.expression.editingFinished.emit()
        assert why in made.problem.text()
        assert not made.add_button.isEnabled()
    made.expression.setText("(a - b) / (9.80665[m/s2] * 1018[kg/m3])")
    made.expression.editingFinished.emit()
    air = next(
        i
        for i in range(made.inputs[1].count())
        if made.inputs[1].itemText(i).startswith("Air pressure")
    )
    made.inputs[1].setCurrentIndex(air)
    made.comes_out.setCurrentIndex(made.comes_out.findData("air_temperature"))
    idle(qtbot, window)
    assert "gives is no °C" in made.problem.text()
    made.comes_out.setCurrentIndex(made.comes_out.findData("water_depth"))
    idle(qtbot, window)
    assert made.seen.text().startswith("Last week")
    made.words.setText("by the book")
    made.enter()
    idle(qtbot, window)
    here = point_named(demo_desk, "Creek gauge")
    assert "own formula" in formula_texts(demo_desk, here)["water_depth@="]
    level = next(p.channel for p in here.channels if p.channel.startswith("water_level"))
    found = record(demo_desk, here.id, "water_depth@=")
    wanted = uncorrected(demo_desk, here.id, level, ALWAYS)  # before it is tied to dips
    assert found.times_utc_ms.tolist() == wanted.times_utc_ms.tolist()
    assert np.abs(found.values - wanted.values).max() < 1e-4
    assert verify(demo_desk).faults == []
    rebuild(demo_desk)
    assert len(record(demo_desk, here.id, "water_depth@=")) == len(found)


def test_one_value_is_typed_for_a_period_and_proposed_first_as_an_input(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    room = point_named(demo_desk, "Cold room A")
    made = CalculatedDialog(window, window.context, room)
    qtbot.addWidget(made)
    made.show()
    idle(qtbot, window)
    made.formula.setCurrentIndex(made.formula.findText("Dew point"))
    idle(qtbot, window)
    assert "away" in made.inputs[1].currentText()  # nobody measures humidity at its site
    made.formula.setCurrentIndex(made.formula.findText("One value, typed for a period"))
    idle(qtbot, window)
    made.comes_out.setCurrentIndex(made.comes_out.findData("relative_humidity"))
    value = next(field for one, field in made.parameters if one.key == "value")
    assert isinstance(value, QLineEdit)
    assert value.text() == ""  # nobody typed 0 by not typing
    qtbot.mouseClick(made.add_button, Qt.MouseButton.LeftButton)
    idle(qtbot, window)
    assert "Value" in made.problem.text()
    type_into(value, "60")
    qtbot.keyClick(value, Qt.Key.Key_Tab)
    idle(qtbot, window)
    assert "60" in made.seen.text()
    type_into(made.words, "no sensor in the store")
    qtbot.mouseClick(made.add_button, Qt.MouseButton.LeftButton)
    idle(qtbot, window)
    made.formula.setCurrentIndex(made.formula.findText("Dew point"))
    idle(qtbot, window)
    assert made.inputs[1].currentText() == "Relative humidity (calculated) (same point)"
    assert made.inputs[1].currentData()[1] == "relative_humidity@="
