"""A small picture of a series as it would be: a wrong reading of a text is seen at once."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QSize
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from gezeiten.domain.series.timeline import Times, Values
from gezeiten.ui.format.i18n import number, tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.shell.theme import Theme

_SIZE = QSize(136, 34)
_MARGIN = 3
_LARGE = 100.0
"""From here on one decimal says enough of a range."""


class ValuesPicture(QWidget):
    """Draws values over time, without axes."""

    def __init__(self, theme: Theme, words: str) -> None:
        super().__init__()
        self._theme, self._words = theme, words
        self._times: Times = np.empty(0, np.int64)
        self._values: Values = np.empty(0)
        self.setFixedSize(_SIZE)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def show_series(self, times: Times, values: Values, unit: str) -> str:
        """Draw a series; returns what it shows in words."""
        held = np.isfinite(values)
        order = np.argsort(times[held], kind="stable")
        self._times, self._values = times[held][order], values[held][order]
        said = self._summary(unit)
        self.setAccessibleName(f"{self._words}: {said}")
        self.setToolTip(plain_tip(said))
        self.update()
        return said

    def _summary(self, unit: str) -> str:
        if not len(self._values):
            return tr("no value")
        low, high = float(self._values.min()), float(self._values.max())
        digits = 2 if max(abs(low), abs(high)) < _LARGE else 1
        words = number(low, digits)
        if low != high:
            words += f" … {number(high, digits)}"
        return f"{words} {unit}".strip()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self._theme.color("line"), 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        if not len(self._values):
            return
        painter.setPen(QPen(self._theme.color("tide"), 1.4 * self._theme.line_width))
        if len(self._values) == 1:
            painter.drawPoint(self.rect().center())
            return
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in self._points()]))

    def _points(self) -> list[tuple[float, float]]:
        wide, high = self.width() - 2 * _MARGIN, self.height() - 2 * _MARGIN - 1
        times, values = self._times.astype(np.float64), self._values
        x = _MARGIN + (times - times[0]) / max(times[-1] - times[0], 1.0) * wide
        low, span = values.min(), max(values.max() - values.min(), 1e-12)
        y = _MARGIN + (1 - (values - low) / span) * high
        return list(zip(x.tolist(), y.tolist(), strict=True))

    def sizeHint(self) -> QSize:
        return _SIZE
