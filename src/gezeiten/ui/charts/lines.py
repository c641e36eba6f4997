"""How the lines of several points in one lane differ: by colour, and by the marks they carry."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtGui import QColor

from gezeiten.domain.series.drawing.pyramid import Picture
from gezeiten.domain.series.series import Series, gaps_after
from gezeiten.domain.series.timeline import Values
from gezeiten.ui.charts.chart_lanes import Trace
from gezeiten.ui.shell.theme import Theme

SHAPES = (("o", "●"), ("s", "■"), ("d", "◆"), ("x", "✖"), ("+", "✚"))
"""pyqtgraph's names and the letters that stand for them in a legend."""
_MARKS = 9
_SIZE_PX = 9


def with_breaks(series: Series) -> tuple[Values, Values]:
    """Return seconds and values of a series with a point that is none in each of its gaps, so that
    no line leads across."""
    times = series.times_utc_ms
    gaps = gaps_after(times, series.interval_ms) + 1
    seconds = np.insert(times / 1000, gaps, times[gaps - 1] / 1000)
    return seconds, np.insert(series.values, gaps, np.nan)


def line_color(theme: Theme, place: int, trace: Trace) -> QColor:
    """The colour that a plan gave the channel, else the theme's next one for lines."""
    return QColor(trace.color or theme.lines[place % len(theme.lines)])


def legend_sign(place: int) -> str:
    """The letter for a line's marks."""
    return SHAPES[place % len(SHAPES)][1]


def make_marks(place: int, color: QColor, paper: QColor) -> pg.ScatterPlotItem:
    """Return the marks of a line, not placed yet. Lines take turns, so that marks stay apart."""
    marks = pg.ScatterPlotItem(
        symbol=SHAPES[place % len(SHAPES)][0],
        size=_SIZE_PX,
        brush=pg.mkBrush(color),
        pen=pg.mkPen(paper, width=1),
    )
    marks.setZValue(10)
    return marks


def place_marks(
    marks: pg.ScatterPlotItem, picture: Picture, start_ms: int, end_ms: int, place: int
) -> None:
    """Place marks along what is drawn of a line, evenly in time."""
    known = np.flatnonzero(np.isfinite(picture.values))
    if not len(known):
        marks.setData([], [])
        return
    step = (end_ms - start_ms) / _MARKS
    wanted = start_ms + step * (np.arange(_MARKS) + 0.2 + 0.15 * (place % len(SHAPES)))
    times = picture.times_utc_ms[known]
    at = np.clip(np.searchsorted(times, wanted), 0, len(times) - 1)
    near = np.abs(times[at] - wanted) < step
    selected = known[np.unique(at[near])]
    marks.setData(picture.times_utc_ms[selected] / 1000, picture.values[selected])
