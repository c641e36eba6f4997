"""What every place is given: desk, work off the main thread, theme, and the way to other places."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.theme import LIGHT, Theme
from gezeiten.ui.work.work_queue import Task, WorkQueue

if TYPE_CHECKING:
    from gezeiten.desk.base.settings import Settings
    from gezeiten.desk.base.workspace import Workspace
    from gezeiten.desk.intake.carriers.couriers import CourierCard
    from gezeiten.desk.intake.carriers.drives import DriveCard
    from gezeiten.desk.office.logbook import AboutFilter
    from gezeiten.desk.sites.places import PointPlace
    from gezeiten.domain.series.timeline import Span
    from gezeiten.ui.shell.empty import EmptyPlace


@dataclass(frozen=True, slots=True)
class ClockWanted:
    """A target in Mend: the clocks of the missions that a series of a point is made of."""

    point_id: int
    series: str


TIDEBOARD, FIELD_DESK, MEND, TRENDS, EXCURSIONS, HANDOVER, LOGBOOK = range(7)


@dataclass(frozen=True, slots=True)
class TrendsRequest:
    """What Trends is to show: a point, a stretch of it (marked), and where one came from.

    return_to: (place, what to show there, words for the way back).
    """

    point_id: int
    span: Span | None = None
    return_to: tuple[int, object, str] | None = None


@dataclass(frozen=True, slots=True)
class ReadingsRequest:
    """Readings to show as a table: series by point and key, a stretch, and the instant to begin
    at."""

    series: tuple[tuple[PointPlace, str], ...]
    span: Span
    at_ms: int | None = None


class Practice(Protocol):
    """Whoever can start loggers to practise with (returns their addresses and serial ports), and
    the demonstration in a window of its own."""

    def start(self) -> tuple[list[str], list[str]]: ...
    def demonstrate(self) -> None: ...


class AppContext(QObject):
    """Shared by all places. go: (place, what to show there). said: text, whether a complaint.

    wants: the name of a part of the window ("settings"). begin: a way on from the first start, by
    its name; "look ADDRESSES" looks at these too. logger_wanted: a logger, by its serial.
    rows_wanted: `ReadingsRequest` to show as a table. carriers_watched: whether any place in sight
    needs to know of couriers and drives; carriers_changed: others are connected.
    """

    go = Signal(int, object)
    said = Signal(str, bool)
    wants = Signal(str)
    begin = Signal(str)
    logger_wanted = Signal(str)
    rows_wanted = Signal(object)
    archive_changed = Signal()
    carriers_watched = Signal(bool)
    carriers_changed = Signal()

    def __init__(self, desk: Workspace, practice: Practice | None = None) -> None:
        super().__init__()
        self.desk = desk
        self.practice = practice
        self.works = WorkQueue()
        self.theme: Theme = LIGHT
        self.carriers: dict[str, CourierCard | DriveCard] = {}
        """The couriers and drives at hand, as the Field desk saw them last."""
        self._carriers_wanted = 0
        desk.set_listener(lambda words: self.said.emit(words, False))
        self.seconds: Callable[[], float] = time.monotonic
        """For what happens by hand: how long a press lies behind."""

    @property
    def are_carriers_watched(self) -> bool:
        """Whether any place in sight wants to know of couriers and drives."""
        return self._carriers_wanted > 0

    def watch_carriers(self, *, on: bool) -> None:
        """A place that wants to know of couriers and drives came into sight, or went out of it."""
        self._carriers_wanted += 1 if on else -1
        self.carriers_watched.emit(self.are_carriers_watched)

    @property
    def is_read_only(self) -> bool:
        """Whether the archive is only looked at: no action is offered."""
        return self.desk.is_read_only

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

    def change_settings(self, settings: Settings) -> None:
        """Take new settings at once; they are written off the main thread."""
        self.desk.settings = settings
        self.run(lambda _task: self.desk.save_settings(), lambda _: None)

    def show_message(self, text: str) -> None:
        """Show a message in the foot line."""
        self.said.emit(text, False)


class Place(QWidget):
    """One of the places. Subclasses load in `refresh` and show in their own methods.

    kind_of_empty: which picture stands here as long as nothing is in the archive, or "".
    """

    kind_of_empty = ""

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.context = context
        self.is_stale = True
        self.empty_page: EmptyPlace | None = None

    def show_empty(self, *, on: bool) -> None:
        """Cover the place with a picture of itself while nothing is in the archive."""
        if not self.kind_of_empty:
            return
        if on and self.empty_page is None:
            from gezeiten.ui.shell.empty import EmptyPlace, empty_state

            method = tr("Go to the loggers (Ctrl+2)")
            self.empty_page = EmptyPlace(self, *empty_state(self.kind_of_empty), method)
            self.empty_page.asked.connect(lambda: self.context.go.emit(FIELD_DESK, None))
            self.empty_page.set_theme(self.context.theme)
        if self.empty_page is not None:
            self.empty_page.setVisible(on)
            self.empty_page.raise_()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.empty_page is not None:
            self.empty_page.fit()

    def commands(self) -> list[Command]:
        """The commands of this place."""
        return []

    def hint(self) -> str:
        """The keys worth knowing here, for the right of the foot line."""
        return ""

    def refresh(self) -> None:
        """Load what is shown."""

    def logbook_filter(self) -> Callable[[Workspace], AboutFilter] | None:
        """What is chosen here, for the Logbook to look for; asked of the desk off the main thread.
        None where nothing is chosen."""
        return None

    def point_in_hand(self) -> int | None:
        """The point (its id) that is chosen here, None where none is."""
        return None

    def show_target(self, target: object) -> None:
        """Show what another place pointed at."""

    def end(self) -> None:
        """The window is closed: end what goes on here."""

    def set_theme(self, theme: Theme) -> None:
        """Repaint what the stylesheet does not reach."""
