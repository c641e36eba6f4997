"""Overviews in a chart: dash-dotted, with a bar from lowest to highest for each mean."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt
from PySide6.QtGui import QPen

from gezeiten.desk.intake.overviews import OverviewLine
from gezeiten.domain.series.drawing.thinning import ThinKind
from gezeiten.ui.format.i18n import number, tr


def add_overviews(
    plot: pg.PlotItem, lines: Iterable[OverviewLine], line_pen: QPen, bar_pen: QPen
) -> None:
    """Draw overviews; bars first, so that the line lies on them."""
    line_pen.setStyle(Qt.PenStyle.DashDotLine)
    for line in lines:
        seconds = line.times_utc_ms / 1000
        if line.lows is not None and line.highs is not None:
            known = np.isfinite(line.lows) & np.isfinite(line.highs)
            ends = np.column_stack((line.lows[known], line.highs[known])).ravel()
            plot.plot(np.repeat(seconds[known], 2), ends, pen=bar_pen, connect="pairs")
        plot.plot(seconds, line.values, pen=line_pen, connect="finite")


def overview_reach(lines: Iterable[OverviewLine], start_ms: int, end_ms: int) -> list[float]:
    """Return lowest and highest of what overviews show in a stretch; empty where nothing is."""
    reach: list[float] = []
    for line in lines:
        seen = (line.times_utc_ms >= start_ms) & (line.times_utc_ms <= end_ms)
        for column in (line.values, line.lows, line.highs):
            inside = column[seen & np.isfinite(column)] if column is not None else np.empty(0)
            if len(inside):
                reach += [float(inside.min()), float(inside.max())]
    return reach


def overview_legend(lines: tuple[OverviewLine, ...]) -> str:
    """Return what the dash-dotted line is."""
    every = sorted({line.every for line in lines})
    means = any(line.kind == ThinKind.MEANS for line in lines)
    words = tr("overview, means of %1 readings") if means else tr("overview, one of %1 readings")
    return words.replace("%1", ", ".join(number(one) for one in every))


def overview_at(lines: Iterable[OverviewLine], at_ms: int, decimals: int) -> str:
    """Return what overviews show nearest to an instant, "" where none has a value there."""
    for line in lines:
        if not len(line.times_utc_ms):
            continue
        near = int(np.abs(line.times_utc_ms - at_ms).argmin())
        apart = abs(int(line.times_utc_ms[near]) - at_ms)
        step = int(np.diff(line.times_utc_ms).min()) if len(line.times_utc_ms) > 1 else 60_000
        if apart > step or not np.isfinite(line.values[near]):
            continue
        words = number(float(line.values[near]), decimals)
        if line.lows is not None and line.highs is not None:
            low, high = number(line.lows[near], decimals), number(line.highs[near], decimals)
            words += f" ({low} – {high})"
        return tr("overview: %1").replace("%1", words)
    return ""
