"""Tinted stretches behind a lane's lines, painted at once: however many there are, what lies in the
same pixels is one stretch with one sign."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QBrush, QFont, QFontMetricsF, QPainter
from PySide6.QtWidgets import QStyleOptionGraphicsItem, QWidget

from gezeiten.ui.charts.chart_lanes import Tint
from gezeiten.ui.charts.in_pixels import InPixels
from gezeiten.ui.parts.rule_signs import RULE_SIGNS
from gezeiten.ui.shell.theme import Theme

_BEHIND = -10
_SIGNS_APART = 2.0
"""Widths of a sign from one to the next: nearer ones would cover each other."""


class Tints(InPixels):
    """The tints of a lane, in the pixels of its view."""

    def __init__(self, box: pg.ViewBox, tints: Iterable[Tint], theme: Theme, font: QFont) -> None:
        super().__init__(box, theme, font, _BEHIND)
        kinds: dict[Tint, list[tuple[int, int]]] = {}
        for tint in tints:
            kinds.setdefault(tint.kind, []).append(tint.span)
        self._kinds = [(kind, np.array(sorted(spans), float)) for kind, spans in kinds.items()]

    def paint(
        self, p: QPainter, _option: QStyleOptionGraphicsItem, _widget: QWidget | None = None
    ) -> None:
        room = self.boundingRect()
        low, high = self._box.viewRange()[0]
        for kind, spans in self._kinds:
            seen = spans_in_pixels(spans / 1000, (low, high), room.width())
            brush = QBrush(self._theme.color(kind.color, kind.alpha))
            if kind.hatched:
                brush.setStyle(Qt.BrushStyle.FDiagPattern)
            for left, right in seen.tolist():
                p.fillRect(QRectF(left, room.top(), right - left, room.height()), brush)
            if kind.side in ("above", "below"):
                self._draw_signs(p, kind.side, seen, room)

    def _draw_signs(self, p: QPainter, side: str, seen: NDArray[np.float64], room: QRectF) -> None:
        sign, color = RULE_SIGNS[side]
        p.setFont(self._font)
        p.setPen(self._theme.color(color))
        metrics = QFontMetricsF(self._font)
        wide, high = metrics.horizontalAdvance(sign), metrics.height()
        top = room.top() + room.height() * 0.07 - high / 2
        bottom = room.top() + room.height() * 0.93 - high / 2
        last = -np.inf
        for left, right in seen.tolist():
            middle = (max(left, 0.0) + min(right, room.width())) / 2
            if middle - last >= _SIGNS_APART * wide:
                at = QRectF(
                    middle - wide,
                    max(top, room.top()) if side == "above" else bottom,
                    2 * wide,
                    high,
                )
                p.drawText(at, Qt.AlignmentFlag.AlignCenter, sign)
                last = middle


def spans_in_pixels(
    spans: NDArray[np.float64], view: tuple[float, float], width: float
) -> NDArray[np.float64]:
    """Return where stretches are seen, float64 (m, 2) in pixels: each at least one wide, those that
    touch as one.

    Args:
        spans: float64 (n, 2), in order of their begin; view: the stretch in view, in the same
            unit; width: of the view in pixels.
    """
    scale = width / (view[1] - view[0])
    inside = spans[(spans[:, 0] < view[1]) & (spans[:, 1] > view[0])]
    if not len(inside):
        return np.empty((0, 2))
    left = np.maximum((inside[:, 0] - view[0]) * scale, 0.0)
    right = np.minimum(np.maximum((inside[:, 1] - view[0]) * scale, left + 1.0), width)
    reach = np.maximum.accumulate(right)
    opens = np.append(True, left[1:] > reach[:-1])
    firsts = np.flatnonzero(opens)
    return np.column_stack((left[firsts], np.maximum.reduceat(right, firsts)))
