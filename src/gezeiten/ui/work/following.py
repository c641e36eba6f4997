"""Online loggers followed while the window is open, in a thread of their own."""

from __future__ import annotations

import threading
from collections import Counter
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.shell.app_context import AppContext

if TYPE_CHECKING:
    from gezeiten.desk.intake.follower import FollowingNews

_TOGETHER_MS = 1500
"""What several loggers brought within this time is shown anew once."""


class Following(QObject):
    """Follows what the settings name; `restart` when they change. told: News."""

    told = Signal(object)

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._ended = threading.Event()
        self._threads: list[threading.Thread] = []
        self._of = ("", 0)
        self._states: dict[str, str] = {}
        self._changed = QTimer(self)
        self._changed.setSingleShot(True)
        self._changed.setInterval(_TOGETHER_MS)
        self._changed.timeout.connect(context.archive_changed)
        self.told.connect(self._on_news)

    def restart(self) -> None:
        """Follow what the settings name now; does nothing where that is what is followed."""
        if self._context.is_read_only:
            return
        settings = self._context.desk.settings
        wanted = (settings.followed, settings.follow_minutes)
        if wanted == self._of:
            return
        self.stop()
        self._of = wanted
        if not settings.followed.strip():
            return
        # few follow a logger: a start without that has no need of lines to loggers
        from gezeiten.desk.intake.follower import Follower, PollingPace, followed_addresses

        try:
            addresses = followed_addresses(self._context.desk)
        except InputError as exc:
            self._context.said.emit(str(exc), True)
            return
        if not addresses:
            return
        self._states.clear()
        self._ended = ended = threading.Event()
        follower = Follower(
            self._context.desk,
            addresses,
            self.told.emit,
            PollingPace(fetch_s=60.0 * settings.follow_minutes),
            cancelled=ended.is_set,
        )
        thread = threading.Thread(target=follower.run, args=(ended.wait,), daemon=True)
        self._threads.append(thread)
        thread.start()

    def stop(self) -> None:
        """End following; what is under way ends by itself (`is_running`)."""
        self._ended.set()
        self._of = ("", 0)

    @property
    def is_running(self) -> bool:
        """Whether a look or a fetch is still under way."""
        self._threads = [thread for thread in self._threads if thread.is_alive()]
        return bool(self._threads)

    def text(self) -> str:
        """Return what is followed, "" where nothing is."""
        states = Counter(self._states.values())
        here = states["here"]
        if not self._states:
            return ""
        words = counted(here, "%n followed", "%n followed")
        return words + (
            ", " + tr("%1 away").replace("%1", str(states["away"])) if states["away"] else ""
        )

    def _on_news(self, news: FollowingNews) -> None:
        if news.kind != "failed":
            self._states[news.who] = "away" if news.kind == "away" else "here"
        self._context.said.emit(news.sentence, news.kind in ("away", "failed"))
        if news.kind == "fetched":
            self._changed.start()
