"""Signs of markup in names are shown as they are: in labels, tips, the foot line, lists, charts."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import (
    QApplication,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QToolTip,
    QWidget,
)
from pytestqt.qtbot import QtBot

from gezeiten.desk.context import Desk
from gezeiten.ui.parts.widgets import label
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, open_window

MARKUP = "<b>Cold</b> &amp; <img src='x'>"


def hover(widget: QWidget, at: QPoint) -> str:
    """Return the tip that is shown at a place, without the paragraph that shows it as it is."""
    event = QHelpEvent(QEvent.Type.ToolTip, at, widget.mapToGlobal(at))
    QApplication.sendEvent(widget, event)
    return QToolTip.text()


def test_tips_of_widgets_and_items_show_markup_as_it_is(qtbot: QtBot) -> None:
    application()
    listed = QListWidget()
    item = QListWidgetItem("x")
    item.setToolTip(MARKUP)
    listed.addItem(item)
    plain = label(MARKUP)
    plain.setToolTip(MARKUP)
    for widget in (listed, plain):
        qtbot.addWidget(widget)
        widget.show()
    escaped = "&lt;b&gt;Cold&lt;/b&gt; &amp;amp; &lt;img"
    assert escaped in hover(plain, QPoint(2, 2))
    place = listed.visualItemRect(item).center()
    assert escaped in hover(listed.viewport(), place)


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> MainWindow:
    return open_window(qtbot, Desk(tmp_path / "archive"))


def test_no_label_of_the_window_takes_text_for_markup(window: MainWindow, qtbot: QtBot) -> None:
    window.house.say(MARKUP)
    idle(qtbot, window)
    assert window.message.text() == MARKUP
    automatic = [one for one in window.findChildren(QLabel)
                 if one.textFormat() == Qt.TextFormat.AutoText and one.text()]  # fmt: skip
    assert automatic == []
