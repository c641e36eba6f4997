"""What every place is given: desk, work off the main thread, theme, and the way to other places."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, Protocol

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from gezeiten.desk.context import Desk
from gezeiten.ui.acts import Act
from gezeiten.ui.theme import LIGHT, Theme
from gezeiten.ui.work import Task, Works

TIDEBOARD, FIELD_DESK, MEND, TRENDS, EXCURSIONS, HANDOVER, LOGBOOK = range(7)


class Practice(Protocol):
    """Whoever can start loggers to practise with; returns their addresses and serial ports."""

    def start(self) -> tuple[list[str], list[str]]: ...


class House(QObject):
    """Shared by all places. go: (place, what to show there). said: text, whether a complaint.

    wants: the name of a part of the window ("settings").
    """

    go = Signal(int, object)
    said = Signal(str, bool)
    wants = Signal(str)
    archive_changed = Signal()

    def __init__(self, desk: Desk, practice: Practice | None = None) -> None:
        super().__init__()
        self.desk = desk
        self.practice = practice
        self.works = Works()
        self.theme: Theme = LIGHT
        desk.archive.on_wait = lambda words: self.said.emit(words, False)
        self.seconds: Callable[[], float] = time.monotonic
        """For what happens by hand: how long a press lies behind."""

    def run(
        self,
        work: Callable[[Task], Any],
        done: Callable[[Any], None],
        progress: Callable[[Any], None] | None = None,
        failed: Callable[[str], None] | None = None,
        latest: str = "",
    ) -> Task:
        """Run work off the main thread; errors go to the foot line (and to `failed`).

        latest: a name for a wish that a newer one of the same name replaces; a result that
        comes after a newer wish was made is not shown.
        """

        def complain(sentence: str) -> None:
            self.said.emit(sentence, True)
            if failed:
                failed(sentence)

        return self.works.start(work, done, complain, progress, latest)

    def say(self, text: str) -> None:
        """Show a message in the foot line."""
        self.said.emit(text, False)


class Place(QWidget):
    """One of the places. Subclasses load in `refresh` and show in their own methods."""

    def __init__(self, house: House) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.house = house
        self.is_stale = True

    def acts(self) -> list[Act]:
        """The acts of this place."""
        return []

    def hint(self) -> str:
        """The keys worth knowing here, for the right of the foot line."""
        return ""

    def refresh(self) -> None:
        """Load what is shown."""

    def show_target(self, target: object) -> None:
        """Show what another place pointed at."""

    def end(self) -> None:
        """The window is closed: end what goes on here."""

    def set_theme(self, theme: Theme) -> None:
        """Repaint what the stylesheet does not reach."""
