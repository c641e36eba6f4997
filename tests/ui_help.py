"""Helpers for tests through the real window: opening it, waiting for its work, pressing keys."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeySequence
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from gezeiten.archive.local_cache.segments import Segments
from gezeiten.desk.base.memory_cache import MemoryCache
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.record_view import RecordView
from gezeiten.domain.series.drawing.cells import cells_of_series
from gezeiten.domain.series.drawing.pyramid import Pyramid, split_for_drawing
from gezeiten.domain.series.series import Series
from gezeiten.ui.charts.chart_lanes import Trace
from gezeiten.ui.shell import window as shell
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.finder import Finder
from gezeiten.ui.shell.window import MainWindow

PATIENCE_MS = 120_000
# on a machine that stalls a message would be gone before it is read
shell.SAY_MS = shell.COMPLAIN_MS = 3_600_000


class HandClock:
    """How long presses lie apart: two seconds, unless a test says that the hand bounced."""

    def __init__(self) -> None:
        self.now_s = 0.0

    def __call__(self) -> float:
        return self.now_s


def open_window(qtbot: QtBot, desk: Workspace, *, builds_rest: bool = False) -> MainWindow:
    """Open the window on a desk and wait until it has loaded. builds_rest: also the places that
    nobody asks for, as the window does by itself; most tests look at one or two."""
    application()
    window = MainWindow(desk)
    window.context.seconds = HandClock()
    if not builds_rest:
        window.places.stop_building()
    qtbot.addWidget(window, before_close_func=lambda w: w.context.works.stop())
    window.resize(1280, 800)
    with qtbot.waitExposed(window, timeout=PATIENCE_MS):
        window.show()
    window.activateWindow()
    idle(qtbot, window)
    return window


def idle(qtbot: QtBot, window: MainWindow) -> None:
    """Wait until no work runs and its results have been shown."""
    calm = 0

    def is_calm() -> bool:
        nonlocal calm
        calm = 0 if window.context.works.is_busy else calm + 1
        return calm >= 3

    qtbot.waitUntil(is_calm, timeout=PATIENCE_MS)


def press(window: MainWindow, keys: str, after_s: float = 2.0) -> None:
    """Press keys as Qt writes them ("Ctrl+2", "F6") where the focus is, so long after the last."""
    window.context.seconds.now_s += after_s
    combination = QKeySequence(keys)[0]
    target = window.focusWidget() or window
    QTest.keyClick(target, combination.key(), combination.keyboardModifiers())


def by_finder(window: MainWindow, text: str) -> None:
    """Run a command that has no key as a person does: Ctrl+K, a few letters, Enter."""
    press(window, "Ctrl+K")
    finder = [child for child in window.children() if isinstance(child, Finder)][-1]
    QTest.keyClicks(finder.entry, text)
    QTest.keyClick(finder.entry, Qt.Key.Key_Return)
    window.activateWindow()  # a window system does so when a popup closes; offscreen none does


def type_into(widget: object, text: str) -> None:
    """Replace the text of a field as a person would."""
    widget.setFocus()
    widget.selectAll()
    QTest.keyClick(widget, Qt.Key.Key_Delete)
    QTest.keyClicks(widget, text)


def paste_into(widget: object, text: str) -> None:
    """Replace the text of a field from the clipboard."""
    widget.setFocus()
    widget.selectAll()
    QGuiApplication.clipboard().setText(text)
    QTest.keyClick(widget, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)


def trace_of_series(name: str, series: Series) -> Trace:
    """Return a trace of readings that lie in no archive."""
    measured, estimated = split_for_drawing(series)
    times, chunks = measured.times_utc_ms, MemoryCache[Series](10**9)
    view = RecordView(
        0,
        name,
        Segments((), (), ()),
        chunks,
        series.between(0, 0),
        (0,),
        times[:1],
        times[-1:],
        len(times),
        Pyramid(cells_of_series(measured)),
        Pyramid.of_series(estimated),
    )
    chunks.store((view, 0), measured, 0)
    return Trace(name, view)
