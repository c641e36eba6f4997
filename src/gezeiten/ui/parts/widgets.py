"""Small parts that all places share: cards, labels, buttons, rows of facts."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTreeWidget,
    QTreeWidgetItem,
    QTreeWidgetItemIterator,
    QVBoxLayout,
    QWidget,
)

from gezeiten.ui.parts.flow import ElidingLabel, YieldingWidget


class Card(YieldingWidget, QFrame):
    """A sheet of paper on the ground, with a heading and something small to its right."""

    def __init__(self, title: str = "", aside: QWidget | str | None = None) -> None:
        super().__init__()
        self.setObjectName("card")
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(14, 10, 14, 12)
        self.body.setSpacing(6)
        self.title = label(title, "head")
        self.aside = label(aside, "muted") if isinstance(aside, str) else aside
        if title or aside:
            row = QHBoxLayout()
            row.addWidget(self.title)
            row.addStretch(1)
            if self.aside is not None:
                row.addWidget(self.aside)
            self.body.addLayout(row)


def label(text: str = "", role: str = "", *, wrap: bool = False, whole: bool = False) -> QLabel:
    """Return a label of a role that the theme knows: head, muted, big, ember, brass, kelp.

    wrap: goes on in the next line. whole: never gives way, as the caption of a field.
    """
    made = QLabel(text) if wrap or whole else ElidingLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setWordWrap(wrap)
    if role:
        made.setProperty("role", role)
    if wrap:
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    return made


def without_line_break(text: str) -> str:
    """Return a text in which no line breaks between a number and its unit."""
    return re.sub(r"(?<=\d) (?=[^\s\d]{1,5}(?:[\s,;]|$))", "\u00a0", text)


def set_role(widget: QWidget, role: str) -> None:
    """Give a widget another role and repaint it in that."""
    widget.setProperty("role", role)
    widget.style().unpolish(widget)
    widget.style().polish(widget)


def button(text: str, clicked: Callable[[], object], role: str = "") -> QPushButton:
    """Return a button; role "primary" or "link" or none."""
    made = QPushButton(text)
    made.setAutoDefault(False)
    if role:
        made.setProperty("role", role)
    made.clicked.connect(lambda _=False: clicked())
    return made


def rule() -> QFrame:
    """Return a thin horizontal line."""
    line = QFrame()
    line.setObjectName("rule")
    line.setFixedHeight(1)
    return line


def clear(layout: QLayout) -> None:
    """Remove everything from a layout."""
    while (item := layout.takeAt(0)) is not None:
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            clear(inner)


def give_room(widget: QWidget, place: int, share: int = 1) -> None:
    """Let one part of a widget's row or column take the room that is left."""
    layout = widget.layout()
    assert isinstance(layout, QBoxLayout)
    layout.setStretch(place, share)


def scrolled(page: QWidget) -> QScrollArea:
    """Give a page that may need more height than there is a way to scroll."""
    scroll = QScrollArea()
    scroll.setObjectName("ground")
    scroll.setWidget(page)
    scroll.setWidgetResizable(True)
    scroll.setFrameShape(QFrame.Shape.NoFrame)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return scroll


def column(*parts: QWidget | QLayout | int, spacing: int = 12, margins: int = 0) -> QVBoxLayout:
    """Return widgets and layouts one below the other; an int is a stretch."""
    made = QVBoxLayout()
    made.setContentsMargins(margins, margins, margins, margins)
    made.setSpacing(spacing)
    _fill(made, parts)
    return made


def row(*parts: QWidget | QLayout | int, spacing: int = 12, margins: int = 0) -> QHBoxLayout:
    """Return widgets and layouts side by side; an int is a stretch."""
    made = QHBoxLayout()
    made.setContentsMargins(margins, margins, margins, margins)
    made.setSpacing(spacing)
    _fill(made, parts)
    return made


def _fill(layout: QVBoxLayout | QHBoxLayout, parts: tuple[QWidget | QLayout | int, ...]) -> None:
    for part in parts:
        if isinstance(part, int):
            layout.addStretch(part)
        elif isinstance(part, QWidget):
            layout.addWidget(part)
        else:
            layout.addLayout(part)


_NAME_SHARE = 0.46


class Facts(QWidget):
    """Name and value pairs, one under the other, divided by thin lines."""

    def __init__(self, columns: int = 1) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(4)
        self._columns = columns
        self._names: list[QLabel] = []

    def show_facts(self, facts: list[tuple[str, str]]) -> None:
        """Show these pairs in place of the ones before."""
        clear(self._grid)
        self._names = []
        per_column = -(-len(facts) // self._columns)
        for i, (name, value) in enumerate(facts):
            column_index, row_index = divmod(i, max(per_column, 1))
            shown = label(without_line_break(value), wrap=True)
            shown.setStyleSheet("font-weight: 600;")
            called = label(name, "muted")
            self._names.append(called)
            self._grid.addWidget(called, row_index * 2, column_index * 3)
            self._grid.addWidget(shown, row_index * 2, column_index * 3 + 1)
            self._grid.addWidget(rule(), row_index * 2 + 1, column_index * 3, 1, 2)
        for column_index in range(self._columns):
            self._grid.setColumnStretch(column_index * 3 + 1, 1)
        self._share_room()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_room()

    def _share_room(self) -> None:
        """What a fact is called gives way to what it says."""
        for called in self._names:
            called.setMaximumWidth(max(round(_NAME_SHARE * self.width() / self._columns), 40))


def tree_items(tree: QTreeWidget) -> list[QTreeWidgetItem]:
    """Return all items of a tree in the order shown."""
    found: list[QTreeWidgetItem] = []
    walk = QTreeWidgetItemIterator(tree)
    while True:
        item: Any = walk.value()  # None at the end, whatever Qt's types say
        if item is None:
            return found
        found.append(item)
        walk += 1
