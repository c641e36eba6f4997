"""Keeps what is typed: in memory with each letter, on disk when the hand rests."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer

from gezeiten.ui.shell.app_context import AppContext

REST_MS = 700


class DraftKeeper(QObject):
    """One for each place that takes words."""

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(REST_MS)
        self._later.timeout.connect(self.save)

    def get(self, key: str) -> str:
        """Return what was typed under a key and not kept yet."""
        return self._context.desk.drafts.get(key)

    def remember(self, key: str, text: str) -> None:
        """Remember what is typed."""
        if self.get(key) != text:
            self._context.desk.drafts.remember(key, text)
            self._later.start()

    def save(self) -> None:
        """Write it now; a window that closes waits for it."""
        self._later.stop()
        self._context.run(lambda _task: self._context.desk.save_drafts(), lambda _: None)
