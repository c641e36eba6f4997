"""The painted Tideboard: one ribbon a point through past, now and future.

Left of now: measured solid, estimated striped, gaps hatched, still on the logger dashed,
triangles for excursions, rings for offloads. Right of now: how long it goes on, to the flag.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QToolTip, QWidget

from gezeiten.desk.field.board import Board, BoardRow
from gezeiten.desk.field.mending import BookedGap
from gezeiten.desk.places import SitePlace
from gezeiten.desk.record.excursion_book import BookedExcursion
from gezeiten.domain.timeline import DAY_MS, from_ms, midnight_ms
from gezeiten.ui.i18n import counted, date, day, day_and_time, tr
from gezeiten.ui.rules import RULE_SIGNS, side_word
from gezeiten.ui.theme import LIGHT, Theme

PAST_DAYS, FUTURE_DAYS = 64, 50
AXIS_HEIGHT = 30
RIBBON = 10.0


@dataclass(frozen=True, slots=True)
class Hit:
    """What lies under the pointer: a rectangle, what to say of it, where it leads."""

    area: QRectF
    words: str
    row: BoardRow
    thing: BookedGap | BookedExcursion | str


class BoardCanvas(QWidget):
    """Paints a board; emits what was clicked or entered."""

    opened = Signal(object)
    selected = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.board: Board | None = None
        self._lines: list[tuple[SitePlace, BoardRow | None]] = []
        self._hits: list[Hit] = []
        self.current = -1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Tideboard"))

    def show_board(self, board: Board) -> None:
        """Show a board, keeping the selected row where it still is."""
        before = self.row.point.id if self.row else None
        self.board = board
        self._lines = []
        for site, rows in board.sites:
            self._lines.append((site, None))
            self._lines.extend((site, row) for row in rows)
        self.current = next(
            (i for i, (_, row) in enumerate(self._lines) if row and row.point.id == before), -1
        )
        if self.current < 0:
            self._move(1)
        self.setMinimumHeight(self.sizeHint().height())
        if self.row:
            self.setAccessibleDescription(row_in_words(self.row))
        self.update()

    @property
    def row(self) -> BoardRow | None:
        """The selected row."""
        return self._lines[self.current][1] if 0 <= self.current < len(self._lines) else None

    # -- geometry ------------------------------------------------------------------------------
    def _row_height(self) -> int:
        return max(self.theme.row - 1, self.fontMetrics().height() + 10)

    def sizeHint(self) -> QSize:
        return QSize(900, AXIS_HEIGHT + self._row_height() * max(len(self._lines), 1) + 4)

    def _left(self) -> float:
        em = self.fontMetrics().horizontalAdvance("M")
        return min(19.0 * em, self.width() * 0.22)

    def _right(self) -> float:
        return self.width() - 13.5 * self.fontMetrics().horizontalAdvance("M")

    def _x(self, at_ms: float) -> float:
        assert self.board is not None
        start = self.board.now_ms - PAST_DAYS * DAY_MS
        share = (at_ms - start) / ((PAST_DAYS + FUTURE_DAYS) * DAY_MS)
        left, right = self._left(), self._right()
        return left + min(max(share, 0.0), 1.0) * (right - left)

    def _top(self, line: int) -> float:
        return AXIS_HEIGHT + line * self._row_height()

    # -- painting ------------------------------------------------------------------------------
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("paper"))
        if self.board is None or not self._lines:
            return
        self._hits = []
        self._paint_axis(painter)
        seen = self.visibleRegion().boundingRect() or self.rect()
        first, last = self._line_at(seen.top()) - 1, self._line_at(seen.bottom()) + 1
        for i, (site, row) in enumerate(self._lines):
            if not first <= i <= last:
                continue  # a thousand rows are painted as fast as twenty
            if row is None:
                self._paint_site(painter, site, self._top(i))
            else:
                self._paint_row(painter, row, self._top(i), i == self.current)
        x = self._x(self.board.now_ms)
        painter.setPen(QPen(self.theme.color("ink"), 1.6 * self.theme.line_width))
        painter.drawLine(QPointF(x, AXIS_HEIGHT - 4), QPointF(x, self._top(len(self._lines))))

    def _font(self, *, bold: bool = False, small: bool = False) -> QFont:
        font = QFont(self.font())
        font.setBold(bold)
        if small:
            font.setPixelSize(round(font.pixelSize() * 0.88))
        return font

    def _paint_axis(self, painter: QPainter) -> None:
        assert self.board is not None
        now = self.board.now_ms
        zone = self._lines[0][0].zone
        today = from_ms(now, zone).date()
        bottom = self._top(len(self._lines))
        for weeks in range(-PAST_DAYS // 14, FUTURE_DAYS // 14 + 1):
            at = midnight_ms(today + timedelta(days=14 * weeks), zone) if weeks else now
            x = self._x(at)
            if not self._left() < x < self._right():
                continue
            painter.setPen(QPen(self.theme.color("line"), 1))
            painter.drawLine(QPointF(x, AXIS_HEIGHT - 4), QPointF(x, bottom))
            painter.setFont(self._font(bold=weeks == 0, small=weeks != 0))
            painter.setPen(self.theme.color("ink" if weeks == 0 else "muted"))
            text = day(at, zone) if weeks == 0 else date(at, zone, "d MMM")
            area = QRectF(x - 60, 2, 120, AXIS_HEIGHT - 8)
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_site(self, painter: QPainter, site: SitePlace, top: float) -> None:
        height = self._row_height()
        painter.setPen(QPen(self.theme.color("line"), 1))
        painter.drawLine(QPointF(0, top + height - 1), QPointF(self.width(), top + height - 1))
        painter.setFont(self._font(bold=True))
        painter.setPen(self.theme.color("ink"))
        name = QRectF(16, top, self._left() - 20, height - 4)
        bottom = Qt.AlignmentFlag.AlignBottom
        painter.drawText(name, bottom, self._short(site.name, painter, name.width()))
        if site.next_visit_ms is None:
            said = tr("online")
        else:
            said = tr("next visit %1").replace("%1", day(site.next_visit_ms, site.zone))
        words = f"{site.kind} · {said}" if site.kind else said
        painter.setFont(self._font(small=True))
        painter.setPen(self.theme.color("muted"))
        painter.drawText(QRectF(self._left(), top, 400, height - 4), bottom, words)

    def _short(self, text: str, painter: QPainter, width: float) -> str:
        return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(width))

    def _paint_row(self, painter: QPainter, row: BoardRow, top: float, current: bool) -> None:
        height = self._row_height()
        if current:
            painter.fillRect(QRectF(0, top, self.width(), height), self.theme.color("tide_wash"))
            if self.hasFocus():
                painter.fillRect(QRectF(0, top, 4, height), self.theme.color("tide"))
        middle = top + height / 2
        serial_width = painter.fontMetrics().horizontalAdvance("M-00000")
        center = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(self._font())
        painter.setPen(self.theme.color("ink"))
        room = self._left() - 28 - serial_width - 16
        name = self._short(row.point.name, painter, room)
        painter.drawText(QRectF(28, top, room, height), center, name)
        painter.setPen(self.theme.color("muted"))
        painter.setFont(self._font(small=True))
        at = QRectF(self._left() - serial_width - 12, top, serial_width, height)
        slanted = QFont(painter.font())
        slanted.setItalic(row.point.practice)
        painter.setFont(slanted)
        painter.drawText(at, center | Qt.AlignmentFlag.AlignRight, row.serial)
        if row.fault:
            self._paint_fault(painter, row, top, height)
        self._paint_past(painter, row, middle)
        self._paint_future(painter, row, middle)
        self._paint_need(painter, row, top, height)

    def _paint_fault(self, painter: QPainter, row: BoardRow, top: float, height: int) -> None:
        """The sentence stands where the record would."""
        area = QRectF(self._left(), top, self._right() - self._left(), height)
        painter.setPen(self.theme.color("ember"))
        painter.setFont(self._font(small=True))
        shown = self._short(f"✕ {row.fault}", painter, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, shown)
        self._hits.append(Hit(area, row.fault, row, "record"))

    def _bar(self, span: tuple[int, int], middle: float) -> QRectF:
        left, right = self._x(span[0]), self._x(span[1])
        return QRectF(left, middle - RIBBON / 2, max(right - left, 1.5), RIBBON)

    def _paint_past(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        t = self.theme
        painter.setPen(Qt.PenStyle.NoPen)
        for span in row.held:
            area = self._bar(span, middle)
            painter.fillRect(area, t.color("tide"))
            words = tr("measured") + f" · {self._span(row, span)}"
            self._hits.append(Hit(area, words, row, "record"))
        for span in row.estimated:
            area = self._bar(span, middle)
            area.setWidth(max(area.width(), 4))
            self._striped(painter, area)
        for booked in row.gaps:
            self._paint_gap(painter, row, booked, middle)
        if row.on_logger:
            area = self._bar(row.on_logger, middle)
            painter.fillRect(area, t.color("tide_wash"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(t.color("tide"), 1.2 * t.line_width, Qt.PenStyle.DashLine))
            painter.drawRect(area)
            words = tr("on the logger, to offload") + f" · {self._span(row, row.on_logger)}"
            self._hits.append(Hit(area, words, row, "logger"))
        self._paint_rings(painter, row, middle)
        self._paint_events(painter, row, middle)

    def _span(self, row: BoardRow, span: tuple[int, int]) -> str:
        zone = row.point.zone
        return f"{day_and_time(span[0], zone)} – {day_and_time(span[1], zone)}"

    def _striped(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, self.theme.color("tide_pale"))
        brush = QBrush(self.theme.color("tide"), Qt.BrushStyle.BDiagPattern)
        painter.fillRect(area, brush)

    def _paint_gap(
        self, painter: QPainter, row: BoardRow, booked: BookedGap, middle: float
    ) -> None:
        area = self._bar((booked.gap.start_ms, booked.gap.end_ms), middle)
        area.setWidth(max(area.width(), 4))
        if booked.state in ("open", "left open"):
            painter.fillRect(area, self.theme.color("paper"))
            painter.fillRect(area, QBrush(self.theme.color("muted"), Qt.BrushStyle.FDiagPattern))
            painter.setPen(QPen(self.theme.color("muted"), self.theme.line_width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(area)
        words = tr("gap, %1").replace("%1", tr(booked.state))
        words += f" · {self._span(row, (booked.gap.start_ms, booked.gap.end_ms))}"
        self._hits.append(Hit(area.adjusted(-2, -2, 2, 2), words, row, booked))

    def _paint_rings(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        painter.setBrush(self.theme.color("paper"))
        painter.setPen(QPen(self.theme.color("tide"), 1.4 * self.theme.line_width))
        for at_ms in row.offloads_ms:
            x = self._x(at_ms)
            if x > self._left():
                painter.drawEllipse(QPointF(x, middle), 3.2, 3.2)

    def _paint_events(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        for event in row.excursions:
            x = self._x(event.start_ms)
            if x <= self._left():
                continue
            side = event.rule.side
            up = side != "below"
            tip = middle - RIBBON / 2 - 7 if up else middle + RIBBON / 2 + 7
            foot = tip + 6 if up else tip - 6
            color = self.theme.color(RULE_SIGNS[side][1])
            if event.is_settled:
                painter.setBrush(self.theme.color("paper"))
                painter.setPen(QPen(color, 1.2))
            else:
                painter.setBrush(color)
                painter.setPen(QPen(color, 1))
            shape = [QPointF(x - 4, foot), QPointF(x + 4, foot), QPointF(x, tip)]
            if side == "absent":  # a lozenge: neither above nor below
                shape.append(QPointF(x, 2 * foot - tip))
                shape[1], shape[2], shape[3] = shape[2], shape[1], shape[3]
            painter.drawPolygon(QPolygonF(shape))
            state = tr("settled") if event.is_settled else tr("to assess")
            words = f"{side_word(side)} · {day_and_time(event.start_ms, row.point.zone)} · {state}"
            area = QRectF(x - 6, min(tip, foot) - 3, 12, 12)
            self._hits.append(Hit(area, words, row, event))

    def _paint_future(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        assert self.board is not None
        if not row.is_recording:
            return
        t, now = self.theme, self.board.now_ms
        end = row.ends_ms
        beyond = end is None or end > now + FUTURE_DAYS * DAY_MS
        x0, x1 = self._x(now), self._right() - 4 if beyond else self._x(end or now)
        painter.setPen(QPen(t.color("tide"), 1.6 * t.line_width))
        painter.drawLine(QPointF(x0, middle), QPointF(x1, middle))
        if beyond:
            painter.drawLine(QPointF(x1, middle), QPointF(x1 - 5, middle - 4))
            painter.drawLine(QPointF(x1, middle), QPointF(x1 - 5, middle + 4))
            return
        painter.setPen(QPen(t.color("brass"), 1.6 * t.line_width))
        painter.drawLine(QPointF(x1, middle - 9), QPointF(x1, middle + 7))
        painter.setBrush(t.color("brass"))
        flag = [
            QPointF(x1, middle - 9), QPointF(x1 + 11, middle - 9), QPointF(x1 + 8, middle - 5),
            QPointF(x1 + 11, middle - 1), QPointF(x1, middle - 1),
        ]  # fmt: skip
        painter.drawPolygon(QPolygonF(flag))
        words = f"{tr(row.end_reason)} · {day_and_time(end or now, row.point.zone)}"
        self._hits.append(Hit(QRectF(x1 - 3, middle - 10, 16, 20), words, row, "logger"))

    def _paint_need(self, painter: QPainter, row: BoardRow, top: float, height: int) -> None:
        if not row.needs:
            return
        assert self.board is not None
        need = row.needs[0]
        color = {2: "ember", 1: "brass", 0: "ink"}[need.weight]
        left = self._right() + 10
        center = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(self._font(bold=True))
        painter.setPen(self.theme.color(color))
        due = max(need.due_ms, self.board.now_ms)
        text = (
            tr("now")
            if due - self.board.now_ms < DAY_MS / 2
            else date(due, row.point.zone, "d MMM")
        )
        width = painter.fontMetrics().horizontalAdvance("00 Mmm")
        painter.drawText(QRectF(left, top, width, height), center, text)
        painter.setFont(self._font(small=True))
        painter.setPen(self.theme.color("ink" if need.weight == 2 else "muted"))
        room = self.width() - left - width - 12
        words = self._short(tr(need.words), painter, room)
        painter.drawText(QRectF(left + width + 6, top, room, height), center, words)

    # -- pointer and keys ----------------------------------------------------------------------
    def _hit(self, at: QPointF) -> Hit | None:
        return next((hit for hit in reversed(self._hits) if hit.area.contains(at)), None)

    def _line_at(self, y: float) -> int:
        """Return the line at a height; -1 above the first."""
        return int((y - AXIS_HEIGHT) // self._row_height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        line = self._line_at(event.position().y())
        if 0 <= line < len(self._lines) and self._lines[line][1] is not None:
            self.current = line
            self._tell()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        hit = self._hit(event.position())
        if hit is not None:
            self.opened.emit((hit.row, hit.thing))

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            hit = self._hit(QPointF(event.pos()))
            if hit:
                QToolTip.showText(event.globalPos(), f"{hit.row.point.name}: {hit.words}", self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self._move(1 if event.key() == Qt.Key.Key_Down else -1)
            self._tell()
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.row:
            self.opened.emit((self.row, self._first_thing(self.row)))
        else:
            super().keyPressEvent(event)

    def _move(self, by: int) -> None:
        at = self.current + by
        while 0 <= at < len(self._lines):
            if self._lines[at][1] is not None:
                self.current = at
                return
            at += by

    def choose_site(self, name: str) -> bool:
        """Choose the first row of a site; False where it is not on the board."""
        lines = (i for i, (site, row) in enumerate(self._lines) if row and site.name == name)
        found = next(lines, -1)
        if found >= 0:
            self.current = found
            self._tell()
        return found >= 0

    def _first_thing(self, row: BoardRow) -> BookedGap | BookedExcursion | str:
        """Where Enter leads: to the first thing to be dealt with, else to the record."""
        to_mend = [booked for booked in row.gaps if booked.state == "open"]
        if to_mend:
            return to_mend[0]
        to_settle = [event for event in row.excursions if not event.is_settled]
        if to_settle:
            return to_settle[0]
        return "logger" if row.on_logger else "record"

    def _tell(self) -> None:
        """Say the selected row in words, for the foot line and for screen readers."""
        if self.row is None:
            return
        self.setAccessibleDescription(row_in_words(self.row))
        self.selected.emit(self.row)
        self.updateGeometry()


def row_in_words(row: BoardRow) -> str:
    """Return a row as one sentence."""
    open_gaps = sum(1 for booked in row.gaps if booked.state == "open")
    to_assess = sum(1 for event in row.excursions if not event.is_settled)
    parts = [f"{row.point.name} {row.serial}".strip()]
    if row.point.practice:
        parts.append(tr("practice logger, readings made up"))
    if open_gaps:
        parts.append(counted(open_gaps, "%n gap", "%n gaps"))
    if to_assess:
        parts.append(counted(to_assess, "%n excursion to assess", "%n excursions to assess"))
    if row.fault:
        return f"{row.point.name} · {tr('cannot be read')}: {row.fault}"
    if row.on_logger:
        since = day_and_time(row.on_logger[0], row.point.zone)
        parts.append(tr("to offload since %1").replace("%1", since))
    if row.ends_ms is not None:
        ends = date(row.ends_ms, row.point.zone)
        parts.append(f"{tr(row.end_reason)} {ends}")
    if not row.is_recording:
        parts.append(tr("not recording"))
    return " · ".join(parts)


def legend_items(theme: Theme) -> list[tuple[str, str, QColor]]:
    """Return sign, words and colour of each entry of the legend."""
    return [
        ("■", tr("measured"), theme.color("tide")),
        ("▨", tr("estimated"), theme.color("tide")),
        ("▧", tr("gap"), theme.color("muted")),
        ("┄", tr("on the logger, to offload"), theme.color("tide")),
        ("▲", tr("above limit"), theme.color("ember")),
        ("▼", tr("below limit"), theme.color("plum")),
        ("○", tr("offload"), theme.color("tide")),
        ("⚑", tr("memory or battery ends"), theme.color("brass")),
    ]
