"""Check readings in a lane: a diamond where a value was read by hand, with its uncertainty; ticks
for the lowest and highest since the look before. What lies beyond the scale points there from its
edge."""

from __future__ import annotations

import math
from collections.abc import Sequence

import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QFont, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QStyleOptionGraphicsItem, QWidget

from gezeiten.ui.charts.chart_lanes import ShownCheck
from gezeiten.ui.charts.in_pixels import InPixels
from gezeiten.ui.shell.theme import Theme

_ABOVE = 12
_HALF_PX = 5.0
_MOST_DRAWN = 2_000


class CheckMarks(InPixels):
    """The check readings of a lane, in the pixels of its view."""

    def __init__(
        self, box: pg.ViewBox, checks: Sequence[ShownCheck], theme: Theme, font: QFont
    ) -> None:
        super().__init__(box, theme, font, _ABOVE)
        self._checks = checks

    def paint(
        self, p: QPainter, _option: QStyleOptionGraphicsItem, _widget: QWidget | None = None
    ) -> None:
        room, ((left, right), (low, high)) = self.boundingRect(), self._box.viewRange()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(self._theme.color("ink"), 1.4))
        p.setBrush(self._theme.color("paper"))
        seen = [check for check in self._checks if left * 1000 <= check.at_ms < right * 1000]
        for one in seen[:_MOST_DRAWN]:
            x = room.left() + (one.at_ms / 1000 - left) / (right - left) * room.width()

            def at(value: float) -> float:
                return float(room.bottom() - (value - low) / (high - low) * room.height())

            for end in (one.low, one.high):
                if end is not None and low <= end <= high:
                    p.drawLine(QPointF(x - _HALF_PX, at(end)), QPointF(x + _HALF_PX, at(end)))
            if not math.isnan(one.value):
                _draw(p, room, x, at(one.value), at(one.value - one.u) - at(one.value))


def _draw(p: QPainter, room: QRectF, x: float, y: float, half: float) -> None:
    if room.top() <= y <= room.bottom():
        if half > _HALF_PX:
            p.drawLine(
                QPointF(x, max(y - half, room.top())), QPointF(x, min(y + half, room.bottom()))
            )
        p.drawPolygon(_shape(x, y, ((0, -1), (1, 0), (0, 1), (-1, 0))))
    elif y < room.top():
        p.drawPolygon(_shape(x, room.top() + _HALF_PX + 1, ((0, -1), (1, 1), (-1, 1))))
    else:
        p.drawPolygon(_shape(x, room.bottom() - _HALF_PX - 1, ((0, 1), (1, -1), (-1, -1))))


def _shape(x: float, y: float, corners: Sequence[tuple[int, int]]) -> QPolygonF:
    return QPolygonF([QPointF(x + a * _HALF_PX, y + b * _HALF_PX) for a, b in corners])
