"""The Field desk by keyboard alone: identity, offload, PIN, plan, checks with a word, launch,
several at once, kept plans, the round; as a technician with gloves would."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QPushButton
from pytestqt.qtbot import QtBot

from gezeiten.desk.field.rounds import make_round
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.launch.planning import stored_plans
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.sites.places import sites
from gezeiten.domain.plan.plan import Plan
from gezeiten.ui.field.logger.stage_states import LAUNCH, PLAN
from gezeiten.ui.field.place import FieldDeskPlace
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.conftest import ANCHOR_MS, COLD_PLAN, STORE_PLAN, Lab, StartStandin
from tests.ui_help import PATIENCE_MS, by_finder, idle, open_window, press

TANK = Plan(("water_temperature", "conductivity"), 120, point_name="Austernzucht Ost · Tank 2")


def keys(text: str) -> None:
    """Type where the focus is, whatever has it."""
    QTest.keyClicks(QApplication.focusWidget(), text)


def key(name: str, times: int = 1) -> None:
    for _ in range(times):
        QTest.keyClick(QApplication.focusWidget(), getattr(Qt.Key, f"Key_{name}"))


def dialog(kind: str) -> QDialog:
    """The open dialog of a class."""
    return next(
        w
        for w in QApplication.topLevelWidgets()
        if isinstance(w, QDialog) and w.isVisible() and type(w).__name__ == kind
    )


def at_the_window(window: MainWindow, qtbot: QtBot) -> None:
    """A dialog was closed: wait until the window has the keys again and nothing runs."""
    window.activateWindow()  # no window manager here that would do so
    qtbot.waitUntil(lambda: QApplication.activeWindow() is window, timeout=PATIENCE_MS)
    idle(qtbot, window)


class Doubtful:
    """A computer whose clock nobody keeps."""

    def doubts(self) -> list[str]:
        return ["This computer's clock is not set by a time service."]

    def restart_watch(self) -> None:
        return


@pytest.fixture
def tailgate(lab: Lab, start_standin: StartStandin) -> Lab:
    """Three loggers at hand: a store with unfetched readings, a cold room, a locked tank."""
    now = lab.clock.now_ms()
    others = {s: start_standin(s, anchor_ms=ANCHOR_MS, base_ms=now) for s in ("R-1107", "P-0330")}
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    launch(lab.desk, others["R-1107"].address, "R-1107", COLD_PLAN)
    lab.later(180)
    for other in others.values():
        other.order("time", ms=lab.clock.now_ms())
    listed = [lab.standin, *others.values()]
    lab.desk.change_settings(
        replace(lab.desk.settings, addresses=", ".join(str(s.address) for s in listed))
    )
    lab.others = others  # type: ignore[attr-defined]
    return lab


@pytest.fixture
def window(tailgate: Lab, qtbot: QtBot) -> MainWindow:
    opened = open_window(qtbot, tailgate.desk)
    press(opened, "Ctrl+2")
    idle(qtbot, opened)
    return opened


def field_of(window: MainWindow) -> FieldDeskPlace:
    return window.places[places.FIELD_DESK]


def choose(window: MainWindow, qtbot: QtBot, serial: str) -> FieldDeskPlace:
    field = field_of(window)
    field.loggers.setFocus()
    for _ in range(field.loggers.count()):
        press(window, "Ctrl+Up")
    while field.model.card.serial != serial:
        press(window, "Ctrl+Down")
    idle(qtbot, window)
    return field


def test_one_logger_from_label_to_launch(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    tailgate.desk._computer = Doubtful()
    field = choose(window, qtbot, "D-2041")

    # identity: the wrong label blocks loudly, the right one passes
    press(window, "F4")
    keys("2044")
    assert field.logger_page.label_words.property("role") == "alarm"
    idle(qtbot, window)
    assert field.next_action().kind == "blocked"
    assert any(c.key == "label" and c.weight == "blocking" for c in field.model.checks)
    key("Backspace")
    keys("1")
    assert field.logger_page.label_words.text().startswith(
        "The label ends in 2041, as the logger reports."
    )

    # offload, then the large button wants a word about the computer's clock
    press(window, "F6")
    idle(qtbot, window)
    assert field.main.text() == "Override: reason"
    field.loggers.setFocus()
    press(window, "F9")
    keys("compared with the radio")
    key("Return")
    assert QApplication.focusWidget() is field.loggers  # the hands are where they were
    idle(qtbot, window)
    assert field.main.text().startswith("Launch D-2041 again\nfirst reading ")

    # plan: type an interval, reach a limit by Tab, change it
    press(window, "Alt+4")
    assert field.stages.current == PLAN
    keys("20 min")
    assert field.editor.plan().interval_s == 1200
    limit = field.editor.channels.line_of("relative_humidity").limits[0]
    for _ in range(60):
        if QApplication.focusWidget() is limit.value:
            break
        key("Tab")
    assert QApplication.focusWidget() is limit.value
    limit.value.selectAll()
    keys("58")
    press(window, "F9")
    idle(qtbot, window)
    assert "plan read back, the same" in window.message.text()
    assert field.stages.current == LAUNCH
    card = contact(tailgate.desk, tailgate.standin.address, "D-2041")
    assert card.plan.interval_s == 1200
    assert card.plan.limits[0].value == 58.0
    entry = next(e for e in logbook_entries(tailgate.desk) if e.act == "launch")
    assert entry.details["act"]["accepted"] == {"computer clock": "compared with the radio"}


def test_a_locked_logger_by_keyboard(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    field = choose(window, qtbot, "P-0330")
    press(window, "Alt+4")
    field.editor.names.point.lineEdit().setFocus()
    field.editor.names.point.lineEdit().selectAll()
    keys(TANK.point_name)
    idle(qtbot, window)
    assert field.main.text() == "Enter the PIN of P-0330"
    press(window, "F9")
    idle(qtbot, window)
    asked = dialog("PinDialog")
    asked.entry.setFocus()
    QTest.keyClicks(asked.entry, "12")
    QTest.keyClick(asked.entry, Qt.Key.Key_Return)
    assert "four to nine digits" in asked.problem.text()
    QTest.keyClicks(asked.entry, "34")
    QTest.keyClick(asked.entry, Qt.Key.Key_Return)
    at_the_window(window, qtbot)
    press(window, "F9")
    idle(qtbot, window)
    assert "does not accept the PIN of" in window.message.text()
    at_the_window(window, qtbot)
    press(window, "Ctrl+I")
    idle(qtbot, window)
    QTest.keyClicks(dialog("PinDialog").entry, "2580")
    QTest.keyClick(dialog("PinDialog").entry, Qt.Key.Key_Return)
    at_the_window(window, qtbot)
    press(window, "F9")
    idle(qtbot, window)
    assert "plan read back, the same" in window.message.text()


def test_all_of_them_again_before_dark(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    tailgate.desk.pins.store("all loggers", 2580)
    field = field_of(window)
    choose(window, qtbot, "D-2041")
    key("Space")
    press(window, "Ctrl+Down")
    while field.model.card.serial != "R-1107":
        press(window, "Ctrl+Down")
    field.loggers.setFocus()
    key("Space")
    assert [c.serial for c in field.loggers.ticked()] == ["D-2041", "R-1107"]
    idle(qtbot, window)
    assert field.main.text() == "Offload and launch\n2 loggers"
    table, widths = field.several.table, set()
    table.model().dataChanged.connect(
        lambda *_: widths.add(tuple(table.columnWidth(place) for place in range(7)))
    )
    press(window, "F9")
    idle(qtbot, window)
    assert len(widths) == 1  # columns hold still while results come in
    assert window.message.text() == "2 loggers launched."
    rows = [field.several.table.item(i, 6).text() for i in range(2)]
    assert all("plan read back, the same; first reading" in row for row in rows)
    firsts = {row.split("first reading ")[1] for row in rows}
    assert len(firsts) == 1  # they fall together
    assert verify(tailgate.desk).is_intact
    press(window, "Ctrl+Shift+P")
    idle(qtbot, window)
    assert "labels-" in window.message.text()
    press(window, "Ctrl+T")
    press(window, "Ctrl+T")
    assert field.loggers.ticked() == []
    assert field.middle.currentIndex() == 0


def test_one_plan_for_several_lists_what_it_cannot_do(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    field = choose(window, qtbot, "D-2041")
    press(window, "Ctrl+T")
    field.several.common.setFocus()
    key("Space")
    idle(qtbot, window)
    assert field.several.common.isChecked()
    assert "R-1107: Reif C2 has no Air temperature, Relative humidity." in field.several.lost.text()
    assert not field.several.lost.isHidden()


def test_plans_are_kept_and_taken_by_keyboard(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    field = choose(window, qtbot, "D-2041")
    press(window, "Alt+4")
    keys("12 min")
    press(window, "Ctrl+P")
    shown = dialog("StoredPlansDialog")
    shown.name.setFocus()
    QTest.keyClicks(shown.name, "Store, quick")
    QTest.keyClick(shown.name, Qt.Key.Key_Return)
    QTest.keyClick(shown.name, Qt.Key.Key_Return)  # the hand bounced: no second act
    idle(qtbot, window)
    assert shown.problem.isHidden()
    QTest.keyClick(shown.name, Qt.Key.Key_Return)  # no name any more: said, nothing kept
    idle(qtbot, window)
    assert "needs a name" in shown.problem.text()
    assert [k.name for k in stored_plans(tailgate.desk)] == ["Store, quick"]
    shown.close()
    at_the_window(window, qtbot)
    press(window, "Ctrl+L")
    assert field.editor.plan().interval_s == 600
    press(window, "Ctrl+P")
    shown = dialog("StoredPlansDialog")
    shown.search.setFocus()
    QTest.keyClicks(shown.search, "quick")
    idle(qtbot, window)
    bold = [i for i in range(shown.table.rowCount()) if "≠" in shown.table.item(i, 0).text()]
    assert [shown.table.item(i, 0).text() for i in bold] == ["≠ Interval"]
    shown.list.setFocus()
    QTest.keyClick(shown.list, Qt.Key.Key_Return)
    at_the_window(window, qtbot)
    assert field.editor.plan().interval_s == 720
    assert field.chosen.plan_page.origin.text() == "Saved plan “Store, quick”"
    press(window, "Ctrl+D")
    assert dialog("CompareDialog").words.text() == "2 fields differ"  # its name follows the pattern


def test_the_interval_that_reaches_the_visit_is_one_click(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    from gezeiten.desk.sites.places import set_next_visit

    [site] = [s for s in sites(tailgate.desk) if s.name == "Alte Lotsenwacht"]
    # 15 616 readings every 10 min last 108 d 10 h; 150 days want 830 s, that is 15 min
    set_next_visit(tailgate.desk, site.id, round(tailgate.clock.now_ms()) + 150 * 86_400_000)
    field = choose(window, qtbot, "D-2041")
    field.chosen.check()
    idle(qtbot, window)
    page = field.chosen.plan_page
    assert page.reach_words.text() == (
        "Memory is full before the next visit; an interval of 15 min would last."
    )
    page.reach_button.setFocus()
    key("Space")
    assert field.editor.plan().interval_s == 900
    idle(qtbot, window)
    assert page.reach_button.isHidden()


def test_the_round_shows_what_is_left(window: MainWindow, qtbot: QtBot, tailgate: Lab) -> None:
    ids = [site.id for site in sites(tailgate.desk)]
    make_round(tailgate.desk, ids, round(tailgate.clock.now_ms()))
    window.context.archive_changed.emit()
    idle(qtbot, window)
    field = field_of(window)
    assert field.round_strip.words_label.text() == "Round: 0 of 2 done"
    assert field.loggers.round_words["D-2041"] == "on the round"
    choose(window, qtbot, "D-2041")
    press(window, "Shift+F9")  # again, as it was
    idle(qtbot, window)
    assert field.round_strip.words_label.text() == "Round: 1 of 2 done"
    assert field.loggers.round_words["D-2041"] == "✓ round"
    assert "Cold room A" in field.round_strip.next_button.text()


def test_present_readings_are_refreshed_only_while_looked_at(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    field = choose(window, qtbot, "D-2041")
    with qtbot.waitSignal(field.work.live, timeout=PATIENCE_MS):
        press(window, "F7")
    idle(qtbot, window)
    assert "each reading uses battery" in field.logger_page.live_note.text()
    with qtbot.waitSignal(field.work.live, timeout=PATIENCE_MS):
        pass  # it goes on by itself
    press(window, "Ctrl+1")
    idle(qtbot, window)
    assert not field.logger_page.watch.isChecked()
    press(window, "Ctrl+2")
    idle(qtbot, window)
    choose(window, qtbot, "D-2041")
    tailgate.standin.kill()
    press(window, "F7")
    idle(qtbot, window)
    assert not field.logger_page.watch.isChecked()  # a logger that is gone is not asked for ever


def test_health_shows_the_self_check_and_how_the_last_mission_ended(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    field = choose(window, qtbot, "D-2041")
    by_finder(window, "stop the mission")
    idle(qtbot, window)
    assert "D-2041 is stopped; its readings stay in memory. 1" in window.message.text()
    assert field.model.card.readings_to_offload == 0
    press(window, "Shift+F8")
    idle(qtbot, window)
    texts = [w.text() for w in field.logger_page.health.findChildren(type(field.right.time))]
    assert "self-check good" in texts
    assert any(text.startswith("stopped by a computer · ") for text in texts)
    assert any("under this plan (at 1" in text for text in texts)


def test_another_logger_answering_is_never_launched(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    choose(window, qtbot, "D-2041")
    press(window, "F6")
    idle(qtbot, window)
    tailgate.standin.order("fault", serial="D-2044")
    press(window, "F9")
    idle(qtbot, window)
    assert "D-2044 answers" in window.message.text()
    assert "nothing was changed" in window.message.text()


def test_what_was_not_checked_is_not_ticked(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    field = choose(window, qtbot, "D-2041")
    press(window, "Alt+4")
    keys("soon")
    idle(qtbot, window)
    said = field.stages.accessibleDescription()
    assert "label compared" not in said
    assert "Health: not valid yet" in said
    assert "Plan: 1 problem" in said
    assert field.chosen.plan_page.bars.accessibleDescription() == "Not valid yet"
    assert all(check.sentence for check in field.model.checks)
    assert not field.main.isEnabled()
    press(window, "F4")
    keys("2041")
    idle(qtbot, window)
    assert "Identity: label compared" in field.stages.accessibleDescription()
    assert "Health: not valid yet" in field.stages.accessibleDescription()


def test_a_mission_that_has_just_begun_is_stopped_only_after_a_question(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    field = choose(window, qtbot, "D-2041")
    press(window, "F9")
    idle(qtbot, window)
    mission = field.model.card.state.mission_number
    by_finder(window, "stop the mission")
    asked = dialog("StopDialog")
    assert f"Mission {mission} of D-2041" in asked.words.text()
    QTest.keyClick(asked, Qt.Key.Key_Return)  # without looking
    at_the_window(window, qtbot)
    assert field.model.card.state.mission_number == mission
    assert field.model.card.is_recording
    by_finder(window, "stop the mission")
    stop = next(
        b for b in dialog("StopDialog").findChildren(QPushButton) if b.text() == "Stop and offload"
    )
    QTest.mouseClick(stop, Qt.MouseButton.LeftButton)
    at_the_window(window, qtbot)
    assert "D-2041 is stopped" in window.message.text()


def test_another_logger_at_the_point_is_told_before_the_launch(
    window: MainWindow, qtbot: QtBot, tailgate: Lab
) -> None:
    plan = replace(STORE_PLAN, point_name=COLD_PLAN.point_name)
    field = choose(window, qtbot, "R-1107")
    serial = field.model.card.serial
    assert field.model.card.is_recording
    card = contact(tailgate.desk, tailgate.standin.address, "D-2041")
    launch(tailgate.desk, card.address, "D-2041", plan, {"begun": "moved"})
    press(window, "F5")
    idle(qtbot, window)
    choose(window, qtbot, serial)
    sentences = [check.sentence for check in field.model.checks]
    assert any("D-2041 also records at" in sentence for sentence in sentences)
