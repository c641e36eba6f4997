"""The finder (Ctrl+K): type a few letters; Enter does a command, or goes to what was named."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.search_words import search_words

if TYPE_CHECKING:
    from gezeiten.desk.office.finder import Thing

MOST_THINGS = 40
"""Of things so many are listed; more letters find the others."""


class Finder(QDialog):
    """Lists commands whose titles hold all the typed words, then things. wanted: go to a Thing."""

    wanted = Signal(object)

    def __init__(self, parent: QWidget, commands: list[Command]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._commands = commands
        self._found_things: list[Thing] = []
        self.entry = QLineEdit()
        self.entry.setPlaceholderText(tr("Search commands, points, loggers, documents"))
        self.entry.setAccessibleName(tr("Command finder"))
        self.hits = QListWidget()
        self.hits.setAccessibleName(tr("Matching commands"))
        layout = QVBoxLayout(self)
        layout.addWidget(self.entry)
        layout.addWidget(self.hits)
        self.setFixedSize(620, 400)
        self.entry.textChanged.connect(self._filter)
        self.entry.returnPressed.connect(self.run_selected)
        self.hits.itemActivated.connect(lambda _: self.run_selected())
        self.entry.installEventFilter(self)
        self._filter("")
        self.entry.setFocus()

    def _filter(self, text: str) -> None:
        self.hits.clear()
        words, also = text.casefold().split(), search_words()
        for action in self._commands:
            known_as = f"{action.title} {also.get(action.id, '')}".casefold()
            if all(word in known_as for word in words):
                item = QListWidgetItem(
                    f"{action.title}    {action.key}" if action.key else action.title
                )
                item.setData(Qt.ItemDataRole.UserRole, action)
                self.hits.addItem(item)
        self._list_matches(words)
        self.hits.setCurrentRow(0)

    def set_things(self, things: list[Thing]) -> None:
        """Offer these beside the commands."""
        self._found_things = things
        row = self.hits.currentRow()
        self._filter(self.entry.text())
        self.hits.setCurrentRow(row)

    def _list_matches(self, texts: list[str]) -> None:
        """What is named; nothing before something is typed."""
        found = [thing for thing in self._found_things if texts and thing.matches(texts)]
        kinds = {
            "point": tr("point"),
            "site": tr("site"),
            "logger": tr("logger"),
            "document": tr("document"),
            "plan": tr("saved plan"),
        }
        for thing in found[:MOST_THINGS]:
            more = " · ".join(filter(None, (kinds[thing.kind], thing.more)))
            item = QListWidgetItem(f"{thing.name}    {more}")
            item.setToolTip(plain_tip(item.text()))
            item.setData(Qt.ItemDataRole.UserRole, thing)
            self.hits.addItem(item)
        rest = len(found) - MOST_THINGS
        if rest > 0:
            others = QListWidgetItem(counted(rest, "and %n more", "and %n more"))
            others.setFlags(Qt.ItemFlag.NoItemFlags)
            self.hits.addItem(others)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step:
                row = max(0, min(self.hits.count() - 1, self.hits.currentRow() + step))
                self.hits.setCurrentRow(row)
                return True
        return super().eventFilter(watched, event)

    def run_selected(self) -> None:
        """Do the chosen act."""
        item = self.hits.currentItem()
        self.accept()
        found = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if isinstance(found, Command):
            found.handler()
        elif found is not None:
            self.wanted.emit(found)
