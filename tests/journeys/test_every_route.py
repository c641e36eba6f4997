"""The Field desk by every route: a cable that comes and goes, a drive, a courier, a text file,
a live line, a part of a mission, online loggers; through the real window, mostly by keys."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.link.lines.address import CablePort
from gezeiten.link.registers import CourierMode
from gezeiten.standin.process import StandinProcess
from gezeiten.ui.field.place import FieldDeskPlace
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.texts.dialog import TextDialog
from tests.conftest import ANCHOR_MS, STORE_PLAN, Lab, StartStandin
from tests.desk.intake.texts.test_text_files import POINT, bare, bare_tie, station
from tests.journeys.test_before_dark import dialog
from tests.ui_help import PATIENCE_MS, idle, open_window, press, type_into

TEN_DAYS_MIN = 10 * 24 * 60


@pytest.fixture
def field_lab(lab: Lab, tmp_path: Path) -> Lab:
    """The textile store's logger with ten days; ports and drives of the test's own folder."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, {})
    lab.later(TEN_DAYS_MIN)
    lab.desk.change_settings(
        replace(
            lab.desk.settings,
            serial_ports=str(tmp_path / "tty*"),
            watched_folders=str(tmp_path / "stick"),
        )
    )
    return lab


@pytest.fixture
def window(field_lab: Lab, qtbot: QtBot) -> Iterator[MainWindow]:
    made = open_window(qtbot, field_lab.desk)
    made.show_place(places.FIELD_DESK)
    idle(qtbot, made)
    yield made
    made.close()


def desk_of(window: MainWindow) -> FieldDeskPlace:
    return window.places[places.FIELD_DESK]


def wait(qtbot: QtBot, true: object) -> None:
    qtbot.waitUntil(true, timeout=PATIENCE_MS)


def open_dialog() -> QDialog:
    shown = (w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible())
    return next(shown)


def test_a_cable_appears_is_offloaded_and_vanishes(
    window: MainWindow, field_lab: Lab, qtbot: QtBot, start_standin: StartStandin, tmp_path: Path
) -> None:
    field = desk_of(window)
    port = CablePort(str(tmp_path / "ttyTest0"), 57_600, "E", 1)
    now = field_lab.clock.now_ms()
    cable = start_standin("D-2044", anchor_ms=ANCHOR_MS, base_ms=now, cable=port)
    launch(field_lab.desk, cable.address, "D-2044", STORE_PLAN, {})
    field_lab.later(TEN_DAYS_MIN)
    cable.order("time", ms=field_lab.clock.now_ms())
    # nobody presses anything: the port is noticed, its speed found
    wait(qtbot, lambda: field.loggers.card("D-2044") is not None)
    assert field.loggers.card("D-2044").address.baud == 57_600
    assert "ttyTest0: D-2044" in field.at_hand.ports.lines()
    assert field.model.card.serial == field_lab.serial  # the focus was not taken
    wait(qtbot, lambda: "D-2044 was connected; Ctrl+G goes to it." in window.message.text())
    press(window, "Ctrl+G")
    assert field.model.card.serial == "D-2044"
    assert window.strip.tabs[places.FIELD_DESK]._line == "2 connected"
    field.show_target("D-2044")
    press(window, "F6")
    wait(qtbot, lambda: not field.work.is_busy)
    idle(qtbot, window)
    assert field.loggers.card("D-2044").readings_to_offload == 0
    cable.order("unplug")
    wait(qtbot, lambda: field.loggers.card("D-2044") is None)
    assert field.at_hand.ports.lines() == []
    assert verify(field_lab.desk).is_intact


def test_a_drive_is_seen_taken_by_keys_and_gone(
    window: MainWindow, field_lab: Lab, qtbot: QtBot, tmp_path: Path
) -> None:
    field, folder = desk_of(window), tmp_path / "stick"
    field_lab.standin.order("drive", folder=str(folder))
    wait(qtbot, lambda: str(folder) in field.carriers.cards)
    press(window, "Ctrl+J")
    page = field.carriers.page
    assert page.isVisible()
    assert page.table.rowCount() == 1
    assert page.take.text() == "Import 1 record (F6)"
    QTest.keyClick(page.table, Qt.Key.Key_Space)
    assert not page.take.isEnabled()
    QTest.keyClick(page.table, Qt.Key.Key_Space)
    press(window, "F6")
    wait(qtbot, lambda: not field.carriers.cards[str(folder)].new)
    assert "1 report saved with them" in page.words.text()
    page.clear.click()  # what is verified in the vault may go, asked once
    idle(qtbot, window)
    asked = dialog("ClearDialog")
    assert asked.words.text().startswith("1 record is cleared (")
    asked.take.click()
    idle(qtbot, window)
    assert page.words.text() == "1 mission file deleted; it is in the vault."
    assert not list((folder / "missions").iterdir())
    page.ready.click()
    idle(qtbot, window)
    assert "is a folder; nothing needs to be ejected." in page.words.text()
    folder.rename(tmp_path / "pulled")
    wait(qtbot, lambda: not field.carriers.cards)
    assert field.middle.currentWidget() is not page


def test_a_single_mission_file_is_taken(
    window: MainWindow, field_lab: Lab, qtbot: QtBot, tmp_path: Path
) -> None:
    field_lab.standin.order("drive", folder=str(tmp_path / "elsewhere"))
    [path] = (tmp_path / "elsewhere" / "missions").iterdir()
    dialogs = desk_of(window).dialogs
    dialogs.mission_file(path)
    idle(qtbot, window)
    point = point_named(field_lab.desk, "Textile store")
    kept = len(record(field_lab.desk, point.id, "air_temperature"))
    assert kept in (1440, 1441)
    dialogs.mission_file(path)
    idle(qtbot, window)
    assert len(record(field_lab.desk, point.id, "air_temperature")) == kept
    assert verify(field_lab.desk).is_intact


def test_a_courier_is_taken_and_made_ready(
    window: MainWindow, field_lab: Lab, qtbot: QtBot, start_standin: StartStandin
) -> None:
    field = desk_of(window)
    courier: StandinProcess = start_standin("L-0042", base_ms=field_lab.clock.now_ms())
    courier.order("time", ms=field_lab.clock.now_ms())
    courier.order("collect", at=str(field_lab.standin.address))
    settings = field_lab.desk.settings
    listed = f"{settings.addresses}, {courier.address}"
    field_lab.desk.change_settings(replace(settings, addresses=listed))
    press(window, "F5")
    wait(qtbot, lambda: "L-0042" in field.carriers.cards)
    press(window, "Ctrl+J")
    press(window, "F6")
    wait(qtbot, lambda: not field.carriers.cards["L-0042"].new)
    page = field.carriers.page
    assert page.courier_mode.isVisible()
    assert not page.courier_mode.isChecked()
    page.courier_mode.click()
    idle(qtbot, window)
    assert "Courier L-0042 now launches loggers again after collecting." in page.words.text()
    assert field.carriers.cards["L-0042"].state.at_loggers == CourierMode.LAUNCHES_AGAIN
    page.ready.setFocus()
    page.ready.click()
    idle(qtbot, window)
    asked = dialog("ClearDialog")
    assert "D-2041 · mission" in "".join(part.text() for part in asked.findChildren(QLabel))
    asked.take.click()
    wait(qtbot, lambda: field.carriers.cards["L-0042"].is_empty)
    idle(qtbot, window)
    assert "is empty and its clock has been set." in page.words.text()
    assert field.carriers.list.buttons["L-0042"].text() == "Courier L-0042 · empty"
    point = point_named(field_lab.desk, "Textile store")
    assert len(record(field_lab.desk, point.id, "air_temperature")) >= 1440


def test_a_text_file_is_tied_once_and_recognised_next_time(
    window: MainWindow, field_lab: Lab, qtbot: QtBot, tmp_path: Path
) -> None:
    field = desk_of(window)
    field.dialogs.text(station(tmp_path / "weather.txt", 300))
    dialog = open_dialog()
    assert isinstance(dialog, TextDialog)
    wait(
        qtbot,
        lambda: bool(dialog.words.text().startswith("The point is missing")),
    )
    assert not dialog.take.isEnabled()
    assert "The point is missing" in dialog.words.text()
    dialog.point.setCurrentText("Krabbenkoog · Weather")
    wait(qtbot, lambda: "time zone" in dialog.words.text())
    dialog.zone.setCurrentText("Europe/Berlin")
    wait(qtbot, dialog.take.isEnabled)
    understood = "“01.10.2026 02:00” is 1 October 2026, 02:00:00 (Europe/Berlin)"
    assert understood in dialog.example.text()
    heads = [dialog.sheet.model().headerData(i, Qt.Orientation.Horizontal) for i in range(5)]
    assert heads == ["1  Time", "2  Time", "3  Air temperature", "4  Air pressure", "5  flags"]
    shown = [row.said.text() for row in dialog.series.rows.values()]
    assert shown == ["50.00 … 60.80 °F", "1,000.0 … 1,004.0 hPa"]
    wait(qtbot, lambda: "300 readings in total" in dialog.words.text())
    dialog.take.click()
    wait(qtbot, lambda: "300 readings saved" in dialog.words.text())
    dialog.close()
    idle(qtbot, window)
    field.dialogs.text(station(tmp_path / "again.txt", 350))
    again = open_dialog()
    wait(qtbot, again.take.isEnabled)
    assert again.point.currentText() == "Krabbenkoog · Weather"
    again.zone.setCurrentText("UTC")  # the same source in another zone: asked, not done
    wait(qtbot, lambda: again.words.text() == "Answer the question above first.")
    assert not again.take.isEnabled()
    before = [b for b in again.findChildren(QPushButton) if b.text() == "As before: Europe/Berlin"]
    before[-1].click()
    assert again.zone.currentText() == "Europe/Berlin"
    wait(qtbot, again.take.isEnabled)
    again.by_hand.time_columns.setText("1")  # by hand: the date alone, without its time of day
    again.by_hand.time_columns.editingFinished.emit()
    wait(qtbot, lambda: again.by_hand.pattern.text() == "%d.%m.%Y")
    # so all lines of a day fall on one instant: said before anything is taken
    wait(
        qtbot,
        lambda: (
            (
                "lines have the same time as another line, so the time is not read "
                "correctly; choose the time columns."
            )
            in again.words.text()
        ),
    )
    assert not again.take.isEnabled()
    again.by_hand.time_columns.setText("1, 2")
    again.by_hand.time_columns.editingFinished.emit()
    wait(qtbot, lambda: again.by_hand.pattern.text() == "%d.%m.%Y %H:%M")
    wait(qtbot, again.take.isEnabled)
    again.take.click()
    wait(qtbot, lambda: "50 readings saved, 300 already saved" in again.words.text())
    again.close()
    assert verify(field_lab.desk).is_intact


def test_a_text_without_a_head_is_asked_about_and_then_read_as_its_kind(
    window: MainWindow, field_lab: Lab, qtbot: QtBot, tmp_path: Path
) -> None:
    field, first = desk_of(window), bare(tmp_path / "a.txt", 30)
    import_text(field_lab.desk, first, bare_tie(field_lab, first, "Mast"))
    field.dialogs.text(bare(tmp_path / "b.txt", 30, 30))
    dialog = open_dialog()
    wait(qtbot, lambda: "Answer the question" in dialog.words.text())
    assert dialog.point.currentText() == ""
    [yes] = [b for b in dialog.findChildren(QPushButton) if b.text() == "yes, use it"]
    yes.click()
    assert (dialog.name.text(), dialog.point.currentText()) == ("Mast", POINT)
    wait(qtbot, lambda: "30 readings in total" in dialog.words.text())
    dialog.take.click()
    wait(qtbot, lambda: "30 readings saved" in dialog.words.text())
    dialog.close()


def test_a_live_line_records_while_its_window_is_closed(
    window: MainWindow, field_lab: Lab, qtbot: QtBot, tmp_path: Path
) -> None:
    field, port = desk_of(window), tmp_path / "mast"
    command = [
        sys.executable,
        "-m",
        "gezeiten",
        "standin",
        "instrument",
        "lines",
        "--cable",
        str(port),
        "--every",
        "0.2",
    ]
    mast = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    assert mast.stdout is not None
    mast.stdout.readline()
    try:
        press(window, "Ctrl+R")
        dialog = open_dialog()
        idle(qtbot, window)
        dialog.profile.setCurrentIndex(dialog.profile.findText("Weather mast, lines"))
        dialog.port.setCurrentText(str(port))
        dialog.start.click()
        assert "The point is missing" in dialog.words.text()
        dialog.point.setCurrentText("Krabbenkoog · Mast")
        dialog.every.setText("1 s")
        dialog.start.click()
        wait(qtbot, lambda: field.dialogs.lives[0].readings >= 1)
        assert "RH=" in dialog.raw.toPlainText()
        # 1,013 hPa is shown as that, not as 1.013 of thousands
        assert not dialog.plot.getItem(0, 0).getAxis("left").autoSIPrefix
        dialog.close()
        wait(qtbot, lambda: field.dialogs.lives[0].readings >= 3)
        field.dialogs.lives[0].stop()
        wait(qtbot, lambda: not field.dialogs.lives[0].is_on)
    finally:
        mast.communicate()
    idle(qtbot, window)
    point = point_named(field_lab.desk, "Mast")
    assert len(record(field_lab.desk, point.id, "air_temperature")) >= 3


def test_a_part_comes_and_the_rest_still_counts(
    window: MainWindow, field_lab: Lab, qtbot: QtBot
) -> None:
    field = desk_of(window)
    before = field.model.card.readings_to_offload
    press(window, "Ctrl+F6")
    dialog = open_dialog()
    begin, end = dialog.bar.span
    half = (begin, begin + (end - begin) // 2)
    dialog.bar.set_span(half)
    dialog._show_fields()
    kept = dialog.until.text()
    type_into(dialog.until, "2001-01-01 00:00")
    assert "ends before it begins" in dialog.note.text()
    assert not dialog.take.isEnabled()
    type_into(dialog.until, kept)
    assert dialog.take.isEnabled()
    dialog.bar.set_span(half)
    [(first, stop)] = dialog._extent.missing_in(dialog.bar.span)
    assert stop - first == pytest.approx(before / 2, abs=3)
    dialog.take.click()
    wait(qtbot, lambda: not field.work.is_busy)
    idle(qtbot, window)
    left = field.loggers.card(field_lab.serial).readings_to_offload
    # whole blocks come; what came beside the wished stretch is kept as well
    assert 0 < left <= before - (stop - first)
    assert field.logger_page.came.isVisible()
    window.activateWindow()  # without a window manager nobody does it after a dialog
    wait(qtbot, window.isActiveWindow)
    press(window, "F6")
    wait(qtbot, lambda: not field.work.is_busy)
    idle(qtbot, window)
    assert field.loggers.card(field_lab.serial).readings_to_offload == 0
    assert verify(field_lab.desk).is_intact


def test_an_overview_is_looked_at_and_makes_room_for_the_readings(
    window: MainWindow, field_lab: Lab, qtbot: QtBot
) -> None:
    field = desk_of(window)
    before = field.model.card.readings_to_offload
    press(window, "Ctrl+F6")
    dialog = open_dialog()
    dialog.kind.setFocus()
    QTest.keyClick(dialog.kind, Qt.Key.Key_Down)
    QTest.keyClick(dialog.kind, Qt.Key.Key_Down)
    assert dialog.every.isVisible()
    dialog.every.setFocus()
    dialog.every.selectAll()
    QTest.keyClicks(dialog.every, "24")
    QTest.keyClick(dialog.every, Qt.Key.Key_Return)
    wait(qtbot, lambda: not field.work.is_busy)
    idle(qtbot, window)
    assert field.loggers.card(field_lab.serial).readings_to_offload == before
    assert field.logger_page.came.isVisible()
    assert "no readings offloaded." in field.logger_page.transfer_words.text()
    window.activateWindow()
    wait(qtbot, window.isActiveWindow)
    for place in range(len(window.places)):  # a point that holds nothing but an overview
        window.show_place(place)
        idle(qtbot, window)
    trends = window.places[places.TRENDS]
    [temp, humidity] = trends.lanes
    assert len(temp.overviews[0].values) == len(humidity.overviews[0].values) == before // 24
    assert temp.traces == ()
    trends.chart.set_cursor(int(temp.overviews[0].times_utc_ms[3]))
    assert "overview: " in trends.chart._drawn[0].value.textItem.toPlainText()
    window.show_place(places.FIELD_DESK)
    idle(qtbot, window)
    press(window, "F6")
    wait(qtbot, lambda: not field.work.is_busy)
    idle(qtbot, window)
    window.show_place(places.TRENDS)
    idle(qtbot, window)
    assert [lane.overviews for lane in trends.lanes] == [(), ()]
    assert all(len(lane.traces) == 1 for lane in trends.lanes)


def test_online_loggers_are_followed_while_the_window_is_open(
    window: MainWindow, field_lab: Lab, qtbot: QtBot
) -> None:
    settings = field_lab.desk.settings
    address = str(field_lab.standin.address)
    field_lab.desk.change_settings(replace(settings, followed=address))
    window.following.restart()
    wait(qtbot, lambda: desk_of(window).at_hand.followed.text() == "1 followed")
    point = point_named(field_lab.desk, "Textile store")
    wait(qtbot, lambda: len(record(field_lab.desk, point.id, "air_temperature")) >= 1440)
    window.following.stop()
    wait(qtbot, lambda: not window.following.is_running)
