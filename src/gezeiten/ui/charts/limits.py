"""Limits of a lane: drawn where they were in force, those in view written beside it, so that words
never lie on a line, nor on each other."""

from __future__ import annotations

from typing import Any

import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter

from gezeiten.desk.record.views.record_view import ALWAYS
from gezeiten.domain.series.timeline import Span
from gezeiten.ui.charts.chart_lanes import Lane
from gezeiten.ui.format.i18n import number
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.rule_signs import RULE_SIGNS
from gezeiten.ui.parts.rules import length_text
from gezeiten.ui.shell.theme import Theme

WIDEST_PX = 170


def limit_lines(lane: Lane, whole: Span) -> dict[tuple[str, float], list[Span]]:
    """Return from when to when each limit (its side and value) was in force, clipped to a stretch;
    nothing where that is not known."""
    found: dict[tuple[str, float], list[Span]] = {}
    for trace in lane.traces:
        found |= {(rule.side, rule.value): [] for rule in trace.rules if not trace.limits}
        for limit in trace.limits:
            span = (max(limit.start_ms, whole[0]), min(limit.end_ms, whole[1]))
            for rule in limit.rules:
                if span[1] > span[0]:
                    found.setdefault((rule.side, rule.value), []).append(span)
    return found


def limit_labels(lane: Lane, span: Span) -> list[tuple[float, str, str]]:
    """Return (value, words, colour) of each limit in force in a stretch, lowest first; named by the
    points that have it where they are not all of the lane's."""
    owners: dict[tuple[str, float, int], list[str]] = {}
    for trace in lane.traces:
        for rule in trace.limits_in(span):
            named = owners.setdefault((rule.side, rule.value, rule.mean_s), [])
            if trace.name not in named:
                named.append(trace.name)
    found = []
    for (side, value, mean_s), names in owners.items():
        sign, color = RULE_SIGNS[side]
        words = f"{sign} {number(value, lane.decimals)}"
        if mean_s:
            words += f" ({length_text(mean_s)})"
        if len(names) < len(lane.traces):
            words += f" {', '.join(names)}"
        found.append((value, words, color))
    return sorted(found)


class LimitAxis(pg.AxisItem):
    """The right side of a lane. Words that would lie on each other are pushed apart."""

    def __init__(self, lane: Lane, theme: Theme, font: QFont) -> None:
        super().__init__("right")
        self._lane, self._theme, self._font = lane, theme, font
        self._limits = limit_labels(lane, ALWAYS)
        self.setStyle(tickLength=0, tickFont=font)

    def show_span(self, span: Span) -> None:
        """Name the limits that are in force in a stretch."""
        self._limits = limit_labels(self._lane, span)
        self.setToolTip(plain_tip("\n".join(words for _, words, _ in self._limits)))
        self.picture = None
        self.update()

    def label_width_px(self) -> float:
        """How wide the words of all limits are, 0 where there are none."""
        metrics = QFontMetricsF(self._font)
        all_words = limit_labels(self._lane, ALWAYS)
        widest = max((metrics.horizontalAdvance(w) for _, w, _ in all_words), default=0.0)
        return min(widest + 12, WIDEST_PX) if widest else 0.0

    def tickValues(self, low: float, high: float, _size: float) -> list[tuple[float, list[float]]]:
        return [(1.0, [value for value, _, _ in self._limits if low <= value <= high])]

    def tickStrings(self, values: list[float], _scale: float, _spacing: float) -> list[str]:
        known = {value: words for value, words, _ in self._limits}
        return [known[value] for value in values]

    def drawPicture(self, p: QPainter, _axis: Any, _ticks: Any, texts: Any) -> None:
        """Draw the words alone, in the colours of their sides."""
        p.setFont(self._font)
        metrics = QFontMetricsF(self._font)
        colors = {words: color for _, words, color in self._limits}
        centers = spread_apart(
            [rect.center().y() for rect, _, _ in texts],
            metrics.height(),
            0.0,
            float(self.size().height()),
        )
        width = float(self.size().width()) - 6
        for (_rect, _flags, words), center in zip(texts, centers, strict=True):
            p.setPen(self._theme.color(colors[words]))
            shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, width)
            area = QRectF(5, center - metrics.height() / 2, width, metrics.height())
            p.drawText(area, Qt.AlignmentFlag.AlignVCenter, shown)


def spread_apart(centers: list[float], least: float, top: float, bottom: float) -> list[float]:
    """Return places at least so far apart, as near to the wanted ones as a pass each way makes
    them, from `top` to `bottom` as long as there is room."""
    order = sorted(range(len(centers)), key=lambda i: centers[i])
    placed = [max(centers[i], top + least / 2) for i in order]
    for k in range(1, len(placed)):
        placed[k] = max(placed[k], placed[k - 1] + least)
    for k in range(len(placed) - 1, -1, -1):
        ceiling = bottom - least / 2 if k + 1 == len(placed) else placed[k + 1] - least
        placed[k] = min(placed[k], ceiling)
    result = [0.0] * len(centers)
    for k, i in enumerate(order):
        result[i] = placed[k]
    return result
