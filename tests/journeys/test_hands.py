"""Cold hands on the keys: a bounce, a key too many, a key too early never make a mission too many,
and the focus is where the hands are."""

from __future__ import annotations

import random

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gezeiten.desk.logger.contact import contact
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.ui.field.logger.stage_states import LAUNCH
from gezeiten.ui.field.place import FieldDeskPlace
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.work.presses import BOUNCE_S, Presses
from tests.conftest import Lab
from tests.journeys.test_before_dark import TANK, dialog, field_of, key, keys
from tests.journeys.test_before_dark import tailgate as tailgate
from tests.ui_help import idle, open_window, press


@pytest.fixture
def window(tailgate: Lab, qtbot: QtBot) -> MainWindow:
    """Two loggers that want the same again; the third has not been anywhere yet."""
    tailgate.desk.pins.store("all loggers", 2580)
    opened = open_window(qtbot, tailgate.desk)
    press(opened, "Ctrl+2")
    idle(qtbot, opened)
    opened.places[places.FIELD_DESK].loggers.setFocus()
    return opened


def missions(tailgate: Lab) -> dict[str, int]:
    addresses = {tailgate.serial: tailgate.standin.address}
    addresses |= {serial: one.address for serial, one in tailgate.others.items()}
    return {
        serial: contact(tailgate.desk, address, serial).state.mission_number
        for serial, address in addresses.items()
    }


def go_to(window: MainWindow, qtbot: QtBot, serial: str) -> FieldDeskPlace:
    field = field_of(window)
    field.show_target(serial)
    idle(qtbot, window)
    return field


def test_a_bounce_is_no_press() -> None:
    now = [0.0]
    presses = Presses(lambda: now[0])
    pressed = []
    for at in (0.0, 0.4, 1.2, 2.3, 9.0):
        now[0] = at
        pressed.append(presses.is_deliberate())
    assert pressed == [True, False, False, True, True]  # a bounce prolongs the wait
    presses.ended()
    now[0] += 0.9 * BOUNCE_S
    assert not presses.is_deliberate()


def test_two_keys_a_logger(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    before = missions(tailgate)
    field = go_to(window, qtbot, "D-2041")
    assert field.main.text().startswith("Offload 1")
    assert "and launch again" in field.main.text()
    press(window, "F9")
    idle(qtbot, window)
    assert field.stages.current == LAUNCH  # what was read back
    assert field.main.text() == "Next logger: P-0330"
    assert QApplication.focusWidget() is field.loggers
    assert "✓ launched" in field.loggers.currentItem().toolTip()
    assert field.right.erasing.text() == ""
    window.context.seconds.now_s += 2
    key("Return")
    idle(qtbot, window)
    assert field.model.card.serial == "P-0330"
    press(window, "Ctrl+Shift+Down")
    idle(qtbot, window)
    assert field.model.card.serial == "R-1107"
    press(window, "F9")
    idle(qtbot, window)
    after = missions(tailgate)
    assert {s: after[s] - before[s] for s in after} == {"D-2041": 1, "R-1107": 1, "P-0330": 0}
    assert verify(tailgate.desk).is_intact


def test_the_same_key_twice_launches_once(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    before = missions(tailgate)["D-2041"]
    field = go_to(window, qtbot, "D-2041")
    press(window, "F9")
    press(window, "F9", after_s=0.3)
    idle(qtbot, window)
    press(window, "F9", after_s=0.3)  # the hand was still on the key when it had ended
    idle(qtbot, window)
    assert field.check_list.word is None
    press(window, "F9")  # this one is meant, and wants a word
    assert QApplication.focusWidget() is field.check_list.word
    key("Return")  # an empty word is none
    idle(qtbot, window)
    assert missions(tailgate)["D-2041"] == before + 1
    keys("wrong interval")
    key("Return")
    idle(qtbot, window)
    assert QApplication.focusWidget() is field.loggers
    press(window, "F9")
    idle(qtbot, window)
    assert missions(tailgate)["D-2041"] == before + 2
    entry = next(e for e in logbook_entries(tailgate.desk) if e.act == "launch")
    assert entry.details["act"]["accepted"] == {"begun": "wrong interval"}


def test_all_of_them_twice_launches_them_once(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    before = missions(tailgate)
    field = field_of(window)
    press(window, "Ctrl+T")
    idle(qtbot, window)
    press(window, "F9")
    idle(qtbot, window)
    press(window, "F9")
    idle(qtbot, window)
    after = missions(tailgate)
    assert {s: after[s] - before[s] for s in after} == {"D-2041": 1, "R-1107": 1, "P-0330": 0}
    assert field.main.text() == "Offload and launch\n1 logger"
    assert not field.main.isEnabled()
    assert window.message.text() == (
        "2 loggers launched, 1 not: P-0330: The plan has no point; choose where "
        "the logger will be. Then try again."
    )
    assert [card.serial for card in field.loggers.ticked()] == ["P-0330"]
    column = [field.several.table.item(i, 5).text() for i in range(3)]
    assert column == ["✓ launched", "✓ launched", "✕ not yet"]


def test_from_a_plan_field_the_hands_come_back_to_the_list(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    before = missions(tailgate)["D-2041"]
    field = go_to(window, qtbot, "D-2041")
    press(window, "Alt+4")
    keys("20 min")
    press(window, "F9")
    idle(qtbot, window)
    assert field.editor.plan().interval_s == 1200
    assert QApplication.focusWidget() is field.loggers
    key("Space")
    idle(qtbot, window)
    assert missions(tailgate)["D-2041"] == before + 1
    assert [card.serial for card in field.loggers.ticked()] == ["D-2041"]


def test_a_key_pressed_while_a_logger_is_being_shown_is_not_lost(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    before = missions(tailgate)
    field = go_to(window, qtbot, "R-1107")
    field.loggers.setCurrentItem(field.loggers.item_of("D-2041"))  # and at once:
    press(window, "F9")
    idle(qtbot, window)
    after = missions(tailgate)
    assert {s: after[s] - before[s] for s in after} == {"D-2041": 1, "R-1107": 0, "P-0330": 0}


@pytest.mark.parametrize("seed", range(4))
def test_keys_at_every_moment(window: MainWindow, qtbot: QtBot, tailgate: Lab, seed: int) -> None:
    """F9, Space and Enter at random while the field work goes on: no logger gets two missions."""
    dice = random.Random(seed)
    before = missions(tailgate)
    field = go_to(window, qtbot, "D-2041")
    field.loggers.setFocus()
    for _ in range(60):
        there = QApplication.focusWidget() or window
        window.context.seconds.now_s += dice.choice((0.1, 2.0))
        pressed = dice.choice((Qt.Key.Key_F9, Qt.Key.Key_Space, Qt.Key.Key_Return))
        QTest.keyClick(there, pressed)
        if dice.random() < 0.5:
            QTest.qWait(dice.randrange(60))
    idle(qtbot, window)
    after = missions(tailgate)
    more = {serial: after[serial] - before[serial] for serial in after}
    assert more["P-0330"] == 0
    assert set(more.values()) <= {0, 1}
    assert more["D-2041"] + more["R-1107"] >= 1
    assert verify(tailgate.desk).is_intact


def test_the_plan_of_the_logger_before(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    field = go_to(window, qtbot, "D-2041")
    press(window, "Alt+4")
    keys("15 min")
    press(window, "F9")
    idle(qtbot, window)
    go_to(window, qtbot, "R-1107")
    press(window, "Ctrl+E")
    idle(qtbot, window)
    assert field.editor.plan().interval_s == 900
    assert field.chosen.plan_page.origin.text() == "As D-2041, launched before"
    assert field.editor.plan().point_name == "Saatgutspeicher · Cold room A"


def test_a_name_by_pattern_follows_the_point(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    field = go_to(window, qtbot, "P-0330")
    press(window, "Alt+4")
    names = field.editor.names
    names.point.lineEdit().setFocus()
    names.point.lineEdit().selectAll()
    keys(TANK.point_name)
    assert "Tank 2" in names.mission.text()
    names.mission.selectAll()
    names.mission.setFocus()
    keys("Mine")
    names.point.lineEdit().setFocus()
    names.point.lineEdit().selectAll()
    keys("Austernzucht Ost · Intake")
    assert names.mission.text() == "Mine"  # what somebody typed stays


def test_the_top_logger_is_chosen_until_a_hand_is_at_the_list(qtbot: QtBot, tailgate: Lab) -> None:
    """The slowest to answer stands at the top of the list."""
    tailgate.standin.order("fault", away_connections=1)  # D-2041 answers to the second question
    window = open_window(qtbot, tailgate.desk)
    press(window, "Ctrl+2")
    idle(qtbot, window)
    field = field_of(window)
    assert field.model.card.serial == "P-0330"
    press(window, "F5")
    idle(qtbot, window)
    assert field.model.card.serial == "D-2041"
    press(window, "Ctrl+Down")
    tailgate.standin.order("fault", away_connections=1)
    press(window, "F5")
    idle(qtbot, window)
    press(window, "F5")
    idle(qtbot, window)
    assert field.model.card.serial == "P-0330"  # chosen by hand, it stays


def test_the_list_of_the_day(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    go_to(window, qtbot, "D-2041")
    press(window, "F9")
    idle(qtbot, window)
    press(window, "Ctrl+Shift+T")
    idle(qtbot, window)
    shown = dialog("DayDialog")
    assert shown.words.text() == "2 loggers launched · 2 with work remaining"
    listed = [
        [shown.table.item(i, j).text() for j in range(5)] for i in range(shown.table.rowCount())
    ]
    store = next(row for row in listed if row[1] == "D-2041")
    assert "readings · " in store[2]
    assert store[3].startswith("mission ")
    assert store[4] == ""
    shown.write()
    idle(qtbot, window)
    assert "day-" in window.message.text()
