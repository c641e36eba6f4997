"""Folders in which texts arrive: looked at now and then while the window is open."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from gezeiten.desk.intake.texts.several_texts import FolderWatch, ManyImported
from gezeiten.link.transfer import Watch
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.shell.app_context import AppContext

EVERY_MS = 30_000


class TextWatching(QObject):
    """Takes what arrives and is of a kind that is kept; says what waits for an answer, once."""

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._watch = FolderWatch()
        self._said: set[Path] = set()
        self._is_looking = False
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.look)

    def restart(self) -> None:
        """Watch what the settings name now."""
        if self._folders() and not self._context.is_read_only:
            self._timer.start()
            self.look()
        else:
            self._timer.stop()

    def stop(self) -> None:
        """Watch nothing any more."""
        self._timer.stop()

    def _folders(self) -> list[Path]:
        named = self._context.desk.settings.text_folders.split(",")
        return [Path(one.strip()).expanduser() for one in named if one.strip()]

    def look(self) -> None:
        """Look at the folders now, unless they are being looked at."""
        if self._is_looking:
            return
        self._is_looking = True
        desk, folders, watch = self._context.desk, self._folders(), self._watch
        self._context.run(
            lambda task: watch.import_new(
                desk, folders, time.time(), Watch(cancelled=task.cancelled)
            ),
            self._done,
            failed=lambda _: self._over(),
        )

    def _over(self) -> None:
        self._is_looking = False

    def _done(self, done: ManyImported) -> None:
        self._over()
        texts = []
        if done.readings:
            self._context.archive_changed.emit()
            texts.append(
                counted(
                    done.readings,
                    "%n reading imported from watched folders",
                    "%n readings imported from watched folders",
                )
            )
        waiting = set(self._watch.waiting) - self._said
        self._said |= waiting
        if waiting:
            names = ", ".join(sorted(path.name for path in waiting)[:3])
            text = counted(
                len(waiting), "%n text file waits for an answer", "%n text files wait for an answer"
            )
            texts.append(f"{text}: {names} ({tr('Ctrl+O')})")
        if texts:
            self._context.show_message("; ".join(texts) + ".")
