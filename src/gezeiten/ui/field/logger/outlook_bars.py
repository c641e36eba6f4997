"""The mission outlook: bars for memory, battery, calibration and data at risk against a visit."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from gezeiten.domain.plan.outlook import Outlook
from gezeiten.domain.series.timeline import DAY_MS, duration_text
from gezeiten.ui.format.i18n import counted, date, day, tr
from gezeiten.ui.shell.theme import LIGHT, Theme

BAR = 13.0


class OutlookBars(QWidget):
    """Paints an outlook; its accessible description says the same in words."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._outlook: Outlook | None = None
        self._now_ms = 0
        self._visit_ms: int | None = None
        self._zone = "UTC"
        self._assumption = ""
        self.setAccessibleName(tr("Mission outlook"))

    def sizeHint(self) -> QSize:
        lines = max(len(self._bars()), 3) + (1 if self._visit_ms is None else 2)
        return QSize(400, round((self.fontMetrics().height() + 9) * lines))

    def minimumSizeHint(self) -> QSize:
        return QSize(260, self.sizeHint().height())

    def show_outlook(
        self,
        outlook: Outlook | None,
        now_ms: int,
        visit_ms: int | None,
        zone: str,
        assumption: str = "",
    ) -> None:
        """Show an outlook from now on against the next visit; None shows nothing.

        assumption: what the battery's figure takes for granted.
        """
        self._outlook, self._now_ms, self._visit_ms, self._zone = outlook, now_ms, visit_ms, zone
        self._assumption = assumption
        if outlook is None:
            self.setAccessibleDescription(tr("Not valid yet"))
            self.update()
            return
        words = "; ".join(f"{name}: {said}" for name, _, _, said in self._bars())
        self.setAccessibleDescription(words)
        self.updateGeometry()
        self.update()

    def _bars(self) -> list[tuple[str, int | None, str, str]]:
        """Return name, end, colour and words of each bar."""
        look = self._outlook
        if look is None:
            return []
        bars: list[tuple[str, int | None, str, str]] = []
        if look.ends_ms is None:
            bars.append((tr("Memory"), None, "tide", tr("never full (overwrites oldest)")))
        else:
            words = tr("ends %1") if look.ends_by_plan else tr("full %1")
            text = words.replace("%1", self._end(look.ends_ms))
            if look.worst_ends_ms is not None:
                worst = date(look.worst_ends_ms, self._zone)
                text += f" ({tr('at worst %1').replace('%1', worst)})"
            name = tr("Plan") if look.ends_by_plan else tr("Memory")
            bars.append((name, look.ends_ms, "tide", text))
        text = tr("empty %1").replace("%1", self._end(look.battery_empty_ms))
        if self._assumption:
            text += f" · {self._assumption}"
        bars.append((tr("Battery"), look.battery_empty_ms, "tide_pale", text))
        if look.calibration_due_ms is not None:
            text = tr("due %1").replace("%1", date(look.calibration_due_ms, self._zone))
            bars.append((tr("Calibration"), look.calibration_due_ms, "brass", text))
        if self._visit_ms is not None:
            risk = counted(look.at_risk_readings, "%n reading", "%n readings")
            if look.overwritten_readings:
                lost = counted(look.overwritten_readings, "%n overwritten", "%n overwritten")
                risk += f", {lost}"
            bars.append((tr("Data at risk"), self._visit_ms, "tide_wash", risk))
        return bars

    def _end(self, at_ms: int) -> str:
        left = duration_text((at_ms - self._now_ms) // DAY_MS * DAY_MS)
        return f"{date(at_ms, self._zone)} · {left}"

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._outlook is None:
            painter.setPen(self.theme.color("muted"))
            line = QRectF(0, 0, self.width(), self.fontMetrics().height() + 9.0)
            sentence = tr("Not valid yet: the plan is not complete.")
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, sentence)
            return
        bars = self._bars()
        bold = QFont(self.font())
        bold.setBold(True)
        wide = QFontMetricsF(bold)
        left = max(wide.horizontalAdvance(name) for name, _, _, _ in bars) + 12
        words = max(self.fontMetrics().horizontalAdvance(said) for _, _, _, said in bars)
        right = self.width() - words - 16.0
        reach = self._reach()
        step = self.fontMetrics().height() + 9.0

        def x(at_ms: float) -> float:
            share = (at_ms - self._now_ms) / reach
            return left + min(max(share, 0.0), 1.0) * (right - left)

        self._paint_grid(painter, x, reach, step * (len(bars) + 1))
        for i, (name, end, color, said) in enumerate(bars):
            top = step * (i + 1)
            painter.setFont(bold)
            painter.setPen(self.theme.color("ink"))
            area = QRectF(0, top, left - 6, step)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, name)
            bar_end = x(end) if end is not None else right
            bar = QRectF(left, top + (step - BAR) / 2, max(bar_end - left, 2), BAR)
            painter.setPen(
                QPen(self.theme.color("tide"), 1) if color == "tide_wash" else Qt.PenStyle.NoPen
            )
            painter.setBrush(self.theme.color(color))
            painter.drawRoundedRect(bar, 2, 2)
            if end is None or end > self._now_ms + reach:
                self._paint_arrow(painter, bar)
            painter.setFont(self.font())
            painter.setPen(self.theme.color("ink"))
            room = QRectF(bar.right() + 8, top, self.width() - bar.right() - 8, step)
            # no line of the axis crosses the words
            used = painter.fontMetrics().horizontalAdvance(said) + 4
            painter.fillRect(
                QRectF(room.left() - 2, bar.top(), used, BAR), self.theme.color("paper")
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)
        if self._visit_ms is not None:
            self._paint_visit(painter, x(self._visit_ms), step, len(bars))

    def _reach(self) -> int:
        """How far the axis goes: a little past memory and visit; what ends later is cut."""
        look = self._outlook
        ends = [self._visit_ms, look.ends_ms if look else None]
        known = [end for end in ends if end is not None]
        if not known and look:
            known = [min(look.battery_empty_ms, self._now_ms + 365 * DAY_MS)]
        return max(round((max(known) - self._now_ms) * 1.2), 14 * DAY_MS)

    def _paint_arrow(self, painter: QPainter, bar: QRectF) -> None:
        """A notch at the right end says that the bar goes on."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.color("paper"))
        x, y = bar.right(), bar.center().y()
        notch = [
            QPointF(x + 1, bar.top() - 1),
            QPointF(x - 6, bar.top() - 1),
            QPointF(x, y),
            QPointF(x - 6, bar.bottom() + 1),
            QPointF(x + 1, bar.bottom() + 1),
        ]
        painter.drawPolygon(QPolygonF(notch))

    def _paint_grid(
        self, painter: QPainter, x: Callable[[float], float], reach: int, bottom: float
    ) -> None:
        small = QFont(self.font())
        small.setPixelSize(round(small.pixelSize() * 0.88))
        painter.setFont(small)
        wide = painter.fontMetrics().horizontalAdvance("30 Sept") + 10
        most = min(6.0, max(1.0, (x(self._now_ms + reach) - x(self._now_ms)) / wide))
        pace = next((d for d in (7, 14, 30, 61, 122, 365) if reach / (d * DAY_MS) <= most), 730)
        for i in range(7):
            at = self._now_ms + i * pace * DAY_MS
            if at > self._now_ms + reach:
                break
            painter.setPen(QPen(self.theme.color("line"), 1))
            painter.drawLine(QPointF(x(at), self.fontMetrics().height()), QPointF(x(at), bottom))
            painter.setPen(self.theme.color("muted"))
            text = date(at, self._zone, "d MMM" if pace < 122 else "MMM yy")
            painter.drawText(QPointF(x(at) + 2, self.fontMetrics().ascent()), text)

    def _paint_visit(self, painter: QPainter, at: float, step: float, bars: int) -> None:
        painter.setPen(QPen(self.theme.color("ember"), 1.8 * self.theme.line_width))
        bottom = step * (bars + 1)
        painter.drawLine(QPointF(at, step * 0.8), QPointF(at, bottom + step * 0.7))
        bold = QFont(self.font())
        bold.setBold(True)
        painter.setFont(bold)
        painter.setPen(self.theme.color("ember"))
        words = tr("next visit %1").replace("%1", day(self._visit_ms or 0, self._zone))
        area = QRectF(at + 6, bottom - 2, 260, step)
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, words)
