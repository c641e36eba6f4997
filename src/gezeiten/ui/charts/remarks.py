"""Remarks in a lane: a line where one begins, a bar as long as it holds, its words where there is
room."""

from __future__ import annotations

from collections.abc import Sequence

import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QStyleOptionGraphicsItem, QWidget

from gezeiten.domain.facts.stored import Remark
from gezeiten.ui.charts.in_pixels import InPixels
from gezeiten.ui.shell.theme import Theme

_ABOVE = 5
_ROWS, _SIGNS = 2, 34
_PAD = 3.0


class RemarkMarks(InPixels):
    """The remarks of a lane, in the pixels of its view."""

    def __init__(
        self, box: pg.ViewBox, remarks: Sequence[Remark], theme: Theme, font: QFont
    ) -> None:
        super().__init__(box, theme, font, _ABOVE)
        self._remarks = remarks

    def paint(
        self, p: QPainter, _option: QStyleOptionGraphicsItem, _widget: QWidget | None = None
    ) -> None:
        room, (low, high) = self.boundingRect(), self._box.viewRange()[0]
        p.setFont(self._font)
        metrics = QFontMetricsF(self._font)
        ink, line = self._theme.color("tide"), QPen(self._theme.color("tide", 150), 1)
        line.setStyle(Qt.PenStyle.DotLine)
        ends = [room.left()] * _ROWS
        for remark in self._remarks:
            if not remark.touches(round(low * 1000), round(high * 1000)):
                continue
            begin, end = (
                room.left() + (at / 1000 - low) / (high - low) * room.width()
                for at in (remark.start_ms, max(remark.end_ms, remark.start_ms))
            )
            p.setPen(line)
            p.drawLine(QPointF(begin, room.top()), QPointF(begin, room.bottom()))
            p.fillRect(QRectF(begin, room.bottom() - 3, max(end - begin, 3), 3), ink)
            words = remark.text if len(remark.text) <= _SIGNS else f"{remark.text[: _SIGNS - 1]}…"
            wide = metrics.horizontalAdvance(words) + 2 * _PAD
            left = min(max(begin, room.left()), room.right() - wide)
            row = next((i for i, used in enumerate(ends) if used <= left), None)
            if row is None:
                continue  # its line stands, its words are in the list
            ends[row] = left + wide
            box = QRectF(
                left, room.bottom() - 4 - (row + 1) * metrics.height(), wide, metrics.height()
            )
            p.fillRect(box, self._theme.color("paper", 210))
            p.setPen(ink)
            p.drawText(box.adjusted(_PAD, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, words)
