"""The command finder (Ctrl+K): type a few letters, Enter does it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from gezeiten.ui.acts import Act
from gezeiten.ui.i18n import tr


class Finder(QDialog):
    """Lists acts whose titles hold all the typed words."""

    def __init__(self, parent: QWidget, acts: list[Act]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._acts = acts
        self.entry = QLineEdit()
        self.entry.setPlaceholderText(tr("What do you want to do?"))
        self.entry.setAccessibleName(tr("Command finder"))
        self.hits = QListWidget()
        self.hits.setAccessibleName(tr("Matching commands"))
        layout = QVBoxLayout(self)
        layout.addWidget(self.entry)
        layout.addWidget(self.hits)
        self.setFixedSize(520, 360)
        self.entry.textChanged.connect(self._filter)
        self.entry.returnPressed.connect(self.take)
        self.hits.itemActivated.connect(lambda _: self.take())
        self.entry.installEventFilter(self)
        self._filter("")
        self.entry.setFocus()

    def _filter(self, text: str) -> None:
        self.hits.clear()
        words = text.casefold().split()
        for act in self._acts:
            if all(word in act.title.casefold() for word in words):
                item = QListWidgetItem(f"{act.title}    {act.key}" if act.key else act.title)
                item.setData(Qt.ItemDataRole.UserRole, act)
                self.hits.addItem(item)
        self.hits.setCurrentRow(0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step:
                row = max(0, min(self.hits.count() - 1, self.hits.currentRow() + step))
                self.hits.setCurrentRow(row)
                return True
        return super().eventFilter(watched, event)

    def take(self) -> None:
        """Do the chosen act."""
        item = self.hits.currentItem()
        self.accept()
        if item is not None:
            item.data(Qt.ItemDataRole.UserRole).handler()
