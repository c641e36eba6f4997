"""Handover: documents shown, what became of them, stretches by name."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import PATIENCE_MS, idle, press


def test_the_real_pages_of_a_document_are_shown(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.HANDOVER)
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    assert handover.table.item(0, 4).text().endswith(".pdf")
    idle(qtbot, window)
    column = handover.pages._column
    sheets = [column.itemAt(i).widget() for i in range(column.count())]
    names = [sheet.accessibleName() for sheet in sheets if sheet is not None]
    assert names == [f"Page {i}" for i in range(1, len(names) + 1)]
    assert len(names) >= 3
    picture = sheets[0].pixmap().toImage()
    dark = sum(
        picture.pixelColor(x, y).lightness() < 90
        for x in range(0, 500, 3)
        for y in range(0, 300, 3)
    )
    assert dark > 50  # there is writing on it
    assert handover.table.item(1, 4).text().endswith(".csv")
    handover.table.selectRow(1)
    idle(qtbot, window)
    assert handover.table.currentRow() == 1

    def are_lines_shown() -> None:
        shown = column.itemAt(0).widget()
        which = (handover.pages._wanted, shown.accessibleName(), handover.table.selectedItems())
        assert "time_utc" in shown.text(), which

    qtbot.waitUntil(are_lines_shown, timeout=PATIENCE_MS)
    window.context.archive_changed.emit()  # what goes on elsewhere takes no choice away
    idle(qtbot, window)
    assert handover.table.currentRow() == 1
    assert "time_utc" in column.itemAt(0).widget().text()


def test_a_document_that_was_changed_is_said_to_be(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:

    from gezeiten.desk.office.issuing import issued_documents

    window.show_place(places.HANDOVER)
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    press(window, "Ctrl+E")
    idle(qtbot, window)
    written = Path(issued_documents(demo_desk)[0].file_name)
    assert written.suffix == ".csv"
    written.unlink()
    window.context.archive_changed.emit()
    idle(qtbot, window)
    assert handover.table.item(0, 5).text() == "✕ missing"
    assert handover.again_button.isVisible()
    press(window, "Ctrl+Shift+O")
    idle(qtbot, window)
    assert handover.table.item(0, 5).text() == "✓ as it was"
    assert not handover.again_button.isVisible()
    assert written.exists()


def test_handover_offers_stretches_by_name(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.HANDOVER)
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    words = [handover.named.itemText(i) for i in range(handover.named.count())]
    assert words[:3] == ["custom period", "this mission", "since the last visit"]
    assert any(w.startswith("day of the excursion of ") for w in words)
    handover.named.setCurrentIndex(2)
    handover.named.activated.emit(2)
    wanted = handover.named.currentData()
    assert handover.span() == (wanted[0] // 60_000 * 60_000, -(-wanted[1] // 60_000) * 60_000)
    QTest.keyClick(handover.since, Qt.Key.Key_Down)
    assert handover.named.currentIndex() == 0
