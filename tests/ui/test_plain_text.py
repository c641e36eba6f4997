"""Signs of markup in names are shown as they are: in labels, tips, the foot line, lists, charts."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PySide6.QtGui import QAction, QTextDocument
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QDialog,
    QGraphicsTextItem,
    QGraphicsView,
    QGroupBox,
    QLabel,
    QWidget,
)
from pytestqt.qtbot import QtBot

from gezeiten.archive.store.tables import Base
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
from tests.desk.intake.texts.test_text_files import station
from tests.ui.walk import DIALOGS, views_of
from tests.ui_help import idle, open_window

MARKUP = "<b>Cold</b> &amp; <img src='x'>"


@pytest.mark.parametrize("text", [MARKUP, "&lt;b&gt;", "a\n  b < c", "5 > 3 & 2"])
def test_a_tip_shows_markup_as_it_is(text: str, qtbot: QtBot) -> None:
    application()
    shown = QTextDocument()
    shown.setHtml(plain_tip(text))
    assert shown.toPlainText() == text


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> MainWindow:
    return open_window(qtbot, open_workspace(tmp_path / "archive"))


def test_no_label_of_the_window_takes_text_for_markup(window: MainWindow, qtbot: QtBot) -> None:
    window.context.show_message(MARKUP)
    idle(qtbot, window)
    assert window.message.text() == MARKUP
    automatic = [
        one
        for one in window.findChildren(QLabel)
        if one.textFormat() == Qt.TextFormat.AutoText and one.text()
    ]
    assert automatic == []


NAME = "Oil & <b>gas</b> "
_OF_PEOPLE = ("name", "words", "person", "sentence")
"""Columns that hold what somebody typed."""


@pytest.fixture
def odd_names(demo_desk: Workspace) -> Workspace:
    """The demonstration with signs of markup in all its names, as an older archive may have."""
    with demo_desk.archive.engine.begin() as connection:
        for table in Base.metadata.sorted_tables:
            for column in {*_OF_PEOPLE} & {*table.c.keys()}:
                its = "" if column != "name" else " WHERE name != 'Creek gauge'"  # walked to
                connection.exec_driver_sql(
                    f"UPDATE {table.name} SET {column} = '{NAME}' || {column}{its}"
                )
    return demo_desk


def tips(top: QWidget) -> list[str]:
    """Return the tips of a window's widgets, actions, and the items of its lists and tables."""
    found = [one.toolTip() for one in (*top.findChildren(QWidget), *top.findChildren(QAction))]
    for view in top.findChildren(QAbstractItemView):
        model = view.model()
        for row in range(min(model.rowCount(QModelIndex()), 50)):
            for column in range(
                model.columnCount(QModelIndex()) if isinstance(model, QAbstractTableModel) else 1
            ):
                tip = model.index(row, column).data(Qt.ItemDataRole.ToolTipRole)
                found.append(str(tip or ""))
    return found


def _inside(tip: str) -> str:
    shown = QTextDocument()
    shown.setHtml(tip)
    return shown.toPlainText()


def obeyed(top: QWidget) -> list[str]:
    """Return the texts that are not shown as they are: taken for markup, or robbed of a sign."""
    found = [
        f"label: {one.text()}"
        for one in top.findChildren(QLabel)
        if NAME[:3] in one.text() and one.textFormat() != Qt.TextFormat.PlainText
    ]
    buttons = [one for one in top.findChildren(QAbstractButton) if NAME[:3] in one.text()]
    found += [
        f"button: {button.text()}" for button in buttons if "& " in button.text().replace("&&", "")
    ]
    boxes = [one for one in top.findChildren(QGroupBox) if NAME[:3] in one.title()]
    found += [f"box: {box.title()}" for box in boxes if "& " in box.title().replace("&&", "")]
    actions = [one for one in top.findChildren(QAction) if NAME[:3] in one.text()]
    found += [
        f"menu: {action.text()}" for action in actions if "& " in action.text().replace("&&", "")
    ]
    found += [
        f"tip: {one}"
        for one in tips(top)
        if ("<" in one or "&" in one) and plain_tip(_inside(one)) != one
    ]
    for view in top.findChildren(QGraphicsView):
        texts = [
            one.toPlainText() for one in view.scene().items() if isinstance(one, QGraphicsTextItem)
        ]
        found += [f"chart: {text}" for text in texts if "Oil" in text and NAME not in text]
    return found


def test_names_in_every_place_and_dialog_are_shown_as_they_are(
    odd_names: Workspace, qtbot: QtBot, tmp_path: Path
) -> None:
    window = open_window(qtbot, odd_names)
    window.text_file = station(tmp_path / "weather.txt", 60)
    found, seen, tipped = [], 0, 0
    for place in range(7):
        window.show_place(place)
        idle(qtbot, window)
        for view in views_of(qtbot, window, place):
            found += [f"place {place} {view}: {one}" for one in obeyed(window)]
            seen += sum(NAME[:3] in one.text() for one in window.findChildren(QLabel))
            tipped += sum("Oil" in one for one in tips(window))
    for name, show in DIALOGS.items():
        show(window)
        idle(qtbot, window)
        for dialog in QApplication.topLevelWidgets():
            if isinstance(dialog, QDialog) and dialog.isVisible():
                found += [f"{name}: {one}" for one in obeyed(dialog)]
                dialog.close()
        QApplication.processEvents()
    assert not found, "\n".join(sorted(set(found)))
    assert seen > 10  # the names did come into sight
    assert tipped > 10
