"""The first start: an empty archive shows ways on, large; every empty place a picture of itself."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.settings import Settings
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.sites.places import add_point
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
from tests.conftest import HASTY, Lab
from tests.ui_help import HandClock, idle, press


class Practice:
    """Remembers what was asked for."""

    def __init__(self) -> None:
        self.asked: list[str] = []

    def start(self) -> tuple[list[str], list[str]]:
        self.asked.append("practice")
        return [], []

    def demonstrate(self) -> None:
        self.asked.append("demonstration")


def first_window(qtbot: QtBot, folder: Path, practice: Practice) -> MainWindow:
    application()
    desk = open_workspace(folder, limits=HASTY)
    desk.change_settings(Settings(addresses="", serial_ports="", person=""))
    window = MainWindow(desk, practice)
    window.context.seconds = HandClock()
    qtbot.addWidget(window, before_close_func=lambda w: w.context.works.stop())
    window.resize(1280, 800)
    with qtbot.waitExposed(window):
        window.show()
    window.activateWindow()
    idle(qtbot, window)
    return window


def click(place: object, words: str) -> None:
    next(b for b in place.findChildren(QPushButton) if b.text().startswith(words)).click()


def test_a_newcomer_says_who_and_finds_a_logger(qtbot: QtBot, lab: Lab, tmp_path: Path) -> None:
    window = first_window(qtbot, tmp_path / "fresh", Practice())
    board = window.places[places.TIDEBOARD]
    assert board.empty.isVisible()
    assert not board.legend.isVisible()
    assert QApplication.focusWidget() is board.empty.name
    board.empty.name.clear()
    QTest.keyClicks(board.empty.name, "MK")
    board.empty.addresses.setFocus()
    idle(qtbot, window)
    assert window.context.desk.person == "MK"
    assert window.strip.person.text() == "MK"
    QTest.keyClicks(board.empty.addresses, str(lab.standin.address))
    click(board.empty, "Search now")
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    assert window.stack.currentIndex() == places.FIELD_DESK
    assert field.model.card.serial == "D-2041"
    assert str(lab.standin.address) in window.context.desk.settings.addresses
    window.context.desk.close()


def test_an_address_that_is_none_is_said(qtbot: QtBot, tmp_path: Path) -> None:
    window = first_window(qtbot, tmp_path / "fresh", Practice())
    press(window, "Ctrl+2")
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    assert "No network address is known yet" in field.nobody.where.text()
    QTest.keyClicks(field.nobody.steps.addresses, "nonsense")
    field.nobody.steps.look_button.click()
    idle(qtbot, window)
    assert "cannot be read" in window.message.text()
    assert window.context.desk.settings.addresses == ""
    window.context.desk.close()


def test_practice_and_demonstration_are_one_press_away(qtbot: QtBot, tmp_path: Path) -> None:
    practice = Practice()
    window = first_window(qtbot, tmp_path / "fresh", practice)
    board = window.places[places.TIDEBOARD]
    click(board.empty, "Open the demonstration")
    click(board.empty, "Start practice loggers")
    idle(qtbot, window)
    assert practice.asked == ["demonstration", "practice"]
    window.context.desk.close()


@pytest.mark.parametrize(
    "place", [places.MEND, places.TRENDS, places.EXCURSIONS, places.HANDOVER, places.LOGBOOK]
)
def test_an_empty_place_says_what_will_stand_there(
    qtbot: QtBot, tmp_path: Path, place: int
) -> None:
    window = first_window(qtbot, tmp_path / "fresh", Practice())
    window.show_place(place)
    idle(qtbot, window)
    shown = window.places[place]
    assert shown.empty_page.isVisible()
    assert shown.empty_page.sketch.accessibleName()
    picture = shown.empty_page.sketch.grab().toImage()
    colors = {picture.pixel(x, y) for x in range(0, 420, 3) for y in range(0, 190, 3)}
    assert len(colors) > 3  # something is drawn
    assert [tab._line for tab in window.strip.tabs][2:] == [""] * 5  # no counts of nothing
    shown.empty_page.way.click()
    idle(qtbot, window)
    assert window.stack.currentIndex() == places.FIELD_DESK
    add_point(window.context.desk, "Shore · Well")
    window.context.archive_changed.emit()
    idle(qtbot, window)
    window.show_place(place)
    idle(qtbot, window)
    assert not shown.empty_page.isVisible()  # there is a point, and an entry about it
    window.context.desk.close()
