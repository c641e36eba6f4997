"""Walking through all places of a window and taking a picture of each."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from PySide6.QtCore import QDeadlineTimer, QEventLoop, QtMsgType, qInstallMessageHandler
from PySide6.QtWidgets import QApplication, QDialog

from gezeiten.desk.open_workspace import open_workspace
from gezeiten.ui.field.logger.stage_states import OFFLOAD, PLAN
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow

SIZE = (1280, 800)
PATIENCE_MS = 60_000


def settle_down(window: MainWindow) -> None:
    """Let the window work until nothing runs any more."""
    deadline = QDeadlineTimer(PATIENCE_MS)
    quiet = 0
    while quiet < 3 and not deadline.hasExpired():
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 50)
        quiet = 0 if window.context.works.is_busy else quiet + 1
        if window.context.works.is_busy:
            loop = QEventLoop()
            window.context.works.idle.connect(loop.quit)
            if window.context.works.is_busy:
                loop.exec()


def close_down(window: MainWindow) -> None:
    """Close the window, and wait until what runs in it has ended."""
    window.close()
    deadline = QDeadlineTimer(PATIENCE_MS)
    while window.isVisible() and not deadline.hasExpired():
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 50)


def _without_offscreen_chatter(_kind: QtMsgType, _context: object, message: str) -> None:
    """The virtual screen says of every window that it cannot hint at sizes; the rest is passed."""
    if "propagateSizeHints" not in message:
        print(message, file=sys.stderr)


def take_pictures(
    archive: Path, out: Path, theme: str | None = None, only: int | None = None
) -> Iterator[Path]:
    """Open a window on an archive, yield the path of each picture once it is taken.

    theme: take them in this one. only: just the first so many places.
    """
    application()
    qInstallMessageHandler(_without_offscreen_chatter)
    desk = open_workspace(archive)
    window = MainWindow(desk)
    if theme:
        window.set_theme(theme)
    window.resize(*SIZE)
    window.show()
    settle_down(window)
    try:
        for name, show in _stops(window)[:only]:
            show()
            settle_down(window)
            path = out / f"{name}.png"
            shown = _open_dialog() or window
            shown.grab().save(str(path))
            if shown is not window:
                shown.close()
            yield path
    finally:
        close_down(window)
        desk.close()


def _open_dialog() -> QDialog | None:
    """Return the dialog that is open, None where there is none."""
    open_ones = (w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog))
    return next((dialog for dialog in open_ones if dialog.isVisible()), None)


def _place(window: MainWindow, number: int) -> Any:
    """A place as what it is: the window knows it as a place only."""
    return window.places[number]


def _stops(window: MainWindow) -> list[tuple[str, Callable[[], None]]]:
    field = window.field_desk()

    def visit_field_desk(serial: str, stage: int) -> None:
        window.show_place(places.FIELD_DESK, serial)
        settle_down(window)
        field.show_target(serial)
        field.stages.select(stage)

    def show_gap() -> None:
        window.show_place(places.MEND)
        settle_down(window)
        _place(window, places.MEND).list.select(lambda gap: gap.point.name == "Creek gauge")

    def show_trend() -> None:
        window.show_place(places.TRENDS)
        settle_down(window)
        trends = _place(window, places.TRENDS)
        creek = next(i for i in trends._items() if i.text(0) == "Creek gauge")
        trends.show_target(creek.data(0, 256).id)
        settle_down(window)
        start, end = trends.chart.view()
        third = (end - start) // 14
        trends.chart.set_mark((end - 4 * third, end - 2 * third))
        trends.chart.set_cursor(end - 3 * third - third // 4)

    def show_several() -> None:
        visit_field_desk("R-1107", PLAN)
        field.loggers.tick(["B-0508", "D-2041", "R-1107", "W-0112"])
        field.several.common.setChecked(True)
        field.group.prepare()

    def show_round() -> None:
        field.runner.untick_all()
        window.show_place(places.TIDEBOARD)
        settle_down(window)
        _place(window, places.TIDEBOARD).prepare_visit()

    def show_logbook() -> None:
        window.show_place(places.LOGBOOK)
        settle_down(window)
        book = _place(window, places.LOGBOOK)
        changed = next(i for i, entry in enumerate(book.entries) if entry.act == "point")
        book.table.setCurrentCell(changed, 0)  # what was before, and after

    def show_readings() -> None:
        window.show_place(places.EXCURSIONS)
        settle_down(window)
        _place(window, places.EXCURSIONS).show_rows()

    return [
        ("1-tideboard", lambda: window.show_place(places.TIDEBOARD)),
        ("2-field-desk-plan", lambda: visit_field_desk("D-2041", PLAN)),
        ("3-field-desk-offload", lambda: visit_field_desk("P-0321", OFFLOAD)),
        ("4-mend", show_gap),
        ("5-trends", show_trend),
        ("6-excursions", lambda: window.show_place(places.EXCURSIONS)),
        ("7-handover", lambda: window.show_place(places.HANDOVER)),
        ("8-logbook", show_logbook),
        ("9-several", show_several),
        ("10-round", show_round),
        ("11-places", window.show_places),
        ("12-readings", show_readings),
    ]
