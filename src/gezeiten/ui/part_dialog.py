"""Offloading a part of a mission: from and until on a small picture of its extent."""

from __future__ import annotations

from PySide6.QtCore import QDateTime, QPointF, QRectF, Qt, QTimeZone, Signal
from PySide6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QDateTimeEdit, QDialog, QWidget

from gezeiten.desk.contact import LoggerCard
from gezeiten.domain.coverage import Range, missing, size
from gezeiten.domain.timeline import Span, duration_text
from gezeiten.link.mission_file import READINGS_PER_BLOCK
from gezeiten.link.offload import wanted_blocks
from gezeiten.link.session import DirectoryEntry
from gezeiten.ui.house import House
from gezeiten.ui.i18n import counted, day_and_time, number, tr
from gezeiten.ui.parts import Facts, button, column, label, row

_HANDLE = 9.0


class ExtentBar(QWidget):
    """What a mission holds: kept solid, not kept dashed; the chosen stretch between two handles.

    chosen: (start, end) in UTC ms, after a drag.
    """

    chosen = Signal(object)

    def __init__(self, house: House, whole: Span, open_spans: list[Span]) -> None:
        super().__init__()
        self._house, self._whole, self._open = house, whole, open_spans
        self.span = whole
        self._drags = -1
        self.setMinimumHeight(64)
        self.setAccessibleName(tr("Extent of the mission"))

    def _x(self, at_ms: float) -> float:
        begin, end = self._whole
        share = (at_ms - begin) / max(end - begin, 1)
        return _HANDLE + share * (self.width() - 2 * _HANDLE)

    def _at(self, x: float) -> int:
        begin, end = self._whole
        share = (x - _HANDLE) / max(self.width() - 2 * _HANDLE, 1)
        return round(begin + min(max(share, 0.0), 1.0) * (end - begin))

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = self._house.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QRectF(_HANDLE, 22, self.width() - 2 * _HANDLE, 20)
        painter.fillRect(middle, t.color("tide"))
        for begin, end in self._open:
            part = QRectF(self._x(begin), 22, max(self._x(end) - self._x(begin), 2), 20)
            painter.fillRect(part, t.color("tide_wash"))
            painter.setPen(QPen(t.color("tide"), 1.2, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(part)
        left, right = (self._x(at) for at in self.span)
        shade = t.color("ground")
        shade.setAlpha(190)
        for begin, end in ((_HANDLE, left), (right, self.width() - _HANDLE)):
            painter.fillRect(QRectF(begin, 20, max(end - begin, 0), 24), QBrush(shade))
        painter.setPen(QPen(t.color("ink"), 2))
        painter.setBrush(t.color("brass"))
        for x in (left, right):
            painter.drawLine(QPointF(x, 14), QPointF(x, 50))
            painter.drawEllipse(QPointF(x, 14), 5, 5)
        painter.end()

    def set_span(self, span: Span) -> None:
        """Show another stretch."""
        self.span = span
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        left, right = (abs(self._x(at) - x) for at in self.span)
        self._drags = 0 if left <= right else 1
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drags < 0:
            return
        at = self._at(event.position().x())
        begin, end = self.span
        self.span = (min(at, end), end) if self._drags == 0 else (begin, max(at, begin))
        self.update()
        self.chosen.emit(self.span)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._drags = -1


class PartDialog(QDialog):
    """wanted: reading ranges by mission number."""

    wanted = Signal(object)

    def __init__(
        self, parent: QWidget, house: House, card: LoggerCard, zone: str, rate: float | None
    ) -> None:
        super().__init__(parent)
        self._card, self._zone, self._rate = card, zone, rate
        self._qzone = QTimeZone(zone.encode())
        self._entry = card.directory[-1]
        part = next((p for p in card.not_kept if p.entry.mission == self._entry.mission), None)
        self._open: list[Range] = list(part.ranges) if part else []
        self.setWindowTitle(tr("Offload a part of %1").replace("%1", card.serial))
        self.resize(620, 320)
        entry = self._entry
        whole = (_instant(entry, entry.first_held), _instant(entry, max(entry.readings, 1)))
        opened = [(_instant(entry, a), _instant(entry, b)) for a, b in self._open]
        self.bar = ExtentBar(house, whole, opened)
        start = opened[0][0] if opened else whole[0]
        self.bar.set_span((start, whole[1]))
        self.since, self.until = QDateTimeEdit(), QDateTimeEdit()
        for field, words in ((self.since, tr("From")), (self.until, tr("Until"))):
            field.setDisplayFormat("d MMM yyyy HH:mm")
            field.setCalendarPopup(True)
            field.setAccessibleName(words)
        self.facts = Facts()
        self.take = button(tr("Offload this part"), self._take, "primary")
        self.setLayout(
            column(label(tr("Solid: kept already. Dashed: on the logger only."), "muted"), self.bar,
                   row(label(tr("From")), self.since, label(tr("Until")), self.until, 1),
                   self.facts, 1,
                   row(self.take, button(tr("Close"), self.reject), 1), margins=16)
        )  # fmt: skip
        self._show_fields()
        self.bar.chosen.connect(lambda _: self._show_fields())
        for field in (self.since, self.until):
            field.dateTimeChanged.connect(self._typed)
        self._show_facts()

    def _show_fields(self) -> None:
        for field, at in zip((self.since, self.until), self.bar.span, strict=True):
            field.blockSignals(True)
            field.setTimeZone(self._qzone)
            field.setDateTime(QDateTime.fromMSecsSinceEpoch(at, self._qzone))
            field.blockSignals(False)
        self._show_facts()

    def _typed(self) -> None:
        span = tuple(field.dateTime().toMSecsSinceEpoch() for field in (self.since, self.until))
        self.bar.set_span((min(span), max(span)))
        self._show_facts()

    def ranges(self) -> list[Range]:
        """Return the reading numbers of the chosen stretch that are not kept yet."""
        entry, (start, end) = self._entry, self.bar.span
        first = max(-(-(start - entry.first_ms) // entry.interval_ms), entry.first_held)
        stop = min((end - entry.first_ms) // entry.interval_ms + 1, entry.readings)
        chosen = (first, max(stop, first))
        kept = missing(chosen, self._open)
        return missing(chosen, kept)

    def _show_facts(self) -> None:
        ranges, entry = self.ranges(), self._entry
        count = size(ranges)
        rest = size(self._open) - count
        blocks = wanted_blocks(ranges, entry.held)
        length = len(blocks) * entry.block_bytes
        facts = [
            (tr("Comes"), counted(count, "%n reading", "%n readings")
             + " · " + counted(len(blocks), "%n block", "%n blocks")
             + tr(" of %1 readings").replace("%1", number(READINGS_PER_BLOCK))),
            (tr("Stays not offloaded"), counted(max(rest, 0), "%n reading", "%n readings")),
            (tr("Takes about"), self._estimate(length)),
        ]  # fmt: skip
        self.facts.show_facts(facts)
        self.take.setEnabled(bool(count))
        words = " – ".join(day_and_time(at, self._zone) for at in self.bar.span)
        self.bar.setAccessibleDescription(words)

    def _estimate(self, length: int) -> str:
        if self._rate is None:
            return tr("not known: this line has not been measured yet")
        words = duration_text(max(round(1000 * length / self._rate), 1000))
        rate = tr("at %1 kB/s as measured last on this line")
        return f"{words} · {rate.replace('%1', number(self._rate / 1000, 1))}"

    def _take(self) -> None:
        self.wanted.emit({self._entry.mission: self.ranges()})
        self.accept()


def _instant(entry: DirectoryEntry, number_: int) -> int:
    return entry.first_ms + number_ * entry.interval_ms
