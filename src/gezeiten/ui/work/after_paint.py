"""Beginning when the window has been seen: what costs time waits until the first picture stands."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtWidgets import QWidget

_AT_THE_LATEST_MS = 400
"""A window that nobody sees, behind another one or folded away, is not painted at all."""


class AfterPaint(QObject):
    """Acts once, when a widget was painted for the first time."""

    def __init__(self, widget: QWidget, run: Callable[[], None]) -> None:
        super().__init__(widget)
        self._callback: Callable[[], None] | None = run
        widget.installEventFilter(self)
        QTimer.singleShot(_AT_THE_LATEST_MS, self, self._start)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Paint:
            watched.removeEventFilter(self)
            QTimer.singleShot(0, self, self._start)
        return False

    def _start(self) -> None:
        action, self._callback = self._callback, None
        if action is not None:
            action()
