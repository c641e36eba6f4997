"""Small parts of the routes: ports in words, progress in words, the vault's acts, what came."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QWidget
from pytestqt.qtbot import QtBot

from gezeiten.desk.field.arrival import arrival
from gezeiten.desk.logger.cables import PortNews
from gezeiten.desk.logger.launch.launching import launch, stop
from gezeiten.desk.logger.offloading import Offloaded, offload_logger
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.link.instruments.profile import find_profiles
from gezeiten.link.transfer import Progress
from gezeiten.ui.field.dialogs.erase_dialog import EraseDialog
from gezeiten.ui.field.dialogs.part_dialog import ExtentBar
from gezeiten.ui.field.dialogs.profile_dialog import ProfileDialog
from gezeiten.ui.field.port_strip import SHOWN, PortStrip
from gezeiten.ui.format.progress import progress_text
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext
from tests.conftest import COLD_PLAN, STORE_PLAN, Lab
from tests.ui_help import PATIENCE_MS, by_finder, idle, open_window, press


@pytest.mark.parametrize(
    ("state", "words", "said"),
    [
        ("trying", "9600 8N1", "ttyX: trying 9600 8N1 ..."),
        ("logger", "D-2041", "ttyX: D-2041"),
        ("silent", "", "ttyX: no answer"),
        ("busy", "", "ttyX: in use"),
        ("barred", "", "ttyX: no permission"),
        ("stopped", "", "ttyX: not searched"),
    ],
)
def test_a_port_says_what_is_on_it(qtbot: QtBot, state: str, words: str, said: str) -> None:
    strip = PortStrip()
    qtbot.addWidget(strip)
    strip.show_news(PortNews("/dev/ttyX", state, words))
    assert strip.lines() == [said]
    assert strip.state("/dev/ttyX") == state
    assert strip.state("/dev/other") == ""
    assert strip.drop_missing(set()) == {"/dev/ttyX"}
    assert strip.lines() == []
    assert strip.isHidden()


def test_many_ports_do_not_push_the_loggers_away(qtbot: QtBot) -> None:
    strip = PortStrip()
    qtbot.addWidget(strip)
    for i in range(SHOWN + 3):
        strip.show_news(PortNews(f"/dev/ttyUSB{i}", "silent", ""))
    assert strip.layout().count() == SHOWN + 1
    assert len(strip.accessibleDescription().split("\n")) == SHOWN + 3


def test_progress_is_said_with_what_the_line_can_do(qapp: object) -> None:
    cable = Progress(480, 7_200, 9_900.0, 3.0, 10_473.0)
    # the sign between thousands is the region's, which another test may have changed
    assert progress_text("P-0320 offloading", cable).replace("7,200", "7200") == (
        "P-0320 offloading · 480 of 7200 readings · 9.9 kB/s (the line can do 10.5) · 3 s left"
    )
    assert progress_text("x", Progress(0, 5, 0.0, None)) == "x · 0 of 5 readings · 0.0 kB/s"


def test_what_came_is_told_by_the_summaries_of_its_blocks(cold_lab: Lab) -> None:
    lab = cold_lab
    launch(lab.desk, lab.standin.address, lab.serial, COLD_PLAN, {})
    lab.later(2 * 24 * 60)
    came = arrival(lab.desk, offload_logger(lab.desk, lab.standin.address, lab.serial))
    from gezeiten.desk.record.views.records import record
    from gezeiten.desk.sites.places import point_named

    point = point_named(lab.desk, "Cold room A")
    series = record(lab.desk, point.id, "probe_temperature")
    assert came.span == (int(series.times_utc_ms[0]), int(series.times_utc_ms[-1]))
    store = next(extreme for extreme in came.extremes if extreme.channel == "probe_temperature")
    assert (store.low, store.high) == (series.values.min(), series.values.max())
    assert came.clock_difference_ms is not None
    assert came.open_gaps == 0
    nothing = arrival(lab.desk, Offloaded(lab.serial, error="away"))
    assert (nothing.span, nothing.extremes) == (None, ())


def test_the_extent_is_chosen_by_dragging(qtbot: QtBot, tmp_path: Path) -> None:
    desk = open_workspace(tmp_path)
    bar = ExtentBar(AppContext(desk), (0, 1_000_000), [(600_000, 1_000_000)])
    qtbot.addWidget(bar)
    bar.resize(418, 64)
    bar.show()
    chosen: list[tuple[int, int]] = []
    bar.chosen.connect(chosen.append)
    QTest.mousePress(bar, Qt.MouseButton.LeftButton, pos=QPoint(9, 30))
    QTest.mouseMove(bar, QPoint(209, 30))
    QTest.mouseRelease(bar, Qt.MouseButton.LeftButton, pos=QPoint(209, 30))
    assert chosen[-1][0] == pytest.approx(500_000, abs=5_000)
    assert chosen[-1][1] == 1_000_000
    bar.set_span((0, 1_000_000))
    QTest.mousePress(bar, Qt.MouseButton.LeftButton, pos=QPoint(400, 30))
    assert bar.span[0] <= bar.span[1]
    desk.close()


def test_the_vault_is_handed_on_and_taken_in_through_the_window(
    qtbot: QtBot, cold_lab: Lab, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    lab = cold_lab
    launch(lab.desk, lab.standin.address, lab.serial, COLD_PLAN, {})
    lab.later(24 * 60)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    window = open_window(qtbot, lab.desk)
    target = tmp_path / "vault.zip"
    chooser = "gezeiten.ui.shell.vault_commands.QFileDialog"
    monkeypatch.setattr(f"{chooser}.getSaveFileName", lambda *_: (str(target), ""))
    window.vault_commands.hand_on()
    qtbot.waitUntil(lambda: "each compared" in window.message.text(), timeout=PATIENCE_MS)
    assert "1 raw offload," in window.message.text()
    monkeypatch.setattr(f"{chooser}.getOpenFileName", lambda *_: (str(target), ""))
    window.vault_commands.import_file()
    qtbot.waitUntil(lambda: "1 already saved" in window.message.text(), timeout=PATIENCE_MS)
    monkeypatch.setattr(f"{chooser}.getExistingDirectory", lambda *_: str(tmp_path / "nothing"))
    window.vault_commands.import_folder()
    qtbot.waitUntil(
        lambda: "is not a vault copy, or is damaged; choose another file." in window.message.text(),
        timeout=PATIENCE_MS,
    )
    window.vault_commands.cancel()
    window.close()


def test_a_memory_is_erased_once_the_label_was_typed(lab: Lab, qtbot: QtBot) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN, {})
    lab.later(24 * 60)
    stop(lab.desk, lab.standin.address, lab.serial)
    window = open_window(qtbot, lab.desk)
    window.show_place(places.FIELD_DESK)
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    by_finder(window, "erase the memory")
    dialog = window.findChild(EraseDialog)
    assert "to offload" in dialog.problem.text()
    assert not dialog.label.isEnabled()
    dialog.reject()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE_MS)
    press(window, "F6")
    qtbot.waitUntil(lambda: not field.work.is_busy, timeout=PATIENCE_MS)
    idle(qtbot, window)
    assert field.chosen.mission_page.erase_button.isEnabled()
    field.dialogs.erase()
    dialog = window.findChildren(EraseDialog)[-1]
    QTest.keyClicks(dialog.label, "2044")
    assert not dialog.take.isEnabled()
    assert "another logger" in dialog.problem.text()
    dialog.label.clear()
    QTest.keyClicks(dialog.label, "2041")
    assert dialog.problem.text() == ""
    QTest.keyClick(dialog.label, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: not field.work.is_busy, timeout=PATIENCE_MS)
    idle(qtbot, window)
    assert field.model.card.directory == ()
    assert not field.chosen.mission_page.erase_button.isEnabled()
    window.close()


def test_an_instrument_is_said_by_clicking_its_line(lab: Lab, qtbot: QtBot) -> None:
    context, over = AppContext(lab.desk), QWidget()
    qtbot.addWidget(over)
    dialog = ProfileDialog(over, context, "ttyUSB9", None)
    dialog.name.setText("Mast 9")
    dialog.baud.setCurrentText("4800")
    dialog.parity.setCurrentIndex(dialog.parity.findData("E"))
    dialog.add_line("T=4.5 RH=80 no=7")
    boxes = dialog.findChildren(QComboBox)
    named = {box.accessibleName(): box for box in boxes}
    assert named["T 4.5"].currentData() == "air_temperature"
    assert named["RH 80"].currentData() == "relative_humidity"
    assert named["no 7"].currentData() == ""
    with qtbot.waitSignal(dialog.saved, timeout=PATIENCE_MS) as kept:
        dialog.keep.click()
    [profile] = kept.args
    assert profile.read_line("T=-1.25 RH=99 no=8") == {
        "air_temperature": -1.25,
        "relative_humidity": 99.0,
    }
    known = {one.name: one for one, _ in find_profiles(lab.desk.archive.folder / "profiles")}
    assert known["Mast 9"] == profile
    assert profile.settings == "4800 8E1"


def test_a_port_where_nothing_is_says_so_and_the_dialog_stays_usable(
    lab: Lab, qtbot: QtBot
) -> None:
    context, over = AppContext(lab.desk), QWidget()
    qtbot.addWidget(over)
    dialog = ProfileDialog(over, context, "/dev/no-such-port", None)
    dialog.listen.click()
    qtbot.waitUntil(
        lambda: "no-such-port" in dialog.words.text() and dialog.listen.text() == "Listen",
        timeout=PATIENCE_MS,
    )
    dialog.keep.click()
    assert "No number has a meaning yet; click a line and choose." in dialog.words.text()
