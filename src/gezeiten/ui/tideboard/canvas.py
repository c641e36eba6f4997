"""One painted widget: all of the Tideboard is drawn from one state and one scale.

One ribbon a point through past, now and future.

Left of now: measured solid, estimated striped, gaps hatched, still on the logger dashed,
triangles for excursions, rings for offloads. Right of now: how long it goes on, to the flag.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QFont,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from gezeiten.domain.board.board import Board
from gezeiten.domain.board.facts import BoardExcursion, BoardGap, BoardSite
from gezeiten.domain.board.rows import BoardRow
from gezeiten.domain.series.timeline import DAY_MS, Span
from gezeiten.ui.format.i18n import clock_time, counted, date, day, day_and_time, tr
from gezeiten.ui.parts.rule_signs import RULE_SIGNS, side_text
from gezeiten.ui.shell.theme import LIGHT, Theme
from gezeiten.ui.tideboard.axis import HOURS, ticks
from gezeiten.ui.tideboard.model import BoardLine, BoardModel
from gezeiten.ui.tideboard.texts import row_text

AXIS_HEIGHT = 30
RIBBON = 10.0


@dataclass(frozen=True, slots=True)
class HitArea:
    """What lies under the pointer: a rectangle, what to say of it, where it leads."""

    area: QRectF
    text: str
    row: BoardRow
    item: BoardGap | BoardExcursion | str


class BoardCanvas(QWidget):
    """Paints a board; emits what was clicked or entered."""

    opened = Signal(object)
    selected = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.model = BoardModel()
        self._hits: list[HitArea] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Tideboard"))

    @property
    def board(self) -> Board | None:
        """The board shown."""
        return self.model.board

    @property
    def row(self) -> BoardRow | None:
        """The selected row."""
        return self.model.row

    def show_board(self, board: Board) -> None:
        """Show a board, keeping the selected row where it still is."""
        self.model.show(board)
        self.arranged()

    def arranged(self) -> None:
        """Show what the model says now."""
        self.setMinimumHeight(self.sizeHint().height())
        if self.row:
            self.setAccessibleDescription(row_text(self.row))
        self.updateGeometry()
        self.update()

    # -- geometry ------------------------------------------------------------------------------
    def _row_height(self) -> int:
        return max(self.theme.row - 1, self.fontMetrics().height() + 10)

    def sizeHint(self) -> QSize:
        return QSize(900, AXIS_HEIGHT + self._row_height() * max(len(self.model.lines), 1) + 4)

    def _left(self) -> float:
        em = self.fontMetrics().horizontalAdvance("M")
        return min(19.0 * em, self.width() * 0.22)

    def _right_edge(self) -> float:
        return self.width() - 13.5 * self.fontMetrics().horizontalAdvance("M")

    def _x(self, at_ms: float) -> float:
        start, end = self.model.shown
        share = (at_ms - start) / (end - start)
        left, right = self._left(), self._right_edge()
        return left + min(max(share, 0.0), 1.0) * (right - left)

    def _is_shown(self, start_ms: float, end_ms: float | None = None) -> bool:
        """Whether any of a stretch, or an instant, lies in what is shown."""
        start, end = self.model.shown
        return start_ms < end and (start_ms if end_ms is None else end_ms) > start

    def _instant(self, x: float) -> float:
        """Return the instant at a place across."""
        start, end = self.model.shown
        left, right = self._left(), self._right_edge()
        return start + (end - start) * min(max((x - left) / max(right - left, 1.0), 0.0), 1.0)

    def _top(self, line: int) -> float:
        return AXIS_HEIGHT + line * self._row_height()

    # -- painting ------------------------------------------------------------------------------
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("paper"))
        if self.board is None or not self.model.lines:
            return
        self._hits = []
        self._paint_axis(painter)
        seen = self.visibleRegion().boundingRect() or self.rect()
        first, last = self._line_at(seen.top()) - 1, self._line_at(seen.bottom()) + 1
        for i in range(max(first, 0), min(last + 1, len(self.model.lines))):
            line = self.model.lines[i]  # a thousand rows are painted as fast as twenty
            if line.row is None:
                self._paint_site(painter, line.site, self._top(i))
            else:
                self._paint_row(painter, line, line.row, self._top(i), i == self.model.current)
        if not self._is_shown(self.board.now_ms):
            return
        x, bottom = self._x(self.board.now_ms), self._top(len(self.model.lines))
        painter.setPen(QPen(self.theme.color("ink"), 1.6 * self.theme.line_width))
        painter.drawLine(QPointF(x, AXIS_HEIGHT - 4), QPointF(x, bottom))

    def _font(self, *, bold: bool = False, small: bool = False) -> QFont:
        font = QFont(self.font())
        font.setBold(bold)
        if small:
            font.setPixelSize(round(font.pixelSize() * 0.88))
        return font

    def _paint_axis(self, painter: QPainter) -> None:
        assert self.board is not None
        zone = self.model.lines[0].site.zone
        bottom = self._top(len(self.model.lines))
        now = self._x(self.board.now_ms) if self._is_shown(self.board.now_ms) else None
        room = painter.fontMetrics().horizontalAdvance("00 Mmm 0000")
        most = max(int((self._right_edge() - self._left()) / room), 2)
        for at, pattern in ticks(self.model.shown, self.board.now_ms, zone, most):
            x = self._x(at)
            near_now = now is not None and abs(x - now) < room * 0.8
            if self._left() < x < self._right_edge() and not near_now:
                text = clock_time(at, zone) if pattern == HOURS else date(at, zone, pattern)
                self._paint_tick(painter, x, bottom, text, is_now=False)
        if now is not None:
            self._paint_tick(painter, now, bottom, day(self.board.now_ms, zone), is_now=True)

    def _paint_tick(
        self, painter: QPainter, x: float, bottom: float, text: str, *, is_now: bool
    ) -> None:
        painter.setPen(QPen(self.theme.color("line"), 1))
        painter.drawLine(QPointF(x, AXIS_HEIGHT - 4), QPointF(x, bottom))
        painter.setFont(self._font(bold=is_now, small=not is_now))
        painter.setPen(self.theme.color("ink" if is_now else "muted"))
        area = QRectF(x - 60, 2, 120, AXIS_HEIGHT - 8)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_site(self, painter: QPainter, site: BoardSite, top: float) -> None:
        height = self._row_height()
        painter.setPen(QPen(self.theme.color("line"), 1))
        painter.drawLine(QPointF(0, top + height - 1), QPointF(self.width(), top + height - 1))
        painter.setFont(self._font(bold=True))
        painter.setPen(self.theme.color("ink"))
        name = QRectF(16, top, self._left() - 20, height - 4)
        bottom = Qt.AlignmentFlag.AlignBottom
        painter.drawText(name, bottom, self._short(site.name, painter, name.width()))
        if site.next_visit_ms is None:
            text = tr("no visit planned")
        else:
            text = tr("next visit %1").replace("%1", day(site.next_visit_ms, site.zone))
        words = f"{site.kind} · {text}" if site.kind else text
        painter.setFont(self._font(small=True))
        painter.setPen(self.theme.color("muted"))
        metrics = painter.fontMetrics()
        wide = metrics.horizontalAdvance(words) + 4.0
        ground = QRectF(
            self._left() - 2, top + height - 4 - metrics.height(), wide, metrics.height()
        )
        painter.fillRect(ground, self.theme.color("paper"))  # no line of the axis through words
        painter.drawText(QRectF(self._left(), top, wide, height - 4), bottom, words)

    def _short(self, text: str, painter: QPainter, width: float) -> str:
        return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(width))

    def _name(self, line: BoardLine, row: BoardRow) -> str:
        """What stands at the left of a row: where sites have no heads, with its site."""
        if line.folded:
            points = counted(line.folded, "%n point", "%n points")
            return f"▸ {line.site.name} · {points}"
        return f"{row.point.name} · {line.site.name}" if self.model.by_needs else row.point.name

    def _paint_row(
        self, painter: QPainter, line: BoardLine, row: BoardRow, top: float, current: bool
    ) -> None:
        height = self._row_height()
        if current:
            painter.fillRect(QRectF(0, top, self.width(), height), self.theme.color("tide_wash"))
            if self.hasFocus():
                painter.fillRect(QRectF(0, top, 4, height), self.theme.color("tide"))
        middle = top + height / 2
        serial_width = painter.fontMetrics().horizontalAdvance("M-00000")
        center = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(self._font(bold=bool(line.folded)))
        painter.setPen(self.theme.color("ink"))
        indent = 16 if line.folded or self.model.by_needs else 28
        room = self._left() - indent - serial_width - 16
        name = self._short(self._name(line, row), painter, room)
        painter.drawText(QRectF(indent, top, room, height), center, name)
        painter.setPen(self.theme.color("muted"))
        painter.setFont(self._font(small=True))
        at = QRectF(self._left() - serial_width - 12, top, serial_width, height)
        slanted = QFont(painter.font())
        slanted.setItalic(row.point.practice)
        painter.setFont(slanted)
        painter.drawText(at, center | Qt.AlignmentFlag.AlignRight, row.serial)
        if row.fault:
            self._paint_fault(painter, row, top, height)
        self._paint_recorded(painter, row, middle)
        self._paint_future(painter, row, middle)
        self._paint_need(painter, line, row, top)

    def _paint_fault(self, painter: QPainter, row: BoardRow, top: float, height: int) -> None:
        """The sentence stands where the record would."""
        area = QRectF(self._left(), top, self._right_edge() - self._left(), height)
        painter.setPen(self.theme.color("ember"))
        painter.setFont(self._font(small=True))
        shown = self._short(f"✕ {row.fault}", painter, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, shown)
        self._hits.append(HitArea(area, row.fault, row, "record"))

    def _bar(self, span: tuple[int, int], middle: float) -> QRectF:
        left, right = self._x(span[0]), self._x(span[1])
        return QRectF(left, middle - RIBBON / 2, max(right - left, 1.5), RIBBON)

    def _paint_recorded(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        t = self.theme
        painter.setPen(Qt.PenStyle.NoPen)
        for area, span in self._bars(row.held, middle):
            painter.fillRect(area, t.color("tide"))
            words = tr("measured") + f" · {self._span(row, span)}"
            self._hits.append(HitArea(area, words, row, "record"))
        for span in row.estimated:
            if self._is_shown(*span):
                area = self._bar(span, middle)
                area.setWidth(max(area.width(), 4))
                self._striped(painter, area)
        for gap in row.gaps:
            if self._is_shown(*gap.span):
                self._paint_gap(painter, row, gap, middle)
        if row.on_logger and self._is_shown(*row.on_logger):
            area = self._bar(row.on_logger, middle)
            painter.fillRect(area, t.color("tide_wash"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(t.color("tide"), 1.2 * t.line_width, Qt.PenStyle.DashLine))
            painter.drawRect(area)
            words = tr("on the logger, to offload") + f" · {self._span(row, row.on_logger)}"
            self._hits.append(HitArea(area, words, row, "logger"))
        self._paint_rings(painter, row, middle)
        self._paint_events(painter, row, middle)

    def _bars(self, spans: tuple[Span, ...], middle: float) -> list[tuple[QRectF, Span]]:
        """Return the bars of the stretches in sight (in order of time): those that the eye cannot
        tell apart as one."""
        start, end = self.model.shown
        first = max(bisect_left(spans, (start, start)) - 1, 0)
        made: list[tuple[QRectF, Span]] = []
        for span in spans[first : bisect_left(spans, (end, end))]:
            if span[1] <= start:
                continue
            area = self._bar(span, middle)
            if made and area.left() - made[-1][0].right() < 0.5:
                made[-1][0].setRight(max(area.right(), made[-1][0].right()))
                made[-1] = (made[-1][0], (made[-1][1][0], span[1]))
            else:
                made.append((area, span))
        return made

    def _span(self, row: BoardRow, span: tuple[int, int]) -> str:
        zone = row.point.zone
        return f"{day_and_time(span[0], zone)} – {day_and_time(span[1], zone)}"

    def _striped(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, self.theme.color("tide_pale"))
        brush = QBrush(self.theme.color("tide"), Qt.BrushStyle.BDiagPattern)
        painter.fillRect(area, brush)

    def _paint_gap(self, painter: QPainter, row: BoardRow, gap: BoardGap, middle: float) -> None:
        area = self._bar(gap.span, middle)
        area.setWidth(max(area.width(), 4))
        if gap.state in ("open", "left open"):
            painter.fillRect(area, self.theme.color("paper"))
            painter.fillRect(area, QBrush(self.theme.color("muted"), Qt.BrushStyle.FDiagPattern))
            painter.setPen(QPen(self.theme.color("muted"), self.theme.line_width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(area)
        words = tr("gap, %1").replace("%1", tr(gap.state))
        words += f" · {self._span(row, gap.span)}"
        self._hits.append(HitArea(area.adjusted(-2, -2, 2, 2), words, row, gap))

    def _paint_rings(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        painter.setBrush(self.theme.color("paper"))
        painter.setPen(QPen(self.theme.color("tide"), 1.4 * self.theme.line_width))
        for at_ms in row.offloads_ms:
            if self._is_shown(at_ms):
                x = self._x(at_ms)
                painter.drawEllipse(QPointF(x, middle), 3.2, 3.2)

    def _paint_events(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        for event in row.excursions:
            if not self._is_shown(event.start_ms):
                continue
            x = self._x(event.start_ms)
            side = event.side
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
            state = tr("assessed") if event.is_settled else tr("to assess")
            words = f"{side_text(side)} · {day_and_time(event.start_ms, row.point.zone)} · {state}"
            area = QRectF(x - 6, min(tip, foot) - 3, 12, 12)
            self._hits.append(HitArea(area, words, row, event))

    def _paint_future(self, painter: QPainter, row: BoardRow, middle: float) -> None:
        assert self.board is not None
        if not row.is_recording:
            return
        t, now = self.theme, self.board.now_ms
        end = row.ends_ms
        start, until = self.model.shown
        if now >= until or (end is not None and end <= start):
            return
        beyond = end is None or end > until
        x0, x1 = self._x(now), self._right_edge() - 4 if beyond else self._x(end or now)
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
            QPointF(x1, middle - 9),
            QPointF(x1 + 11, middle - 9),
            QPointF(x1 + 8, middle - 5),
            QPointF(x1 + 11, middle - 1),
            QPointF(x1, middle - 1),
        ]
        painter.drawPolygon(QPolygonF(flag))
        words = f"{tr(row.end_reason)} · {day_and_time(end or now, row.point.zone)}"
        self._hits.append(HitArea(QRectF(x1 - 3, middle - 10, 16, 20), words, row, "logger"))

    def _paint_need(self, painter: QPainter, line: BoardLine, row: BoardRow, top: float) -> None:
        if not row.needs:
            return
        assert self.board is not None
        height = self._row_height()
        need = row.needs[0]
        color = {2: "ember", 1: "brass", 0: "ink"}[need.weight]
        left = self._right_edge() + 10
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
        said = tr(need.words)
        if line.asking > 1:
            said = counted(line.asking - 1, "%1, and %n more", "%1, and %n more").replace(
                "%1", said
            )
        words = self._short(said, painter, room)
        painter.drawText(QRectF(left + width + 6, top, room, height), center, words)
        if need.kind == "wrong clock":
            area = QRectF(left, top, width + 6 + room, height)
            words = tr("%1 · apply a clock correction").replace("%1", tr(need.words))
            self._hits.append(HitArea(area, words, row, need.kind))

    # -- pointer and keys ----------------------------------------------------------------------
    def _hit(self, at: QPointF) -> HitArea | None:
        return next((hit for hit in reversed(self._hits) if hit.area.contains(at)), None)

    def _line_at(self, y: float) -> int:
        """Return the line at a height; -1 above the first."""
        return int((y - AXIS_HEIGHT) // self._row_height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        line = self._line_at(event.position().y())
        if 0 <= line < len(self.model.lines) and self.model.lines[line].row is not None:
            self.model.current = line
            self._announce()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        hit = self._hit(event.position())
        if hit is not None:
            self.opened.emit((hit.row, hit.item))

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            hit = self._hit(QPointF(event.pos()))
            if hit:
                QToolTip.showText(event.globalPos(), f"{hit.row.point.name}: {hit.text}", self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.model.move(1 if event.key() == Qt.Key.Key_Down else -1)
            self._announce()
            self.update()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.shift(0.2 if event.key() == Qt.Key.Key_Right else -0.2)
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal):
            self.zoom(2.0 if event.key() == Qt.Key.Key_Minus else 0.5)
        elif event.key() == Qt.Key.Key_Home:
            self.show_default_period()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.row:
            self.opened.emit((self.row, self._first_issue(self.row)))
        else:
            super().keyPressEvent(event)

    def zoom(self, factor: float, at_ms: float | None = None) -> None:
        """Show a stretch so many times as long."""
        self.model.zoom(factor, at_ms)
        self.update()

    def shift(self, share: float) -> None:
        """Show a stretch that lies so much of its length later."""
        self.model.shift(share)
        self.update()

    def show_default_period(self) -> None:
        """Show the usual stretch around now again."""
        self.model.show_default_period()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The wheel scrolls; with Ctrl it zooms where the pointer is, with Shift it moves."""
        steps = event.angleDelta().y() / 120 or event.angleDelta().x() / 120
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and steps:
            self.zoom(0.8**steps, self._instant(event.position().x()))
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier and steps:
            self.shift(-0.1 * steps)
        else:
            event.ignore()

    def select_site(self, name: str) -> bool:
        """Choose the first row of a site; False where it is not on the board."""
        found = self.model.select_site(name)
        if found:
            self._announce()
        return found

    def _first_issue(self, row: BoardRow) -> BoardGap | BoardExcursion | str:
        """Where Enter leads: to the first thing to be dealt with, else to the record."""
        if row.wrong_clocks:
            return "wrong clock"
        to_mend = [gap for gap in row.gaps if gap.state == "open"]
        if to_mend:
            return to_mend[0]
        to_settle = [event for event in row.excursions if not event.is_settled]
        if to_settle:
            return to_settle[0]
        return "logger" if row.on_logger else "record"

    def _announce(self) -> None:
        """Say the selected row in words, for the foot line and for screen readers."""
        if self.row is None:
            return
        self.setAccessibleDescription(row_text(self.row))
        self.selected.emit(self.row)
        self.updateGeometry()
