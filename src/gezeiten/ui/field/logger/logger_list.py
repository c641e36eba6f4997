"""The list of loggers at hand: a painted card each: what it does, what it holds and nobody has,
and what this desk has done with it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PySide6.QtCore import (
    QModelIndex,
    QPersistentModelIndex,
    QPoint,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate
from PySide6.QtWidgets import QStyleOptionViewItem as ItemStyle

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.board.thresholds import is_clock_difference_notable
from gezeiten.domain.series.timeline import duration_text
from gezeiten.ui.field.logger.logger_texts import to_offload_text
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.shell.theme import LIGHT, Theme

_CARD = Qt.ItemDataRole.UserRole
_MARKS = _CARD + 1
_BOX = 18.0


@dataclass(frozen=True, slots=True)
class LoggerMarks:
    """What this desk knows of a logger.

    doing: what it does, in words. is_launched: by this desk, and nothing is meant for it since.
    label: "no" (nobody compared), "passed" or "blocking". pin: "open", "known" or "wanted".
    """

    doing: str = ""
    is_launched: bool = False
    label: str = "no"
    pin: str = "open"

    def texts(self) -> list[str]:
        """Return in words what was done with it, most important first."""
        said = [tr("wrong label!")] if self.label == "blocking" else []
        said += [tr("✓ launched")] if self.is_launched else []
        said += {"wanted": [tr("locked")], "known": [tr("PIN known")]}.get(self.pin, [])
        return said + ([tr("label ✓")] if self.label == "passed" else [])

    @property
    def color(self) -> str:
        """The theme's colour for these words."""
        if self.label == "blocking":
            return "ember"
        return "kelp" if self.is_launched else "brass" if self.pin == "wanted" else "tide"


class LoggerList(QListWidget):
    """Shows cards; items carry the `LoggerCard`. Space or a click on the box ticks one.

    ticks_changed: which loggers are ticked has changed. entered_key: Enter was pressed in it.
    touched: a hand was at it, by key or mouse.
    """

    ticks_changed = Signal()
    entered_key = Signal()
    touched = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.round_words: Mapping[str, str] = {}
        self._ticked: dict[str, None] = {}
        self.setItemDelegate(_CardPainter(self))
        self.setAccessibleName(tr("Connected loggers"))
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setStyleSheet("QListWidget { background: transparent; }")
        self.setSpacing(3)

    def show_card(self, card: LoggerCard, marks: LoggerMarks) -> None:
        """Add a card in the order of serials, or renew the one of the same serial."""
        item = self.item_of(card.serial)
        is_new, was_in_sight = item is None, self._selected_in(self.viewport().rect())
        if item is None:
            item = QListWidgetItem()
            before = [c for c in self.cards() if c.serial < card.serial]
            self.insertItem(len(before), item)
        item.setData(_CARD, card)
        item.setData(_MARKS, marks)
        self._describe(item)
        if is_new and was_in_sight:
            self._scroll_to_selected()

    def show_marks(self, serial: str, marks: LoggerMarks) -> None:
        """Show what this desk knows of a logger."""
        item = self.item_of(serial)
        if item is not None and item.data(_MARKS) != marks:
            item.setData(_MARKS, marks)
            self._describe(item)

    # -- the chosen card stays in sight when cards come in above it, or the list gets shorter -----
    def _selected_in(self, area: QRect) -> bool:
        selected = self.currentItem()
        self.executeDelayedItemsLayout()
        return selected is not None and area.contains(self.visualItemRect(selected))

    def _scroll_to_selected(self) -> None:
        self.executeDelayedItemsLayout()
        self.scrollToItem(self.currentItem())

    def resizeEvent(self, event: QResizeEvent) -> None:
        was_in_sight = self._selected_in(QRect(QPoint(0, 0), event.oldSize()))
        super().resizeEvent(event)
        if was_in_sight:
            self._scroll_to_selected()

    def _describe(self, item: QListWidgetItem) -> None:
        card, marks = item.data(_CARD), item.data(_MARKS)
        texts = [card.serial, card.point, card.identity.model.name, marks.doing]
        texts += [to_offload_text(card), *marks.texts()]
        if card.serial in self._ticked:
            texts.append(tr("selected"))
        texts.append(self.round_words.get(card.serial, ""))
        said = list(filter(None, texts))
        item.setData(Qt.ItemDataRole.AccessibleTextRole, ", ".join(said))
        item.setToolTip(plain_tip("\n".join(said)))

    def show_round(self, words: Mapping[str, str]) -> None:
        """Say beside loggers what the round wants of them, by serial."""
        self.round_words = words
        for i in range(self.count()):
            self._describe(self.item(i))
        self.viewport().update()

    def item_of(self, serial: str) -> QListWidgetItem | None:
        """Return the item of a serial."""
        items = (self.item(i) for i in range(self.count()))
        return next((item for item in items if item.data(_CARD).serial == serial), None)

    def choose(self, serial: str) -> None:
        """Choose a logger; nothing where it is not among them."""
        item = self.item_of(serial)
        if item is not None:
            self.setCurrentItem(item)

    def card(self, serial: str) -> LoggerCard | None:
        """Return the card of a serial."""
        item = self.item_of(serial)
        return item.data(_CARD) if item else None

    def current_card(self) -> LoggerCard | None:
        """Return the chosen card."""
        item = self.currentItem()
        return item.data(_CARD) if item else None

    def cards(self) -> list[LoggerCard]:
        """Return all cards."""
        return [self.item(i).data(_CARD) for i in range(self.count())]

    def drop_all_but(self, serials: set[str]) -> None:
        """Take out the cards of loggers that no longer answer."""
        for card in self.cards():
            if card.serial not in serials:
                item = self.item_of(card.serial)
                if item is not None:
                    self.takeItem(self.row(item))
                self._ticked.pop(card.serial, None)
        self.ticks_changed.emit()

    # -- ticks -----------------------------------------------------------------------------------
    def ticked(self) -> list[LoggerCard]:
        """Return the ticked cards, in the order of the list."""
        return [card for card in self.cards() if card.serial in self._ticked]

    def is_ticked(self, serial: str) -> bool:
        return serial in self._ticked

    def tick(self, serials: list[str]) -> None:
        """Tick these and no others."""
        self._ticked = dict.fromkeys(serials)
        for i in range(self.count()):
            self._describe(self.item(i))
        self.viewport().update()
        self.ticks_changed.emit()

    def toggle(self, serial: str) -> None:
        """Tick a logger, or take the tick off."""
        remaining = [s for s in self._ticked if s != serial]
        self.tick(remaining if serial in self._ticked else [*remaining, serial])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self.touched.emit()
        card = self.current_card()
        if event.key() == Qt.Key.Key_Space and card is not None:
            self.toggle(card.serial)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.isAutoRepeat():
            self.entered_key.emit()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.touched.emit()
        item = self.itemAt(event.position().toPoint())
        if item is not None:
            area = box_area(QRectF(self.visualItemRect(item)))
            if area.adjusted(-14, -12, 14, 14).contains(event.position()):
                self.toggle(item.data(_CARD).serial)
                return
        super().mousePressEvent(event)


def box_area(item: QRectF) -> QRectF:
    """Return where the tick box of an item is."""
    return QRectF(item.right() - 14 - _BOX, item.top() + 10, _BOX, _BOX)


class _CardPainter(QStyledItemDelegate):
    """Paints one card: serial, tick box, place, memory bar, state."""

    def __init__(self, view: LoggerList) -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self, option: ItemStyle, _index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, option.fontMetrics.height() * 3 + 40)

    def paint(
        self, painter: QPainter, option: ItemStyle, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        card: LoggerCard = index.data(_CARD)
        t = self._view.theme
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        box = QRectF(option.rect).adjusted(2, 2, -2, -2)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(t.color("tide" if selected else "line"), 2 if selected else 1))
        painter.setBrush(t.color("tide_wash" if selected else "paper"))
        painter.drawRoundedRect(box, 8, 8)
        self._tick_box(painter, box_area(QRectF(option.rect)), card)
        inner = box.adjusted(12, 7, -12, -7)
        line = option.fontMetrics.height() + 2
        head = QFont(option.font)
        head.setBold(True)
        small = QFont(option.font)
        small.setPixelSize(round(option.font.pixelSize() * 0.88))
        self._text(painter, inner, 0, card.serial, head, "ink")
        marks: LoggerMarks = index.data(_MARKS)
        source = [tr("practice")] if card.state.practice else []
        said = marks.texts() or [*source, tr(card.address.route)]
        serial_width = painter.fontMetrics().horizontalAdvance(card.serial) + 10
        beside_box = inner.adjusted(serial_width, 0, -_BOX - 12, 0)
        color = marks.color if marks.texts() else "muted"
        self._text(painter, beside_box, 0, " · ".join(said), small, color, right=True)
        place = card.point.split(" · ")[-1] if card.point else tr("no point yet")
        where = f"{place} · {card.identity.model.name}"
        self._text(painter, inner, line, where, option.font, "ink")
        bar = QRectF(inner.left(), inner.top() + 2 * line + 4, inner.width(), 7)
        self._memory(painter, bar, card)
        self._bottom(painter, inner, 2 * line + 14, card, marks, small)
        painter.restore()

    def _tick_box(self, painter: QPainter, area: QRectF, card: LoggerCard) -> None:
        t = self._view.theme
        is_ticked = self._view.is_ticked(card.serial)
        painter.setPen(QPen(t.color("tide" if is_ticked else "muted"), 1.5))
        painter.setBrush(t.color("tide" if is_ticked else "paper"))
        painter.drawRoundedRect(area, 3, 3)
        if is_ticked:
            painter.setPen(QPen(t.color("on_tide"), 2.2))
            x, y = area.left(), area.top()
            painter.drawPolyline(
                [QPointF(x + 3.5, y + 8), QPointF(x + 7, y + 11.5), QPointF(x + 12.5, y + 4.5)]
            )

    def _bottom(
        self,
        painter: QPainter,
        inner: QRectF,
        down: float,
        card: LoggerCard,
        marks: LoggerMarks,
        small: QFont,
    ) -> None:
        """What it does and holds at the left; the clock or the round at the right."""
        text = f"{marks.doing} · {to_offload_text(card)}"
        room = QRectF(inner)
        off = card.clock.difference_ms
        words, color = self._view.round_words.get(card.serial, ""), "tide"
        if is_clock_difference_notable(off):
            words = tr("clock %1").replace("%1", duration_text(round(off)))
            color = "brass"
        if words:
            bold = QFont(small)
            bold.setBold(True)
            self._text(painter, inner, down, words, bold, color, right=True)
            room.setWidth(inner.width() - painter.fontMetrics().horizontalAdvance(words) - 10)
        self._text(painter, room, down, text, small, "muted")

    def _text(
        self,
        painter: QPainter,
        inner: QRectF,
        down: float,
        text: str,
        font: QFont,
        color: str,
        *,
        right: bool = False,
    ) -> None:
        painter.setFont(font)
        painter.setPen(self._view.theme.color(color))
        area = QRectF(
            inner.left(), inner.top() + down, inner.width(), painter.fontMetrics().height() + 2
        )
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        shown = painter.fontMetrics().elidedText(
            text, Qt.TextElideMode.ElideRight, int(area.width())
        )
        painter.drawText(area, side | Qt.AlignmentFlag.AlignVCenter, shown)

    def _memory(self, painter: QPainter, area: QRectF, card: LoggerCard) -> None:
        """Used memory: kept solid, not kept dashed."""
        t, state = self._view.theme, card.state
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color("line"))
        painter.drawRoundedRect(area, 3, 3)
        if not state.memory_size:
            return
        used = area.width() * min(state.memory_used / state.memory_size, 1.0)
        held = max(state.readings - state.first_held, 1)
        open_share = min(card.readings_to_offload / held, 1.0)
        solid = QRectF(area.left(), area.top(), used * (1 - open_share), area.height())
        painter.fillRect(solid, t.color("tide"))
        if open_share > 0:
            rest = QRectF(solid.right(), area.top(), used * open_share, area.height())
            painter.setBrush(t.color("tide_wash"))
            painter.setPen(QPen(t.color("tide"), 1.2, Qt.PenStyle.DashLine))
            painter.drawRect(rest)
