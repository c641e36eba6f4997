"""Many gaps in one act, through the real window."""

from __future__ import annotations

from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps
from gezeiten.ui.mend.several_gaps_dialog import SeveralGapsDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, press


def test_all_short_gaps_are_left_open_at_once_and_again_open_at_once(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    before = [gap.key for gap in gaps(demo_desk) if gap.state == "open"]
    assert len(before) > 2
    window.show_place(places.MEND)
    idle(qtbot, window)
    press(window, "Ctrl+Shift+G")
    idle(qtbot, window)
    [made] = window.places[places.MEND].findChildren(SeveralGapsDialog)
    made.rule.setCurrentIndex(made.rule.findData("leave"))
    made.longest.setText("400 d")
    made.look()
    idle(qtbot, window)
    assert (
        "Give a reason for leaving these gaps open; it is shown beside each of them."
    ) in made.problem.text()
    made.reason.setText("the boat was away")
    made.look()
    idle(qtbot, window)
    assert made.table.rowCount() == len(before)
    made.table.item(0, 0).setCheckState(Qt.CheckState.Unchecked)
    assert made.do_button.text() == f"Fill {len(before) - 1} gaps"
    made.apply()
    idle(qtbot, window)
    assert sum(gap.state == "open" for gap in gaps(demo_desk)) == 1
    mend = window.places[places.MEND]
    left = next(gap for gap in gaps(demo_desk) if gap.reason == "the boat was away")
    mend.show_target(left.key)
    idle(qtbot, window)
    mend.undo_whole_action()
    idle(qtbot, window)
    assert [gap.key for gap in gaps(demo_desk) if gap.state == "open"] == before


def test_a_rule_of_a_line_says_why_not(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    dialog = SeveralGapsDialog(window, window.context)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.longest.setText("soon")
    dialog.look()
    assert dialog.problem.text()
    dialog.longest.setText("12 h")
    dialog.look()
    idle(qtbot, window)
    words = [dialog.table.item(i, 4).text() for i in range(dialog.table.rowCount())]
    assert any("too long" in one or "longer than the maximum given" in one for one in words)
