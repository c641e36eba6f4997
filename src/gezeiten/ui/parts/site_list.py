"""A list of things grouped by site: site names as headings that cannot be chosen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import (
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QFont, QFontMetrics, QPainter
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate
from PySide6.QtWidgets import QStyleOptionViewItem as ItemStyle

from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.shell.theme import LIGHT, Theme

_LINE = Qt.ItemDataRole.UserRole
_HEADING = Qt.ItemDataRole.UserRole + 1


@dataclass(frozen=True, slots=True)
class ListLine:
    """One entry: sign and colour, name and figure above, two small texts below; what it means."""

    site: str
    name: str
    figure: str
    below: str
    state: str
    item: object
    sign: str = ""
    sign_color: str = "muted"
    figure_right: str = ""
    is_open: bool = True


class SiteList(QListWidget):
    """Lines by site, in the order given. Emits the thing of the chosen line.

    several: Shift and Ctrl mark more than one. marks_changed: which ones are marked is another.
    """

    chosen = Signal(object)
    marks_changed = Signal()

    def __init__(self, name: str, *, several: bool = False) -> None:
        super().__init__()
        if several:
            self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.itemSelectionChanged.connect(self.marks_changed.emit)
        self.theme: Theme = LIGHT
        self.setAccessibleName(name)
        self.setItemDelegate(_LinePainter(self))
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.currentItemChanged.connect(lambda *_: self._select())

    def show_lines(self, lines: list[ListLine], same: Callable[[Any, Any], bool]) -> None:
        """Show lines; the thing chosen before stays chosen where `same` finds it again."""
        before, marked = self.selected(), self.marked()
        self.blockSignals(True)
        self.clear()
        site = None
        for line in lines:
            if line.site != site:
                site = line.site
                heading = QListWidgetItem(site)
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                heading.setData(_HEADING, True)
                self.addItem(heading)
            item = QListWidgetItem()
            item.setData(_LINE, line)
            words = (line.name, line.figure, line.figure_right, line.below, line.state)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, ", ".join(filter(None, words)))
            item.setToolTip(plain_tip(line.name))
            self.addItem(item)
        self.blockSignals(False)
        row = next(
            (i for i, t in self._items_by_row() if before is not None and same(t, before)), None
        )
        first = next((i for i, _ in self._items_by_row()), -1)
        self._make_current(first if row is None else row)
        if row is not None and len(marked) > 1:
            for i, thing in self._items_by_row():
                if any(same(thing, one) for one in marked):
                    self.item(i).setSelected(True)
        if self.currentRow() < 0:
            self.chosen.emit(None)

    def _items_by_row(self) -> list[tuple[int, Any]]:
        lines = ((i, self.item(i).data(_LINE)) for i in range(self.count()))
        return [(i, line.item) for i, line in lines if line is not None]

    def selected(self) -> Any:
        """Return the chosen thing, or None."""
        item = self.currentItem()
        line = item.data(_LINE) if item else None
        return line.item if line else None

    def shown_items(self) -> list[Any]:
        """Return all things in the order shown."""
        return [item for _, item in self._items_by_row()]

    def marked(self) -> list[Any]:
        """Return the marked things in the order shown; the chosen one alone where none are."""
        lines = [(self.row(item), item.data(_LINE)) for item in self.selectedItems()]
        things = [line.item for _, line in sorted(lines, key=lambda p: p[0]) if line is not None]
        selected = self.selected()
        return things or ([] if selected is None else [selected])

    def forget_marks(self) -> None:
        """Mark nothing but the chosen line."""
        self._make_current(self.currentRow())

    def select(self, wanted: Callable[[Any], bool]) -> bool:
        """Choose the first thing that is wanted; False when there is none."""
        for i, item in self._items_by_row():
            if wanted(item):
                self._make_current(i)
                return True
        return False

    def step(self, by: int) -> None:
        """Choose the next or previous thing."""
        rows = [i for i, _ in self._items_by_row()]
        if not rows:
            return
        at = rows.index(self.currentRow()) if self.currentRow() in rows else 0
        self._make_current(rows[min(max(at + by, 0), len(rows) - 1)])

    def _make_current(self, at: int) -> None:
        """Choose a line and mark it alone, whatever key is held meanwhile: with Ctrl, as in
        Ctrl+Down and Ctrl+Return, Qt would mark it beside those that are marked."""
        self.setCurrentRow(at, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def _select(self) -> None:
        self.chosen.emit(self.selected())


class _LinePainter(QStyledItemDelegate):
    def __init__(self, view: SiteList) -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self, option: ItemStyle, index: QModelIndex | QPersistentModelIndex) -> QSize:
        height = option.fontMetrics.height()
        if index.data(_HEADING):
            return QSize(120, height + 14)
        lines = 2 if self._fits(index.data(_LINE), option) else 3
        return QSize(120, lines * height + 12)

    def _fits(self, line: ListLine, option: ItemStyle) -> bool:
        """Whether the name stands whole beside its figures; else they stand below it."""
        bold = QFont(option.font)
        bold.setBold(True)
        strong, usual = QFontMetrics(bold), option.fontMetrics
        # as if the scroll bar were there: a line must not become higher when it comes
        bar = self._view.verticalScrollBar().sizeHint().width()
        room = (
            self._view.width()
            - 2 * self._view.frameWidth()
            - bar
            - 18
            - usual.horizontalAdvance("▲ ")
            - 2
        )
        figures = strong.horizontalAdvance(line.figure) + 8
        if line.figure_right:
            figures += strong.horizontalAdvance(line.figure_right) + 8
        return usual.horizontalAdvance(line.name) + figures <= room

    def paint(
        self, painter: QPainter, option: ItemStyle, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        t, area = self._view.theme, QRectF(option.rect)
        height = option.fontMetrics.height() + 2
        bold = QFont(option.font)
        bold.setBold(True)
        painter.save()
        if index.data(_HEADING):
            painter.setFont(bold)
            painter.setPen(t.color("ink"))
            place = area.adjusted(2, 0, -2, -3)
            painter.drawText(place, Qt.AlignmentFlag.AlignBottom, str(index.data()))
            painter.restore()
            return
        line: ListLine = index.data(_LINE)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, t.color("tide_wash"))
            painter.fillRect(QRectF(area.left(), area.top(), 4, area.height()), t.color("tide"))
        elif line.is_open:
            painter.fillRect(
                QRectF(area.left(), area.top() + 2, 3, area.height() - 4), t.color("brass")
            )
        inner = area.adjusted(12, 4, -6, -4)
        sign_width = painter.fontMetrics().horizontalAdvance("▲ ") + 2 if line.sign else 0
        top = QRectF(inner.left(), inner.top(), inner.width(), height)
        painter.setPen(t.color(line.sign_color))
        painter.drawText(top, Qt.AlignmentFlag.AlignVCenter, line.sign)
        painter.setFont(bold)
        metrics = painter.fontMetrics()
        right_width = (
            max(metrics.horizontalAdvance(line.figure_right) + 8, 0) if line.figure_right else 0
        )
        figure_width = metrics.horizontalAdvance(line.figure) + 8
        painter.setPen(t.color("ink"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        is_beside = self._fits(line, option)
        figures = top if is_beside else top.translated(0, height)
        painter.drawText(figures.adjusted(0, 0, -right_width, 0), right, line.figure)
        painter.setFont(option.font)
        painter.drawText(figures, right, line.figure_right)
        used = right_width + figure_width if is_beside else 0
        name_area = top.adjusted(sign_width, 0, -used, 0)
        name = painter.fontMetrics().elidedText(
            line.name, Qt.TextElideMode.ElideRight, int(name_area.width())
        )
        painter.drawText(name_area, Qt.AlignmentFlag.AlignVCenter, name)
        self._below(painter, option, line, figures.translated(0, height))
        painter.restore()

    def _below(self, painter: QPainter, option: ItemStyle, line: ListLine, area: QRectF) -> None:
        t = self._view.theme
        small = QFont(option.font)
        small.setPixelSize(round(option.font.pixelSize() * 0.88))
        small.setBold(line.is_open)
        painter.setFont(small)
        width = painter.fontMetrics().horizontalAdvance(line.state) + 8
        width = min(width, int(area.width() * 0.6))
        painter.setPen(t.color("ember" if line.is_open else "muted"))
        state = painter.fontMetrics().elidedText(line.state, Qt.TextElideMode.ElideRight, width)
        painter.drawText(area, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, state)
        small.setBold(False)
        painter.setFont(small)
        painter.setPen(t.color("muted"))
        room = area.adjusted(0, 0, -width - 4, 0)
        words = painter.fontMetrics().elidedText(
            line.below, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, words)
