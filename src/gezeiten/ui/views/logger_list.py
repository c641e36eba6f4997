"""The list of loggers at hand: a painted card each, with what it holds and nobody has."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QPainter, QPen
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate
from PySide6.QtWidgets import QStyleOptionViewItem as ItemStyle

from gezeiten.desk.contact import LoggerCard
from gezeiten.domain.models import ChannelSpec
from gezeiten.domain.quantities import quantity
from gezeiten.domain.timeline import duration_text
from gezeiten.link.registers import LiveValue, SensorStatus, State
from gezeiten.ui.i18n import counted, number, tr
from gezeiten.ui.theme import LIGHT, Theme

CLOCK_WORTH_SAYING_MS = 30_000
_CARD = Qt.ItemDataRole.UserRole


def doing(card: LoggerCard) -> str:
    """Return in a word what a logger is doing."""
    return {
        State.IDLE: tr("idle, nothing launched"),
        State.WAITING: tr("waiting for its start"),
        State.LOGGING: tr("logging"),
        State.FULL: tr("memory full"),
        State.ENDED: tr("ended as planned"),
        State.STOPPED: tr("stopped"),
        State.BATTERY_EMPTY: tr("battery was empty"),
    }[State(card.state.state)]


def reading_words(spec: ChannelSpec, live: LiveValue) -> str:
    """Return a present value as text."""
    if live.status == SensorStatus.NO_SENSOR:
        return tr("no sensor")
    return f"{number(live.value, quantity(spec.key).decimals)} {live.unit}"


class LoggerList(QListWidget):
    """Shows cards; items carry the `LoggerCard`."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.setItemDelegate(_CardPainter(self))
        self.setAccessibleName(tr("Loggers at hand"))
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.setStyleSheet("QListWidget { background: transparent; }")
        self.setSpacing(4)

    def show_card(self, card: LoggerCard) -> None:
        """Add a card, or renew the one of the same serial; sorted by what is at risk."""
        item = self.item_of(card.serial)
        if item is None:
            item = QListWidgetItem()
            self.addItem(item)
        item.setData(_CARD, card)
        words = [card.serial, card.point, doing(card)]
        if card.readings_not_kept:
            words.append(not_kept_words(card))
        item.setData(Qt.ItemDataRole.AccessibleTextRole, ", ".join(filter(None, words)))

    def item_of(self, serial: str) -> QListWidgetItem | None:
        """Return the item of a serial."""
        items = (self.item(i) for i in range(self.count()))
        return next((item for item in items if item.data(_CARD).serial == serial), None)

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


def not_kept_words(card: LoggerCard) -> str:
    """Return "2 880 readings not offloaded"."""
    count = card.readings_not_kept
    return counted(count, "%n reading not offloaded", "%n readings not offloaded")


class _CardPainter(QStyledItemDelegate):
    """Paints one card: serial, place, memory bar, state."""

    def __init__(self, view: LoggerList) -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self, option: ItemStyle, _index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, option.fontMetrics.height() * 3 + 44)

    def paint(
        self, painter: QPainter, option: ItemStyle, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        card: LoggerCard = index.data(_CARD)
        t = self._view.theme
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        box = QRectF(option.rect).adjusted(2, 2, -2, -2)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(t.color("tide" if chosen else "line"), 2 if chosen else 1))
        painter.setBrush(t.color("tide_wash" if chosen else "paper"))
        painter.drawRoundedRect(box, 8, 8)
        inner = box.adjusted(12, 8, -12, -8)
        line = option.fontMetrics.height() + 2
        head = QFont(option.font)
        head.setBold(True)
        small = QFont(option.font)
        small.setPixelSize(round(option.font.pixelSize() * 0.88))
        self._text(painter, inner, 0, card.serial, head, "ink")
        source = tr("practice · network") if card.state.practice else tr("network")
        self._text(painter, inner, 0, source, small, "muted", right=True)
        place = card.point.split(" · ")[-1] if card.point else tr("no point yet")
        self._text(
            painter, inner, line, f"{place} · {card.identity.model.name}", option.font, "ink"
        )
        self._memory(
            painter, QRectF(inner.left(), inner.top() + 2 * line + 5, inner.width(), 7), card
        )
        said = not_kept_words(card) if card.readings_not_kept else tr("all kept")
        if not card.is_recording:
            said = f"{doing(card)} · {said}"
        bottom = QRectF(inner)
        off = card.clock.difference_ms
        if abs(off) > CLOCK_WORTH_SAYING_MS:
            words = tr("clock %1").replace("%1", duration_text(round(off)))
            bold = QFont(small)
            bold.setBold(True)
            self._text(painter, inner, 2 * line + 16, words, bold, "brass", right=True)
            bottom.setWidth(inner.width() - painter.fontMetrics().horizontalAdvance(words) - 10)
        self._text(painter, bottom, 2 * line + 16, said, small, "muted")
        painter.restore()

    def _text(
        self, painter: QPainter, inner: QRectF, down: float, text: str, font: QFont, color: str,
        *, right: bool = False,
    ) -> None:  # fmt: skip
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
        open_share = min(card.readings_not_kept / held, 1.0)
        solid = QRectF(area.left(), area.top(), used * (1 - open_share), area.height())
        painter.fillRect(solid, t.color("tide"))
        if open_share > 0:
            rest = QRectF(solid.right(), area.top(), used * open_share, area.height())
            painter.setBrush(t.color("tide_wash"))
            painter.setPen(QPen(t.color("tide"), 1.2, Qt.PenStyle.DashLine))
            painter.drawRect(rest)
