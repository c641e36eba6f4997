"""The seven places one above the other; each is built when it is first wanted.

The window shows its first place before the others are even imported (charts cost most); the rest
is imported afterwards off the main thread, and then built one by one, between the events of the
user.
"""

from __future__ import annotations

from importlib import import_module
from types import ModuleType

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QStackedWidget, QWidget

from gezeiten.ui.shell.app_context import FIELD_DESK, AppContext, Place
from gezeiten.ui.work.work_queue import Task

_WHERE = (
    ("tideboard", "TideboardPlace"),
    ("field", "FieldDeskPlace"),
    ("mend", "MendPlace"),
    ("trends", "TrendsPlace"),
    ("excursions", "ExcursionsPlace"),
    ("handover", "HandoverPlace"),
    ("logbook", "LogbookPlace"),
)
_BETWEEN_MS = 40


class PlaceStack(QStackedWidget):
    """built: a Place, just made and not shown yet."""

    built = Signal(object)

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._made: dict[int, Place] = {}
        self._closed = self._fetched = False
        for _ in _WHERE:
            self.addWidget(QWidget())
        self._rest = QTimer(self)
        self._rest.setInterval(_BETWEEN_MS)
        self._rest.timeout.connect(self._build_next)

    def offered(self) -> list[int]:
        """Return the places that there are: of an archive that is only looked at not the one where
        everything is an action."""
        without = {FIELD_DESK} if self._context.is_read_only else set()
        return [index for index in range(len(_WHERE)) if index not in without]

    def __len__(self) -> int:
        return len(_WHERE)

    def __getitem__(self, index: int) -> Place:
        """Return a place, built now where it was not wanted before."""
        if index not in self._made:
            self._build(range(len(_WHERE))[index])
        return self._made[index]

    def built_places(self) -> list[Place]:
        """Return the places that are built already, in their order."""
        return [self._made[index] for index in sorted(self._made)]

    def build_rest(self) -> None:
        """Build what nobody has wanted yet, one place at a time; again does no harm."""
        if len(self._made) == len(self.offered()) or self._closed:
            return
        if self._fetched:
            self._rest.start()
        else:
            self._fetched = True  # its end makes the window idle again
            self._context.run(_fetch, lambda _: None)

    def stop_building(self) -> None:
        """Leave the rest unbuilt: the window is closed."""
        self._closed = True
        self._rest.stop()

    def _build_next(self) -> None:
        left = [index for index in self.offered() if index not in self._made]
        if left:
            self._build(left[0])
        if len(left) <= 1:
            self._rest.stop()

    def _build(self, index: int) -> None:
        module, name = _WHERE[index]
        kind = getattr(_imported(module), name)
        place = self._made[index] = kind(self._context)
        empty = self.widget(index)
        self.insertWidget(index, place)
        if empty is not None:
            self.removeWidget(empty)
            empty.deleteLater()
        self.built.emit(place)


def _imported(module: str) -> ModuleType:
    return import_module(f"gezeiten.ui.{module}.place")


def _fetch(task: Task) -> None:
    """Import what the places need, so that building them keeps nobody waiting."""
    for module, _ in _WHERE:
        if not task.cancelled():
            _imported(module)
