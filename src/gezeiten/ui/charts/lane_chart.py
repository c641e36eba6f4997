"""One chart: lanes of quantities that share a time axis, a cursor and a selection.

The axis is in the site's own time.

Measured lines are solid, estimated ones dotted, overviews dash-dotted, limits dashed in the colour
of their side, and excursions tinted with a triangle. Zoom by wheel, pan by drag, mark a stretch by
Shift+drag.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from html import escape
from typing import Any

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPen
from PySide6.QtWidgets import QScrollArea

from gezeiten.desk.record.views.record_view import RecordView
from gezeiten.domain.series.drawing.pyramid import Picture
from gezeiten.domain.series.timeline import Span, Values
from gezeiten.ui.charts.axes import TimeAxis, ValueAxis
from gezeiten.ui.charts.chart_lanes import Lane
from gezeiten.ui.charts.checks import CheckMarks
from gezeiten.ui.charts.limits import LimitAxis, limit_lines
from gezeiten.ui.charts.lines import (
    legend_sign,
    line_color,
    make_marks,
    place_marks,
    with_breaks,
)
from gezeiten.ui.charts.overviews import (
    add_overviews,
    overview_at,
    overview_legend,
    overview_reach,
)
from gezeiten.ui.charts.remarks import RemarkMarks
from gezeiten.ui.charts.tints import Tints
from gezeiten.ui.format.i18n import day_and_time, number, tr
from gezeiten.ui.parts.rule_signs import RULE_SIGNS
from gezeiten.ui.parts.widgets import scrolled
from gezeiten.ui.shell.theme import Theme

LEAST_LANE_PX = 104
"""Lower lanes cannot be read; more of them than fit are scrolled."""


@dataclass(slots=True)
class _Drawn:
    lane: Lane
    plot: pg.PlotItem
    limits: LimitAxis
    curves: list[tuple[pg.PlotDataItem, pg.PlotDataItem]] = field(default_factory=list)
    marks: list[pg.ScatterPlotItem] = field(default_factory=list)
    no_readings: pg.TextItem | None = None
    cursor: Any = None
    value: Any = None


class LaneChart(pg.GraphicsLayoutWidget):
    """A stack of lanes. Emits the stretch in view and the stretch marked, UTC ms."""

    view_changed = Signal(object)
    marked = Signal(object)
    wanted = Signal(object, object)
    """Views of series whose readings a stretch is to be drawn from, which are not in memory."""
    tapped = Signal(object, object)
    """An instant, UTC ms, and the lane in which it was tapped."""

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        self._theme, self._zone = theme, "UTC"
        self._drawn: list[_Drawn] = []
        self._region: list[pg.LinearRegionItem] = []
        self._marking: float | None = None
        self._views: list[Span] = []
        self._view_at = -1
        self._moving = False
        self._full_span: Span | None = None
        self._asked: tuple[list[RecordView], Span] | None = None
        self._cursor_ms: int | None = None
        self.mark: Span | None = None
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 120)
        self._scroll: QScrollArea | None = None
        self.ci.layout.setSpacing(0)
        self.ci.layout.setContentsMargins(0, 0, 8, 0)
        self.scene().sigMouseMoved.connect(self._show_cursor)
        self.set_theme(theme)

    def scroll(self) -> QScrollArea:
        """The area that holds this chart and scrolls where its lanes want more height."""
        if self._scroll is None:
            self._scroll = scrolled(self)
            self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        return self._scroll

    # -- what is shown -------------------------------------------------------------------------
    def set_theme(self, theme: Theme) -> None:
        """Redraw in another theme."""
        self._theme = theme
        self.setBackground(theme.paper)
        if self._drawn:
            self.show_lanes([drawn.lane for drawn in self._drawn], self.view(), self._zone)

    def show_lanes(
        self, lanes: list[Lane], span: Span, zone: str, *, whole: Span | None = None
    ) -> None:
        """Show lanes over a stretch. whole: the farthest stretch that zooming out reaches."""
        self._zone = zone
        self._full_span = whole or self._full_span
        for row in range(len(self._drawn)):
            self.ci.layout.setRowMinimumHeight(row, 0)
        self.ci.clear()
        self._drawn, self._region = [], []
        self._asked = self._cursor_ms = None
        self._moving = True
        self.setMinimumHeight(max(120, LEAST_LANE_PX * len(lanes)))
        room = self._scroll.viewport().height() if self._scroll else self.height()
        scrolls = LEAST_LANE_PX * len(lanes) > max(room, 300)
        for i, lane in enumerate(lanes):
            has_times = scrolls or i + 1 == len(lanes)  # scrolled away, the last axis helps nobody
            self._drawn.append(self._make_lane(lane, i, has_times=has_times))
        beside = max((drawn.limits.label_width_px() for drawn in self._drawn), default=0)
        for drawn in self._drawn:
            drawn.limits.setWidth(beside)
        self._limit_zoom()
        self._moving = False
        if lanes:
            self.set_view(span)
            if self.mark:
                self._draw_mark(self.mark)

    def _limit_zoom(self) -> None:
        """Zooming ends a little beyond the whole record, and at five minutes."""
        limits = {"minXRange": 300.0}
        if self._full_span is not None:
            start, end = (at_ms / 1000 for at_ms in self._full_span)
            room = max((end - start) * 0.1, 3600.0)
            limits |= {"xMin": start - room, "xMax": end + room}
        for drawn in self._drawn:
            drawn.plot.getViewBox().setLimits(**limits)

    def _make_lane(self, lane: Lane, row: int, *, has_times: bool) -> _Drawn:
        axis = TimeAxis(self._zone)
        limits = LimitAxis(lane, self._theme, self.font())
        plot = self.addPlot(
            row=row, col=0, axisItems={"bottom": axis, "left": ValueAxis(), "right": limits}
        )
        plot.showAxis("right")
        plot.setMenuEnabled(False)
        plot.hideButtons()
        plot.setMouseEnabled(x=True, y=False)
        plot.getViewBox().setDefaultPadding(0)
        plot.getAxis("bottom").setStyle(showValues=has_times)
        for name in ("left", "bottom"):
            plot.getAxis(name).setPen(self._pen("line"))
            plot.getAxis(name).setTextPen(self._theme.color("muted"))
        plot.showGrid(y=True, alpha=0.12)
        limits.setGrid(False)
        self.ci.layout.setRowMinimumHeight(row, LEAST_LANE_PX - 4)
        plot.setTitle(self._title(lane), justify="left", size="9pt", color=self._theme.ink)
        plot.titleLabel.item.setTextWidth(-1)
        if self._drawn:
            plot.setXLink(self._drawn[0].plot)
        drawn = _Drawn(lane, plot, limits)
        if lane.tints:
            Tints(plot.getViewBox(), lane.tints, self._theme, self.font())
        self._add_curves(drawn)
        self._add_limits(drawn)
        if lane.remarks:
            RemarkMarks(plot.getViewBox(), lane.remarks, self._theme, self.font())
        if lane.checks:
            CheckMarks(plot.getViewBox(), lane.checks, self._theme, self.font())
        drawn.cursor = pg.InfiniteLine(pen=self._pen("ink", 0.8))
        drawn.value = pg.TextItem(color=self._theme.paper, fill=self._theme.color("ink"))
        drawn.value.setZValue(30)
        for item in (drawn.cursor, drawn.value):
            item.hide()
            plot.addItem(item, ignoreBounds=True)
        plot.getViewBox().sigXRangeChanged.connect(self._range_changed)
        return drawn

    def _title(self, lane: Lane) -> str:
        muted, unit = self._theme.muted, escape(lane.unit)
        parts = [f"<b>{escape(lane.title)}</b> <span style='color:{muted}'>{unit}</span>"]
        if len(lane.traces) > 1:
            for i, trace in enumerate(lane.traces):
                color = line_color(self._theme, i, trace).name()
                name = escape(trace.name)
                parts.append(f"<span style='color:{color}'>{legend_sign(i)} {name}</span>")
        if lane.overviews:
            legend = overview_legend(lane.overviews)
            parts.append(f"<span style='color:{self._theme.muted}'>&#9476; {legend}</span>")
        return " &nbsp; ".join(parts)

    def _pen(
        self, color: str | QColor, width: float = 1.0, style: Qt.PenStyle | None = None
    ) -> QPen:
        ink = self._theme.color(color) if isinstance(color, str) else color
        pen: QPen = pg.mkPen(ink, width=width * self._theme.line_width)
        if style is not None:
            pen.setStyle(style)
        return pen

    def _add_curves(self, drawn: _Drawn) -> None:
        for i, trace in enumerate(drawn.lane.traces):
            color = line_color(self._theme, i, trace)
            solid = drawn.plot.plot(pen=self._pen(color, 1.3), connect="finite")
            dashed = drawn.plot.plot(
                pen=self._pen(color, 1.5, Qt.PenStyle.DotLine), connect="finite"
            )
            drawn.curves.append((solid, dashed))
            if len(drawn.lane.traces) > 1:
                marks = make_marks(i, color, self._theme.color("paper"))
                drawn.plot.addItem(marks, ignoreBounds=True)
                drawn.marks.append(marks)
        if drawn.lane.overviews:
            bars = self._theme.color("muted", 90)
            add_overviews(
                drawn.plot, drawn.lane.overviews, self._pen("muted", 1.5), self._pen(bars, 2.0)
            )
        if drawn.lane.band is not None:
            edges = [
                pg.PlotDataItem(one.times_utc_ms / 1000, one.values, pen=pg.mkPen(None))
                for one in drawn.lane.band
            ]
            between = pg.FillBetweenItem(*edges, brush=self._theme.color("brass", 40))
            drawn.plot.addItem(between, ignoreBounds=True)
        if drawn.lane.proposal is not None:
            fill = drawn.lane.proposal
            pen = self._pen("brass", 1.8, Qt.PenStyle.DashLine)
            drawn.plot.plot(*with_breaks(fill), pen=pen, connect="finite")

    def _add_limits(self, drawn: _Drawn) -> None:
        """Draw limits where they were in force; over the whole width where it is not known when."""
        start, end = self._full_span or (0, 0)
        beyond = (start - 2 * (end - start), end + 2 * (end - start))
        for (side, value), spans in limit_lines(drawn.lane, beyond).items():
            pen = self._pen(RULE_SIGNS[side][1], 1.0, Qt.PenStyle.DashLine)
            line: pg.GraphicsObject = pg.InfiniteLine(value, angle=0, pen=pen)
            if spans:
                times = np.array([(a, b, b) for a, b in spans], float).ravel() / 1000
                values = np.tile([value, value, np.nan], len(spans))
                line = pg.PlotCurveItem(times, values, connect="finite", pen=pen)
            drawn.plot.addItem(line, ignoreBounds=True)

    # -- view ----------------------------------------------------------------------------------
    def view(self) -> Span:
        """Return the stretch in view."""
        if not self._drawn:
            return (0, 1)
        low, high = self._drawn[0].plot.getViewBox().viewRange()[0]
        return (round(low * 1000), round(high * 1000))

    def set_view(self, span: Span, *, remember: bool = True) -> None:
        """Show a stretch; remembered ones are reached by `back` and `forth`."""
        if not self._drawn or span[1] <= span[0]:
            return
        self._moving = True
        self._drawn[0].plot.setXRange(span[0] / 1000, span[1] / 1000, padding=0)
        self._moving = False
        self._redraw()
        if remember:
            self._remember()

    def _range_changed(self, *_args: object) -> None:
        if not self._moving:
            self._redraw()
            self._remember()

    def redraw(self) -> None:
        """Draw what is in view anew: readings that were asked for are in memory now."""
        if self._drawn:
            self._draw()
            if self._cursor_ms is not None:
                self._update_cursor_values(self._cursor_ms)

    def _redraw(self) -> None:
        self._draw()
        self.view_changed.emit(self.view())

    def _draw(self) -> None:
        span = self.view()
        coarse: list[RecordView] = []
        for drawn in self._drawn:
            lows, highs = self._draw_lines(drawn, span, coarse)
            reach = overview_reach(drawn.lane.overviews, *span)
            self._show_no_readings(drawn, span, on=not lows + reach)
            drawn.limits.show_span(span)
            self._scale(drawn, span, lows + reach, highs + reach)
        self._request_readings(coarse, span)

    def _draw_lines(
        self, drawn: _Drawn, span: Span, coarse: list[RecordView]
    ) -> tuple[list[float], list[float]]:
        """Draw the lines of a lane and return their lowest and highest values in view; coarse:
        takes in the series whose readings would show more."""
        columns = max(200, int(self.width()))
        lows, highs = [], []
        for i, (trace, curves) in enumerate(zip(drawn.lane.traces, drawn.curves, strict=True)):
            pictures = trace.picture(span, columns)
            if pictures.is_coarse:
                coarse.append(trace.view)
            if drawn.marks:
                place_marks(drawn.marks[i], pictures.measured, *span, i)
            both = (pictures.measured, pictures.estimated)
            for picture, curve in zip(both, curves, strict=True):
                curve.setData(picture.times_utc_ms / 1000, picture.values)
                inside = _visible_values(picture, *span)
                if len(inside):
                    lows.append(float(inside.min()))
                    highs.append(float(inside.max()))
        for proposed in (drawn.lane.proposal, *(drawn.lane.band or ())):
            inside = proposed.between(*span).values if proposed is not None else []
            if len(inside):
                lows.append(float(inside.min()))
                highs.append(float(inside.max()))
        return lows, highs

    def _request_readings(self, record_views: list[RecordView], span: Span) -> None:
        """Ask for readings, of one stretch once."""
        if record_views and self._asked != (record_views, span):
            self._asked = (record_views, span)
            self.wanted.emit(record_views, span)

    def _scale(self, drawn: _Drawn, span: Span, lows: list[float], highs: list[float]) -> None:
        if not lows:
            return  # no scale is made up for nothing
        low, high = min(lows), max(highs)
        reach = (high - low) or 1.0
        beside = [rule.value for rule in drawn.lane.rules_in(span)]
        beside += drawn.lane.checked_in(span)
        near = [value for value in beside if low - reach < value < high + reach]
        low, high = min([low, *near]), max([high, *near])
        room = (high - low) * 0.12 or 0.5
        floor = 0.0 if low >= 0 and drawn.lane.is_non_negative else low - room
        drawn.plot.setYRange(max(low - room, floor), high + room, padding=0)

    def _show_no_readings(self, drawn: _Drawn, span: Span, *, on: bool) -> None:
        """Show that a lane has no reading in the span, in place of its scale."""
        drawn.plot.getAxis("left").setStyle(showValues=not on)
        if drawn.no_readings is None:
            if not on:
                return
            drawn.no_readings = pg.TextItem(
                tr("no reading in this period"),
                color=self._theme.color("muted"),
                anchor=(0.5, 0.5),
            )
            drawn.plot.addItem(drawn.no_readings, ignoreBounds=True)
        low, high = drawn.plot.getViewBox().viewRange()[1]
        drawn.no_readings.setPos((span[0] + span[1]) / 2000, (low + high) / 2)
        drawn.no_readings.setVisible(on)

    def _remember(self) -> None:
        span = self.view()
        if 0 <= self._view_at < len(self._views):
            last = self._views[self._view_at]
            moved = abs(span[0] - last[0]) + abs(span[1] - last[1])
            if moved < 0.02 * (span[1] - span[0]):
                return
        self._views = [*self._views[: self._view_at + 1], span][-60:]
        self._view_at = len(self._views) - 1

    def show_previous(self) -> None:
        """Show the view before."""
        if self._view_at > 0:
            self._view_at -= 1
            self.set_view(self._views[self._view_at], remember=False)

    def forth(self) -> None:
        """Show the view after."""
        if self._view_at + 1 < len(self._views):
            self._view_at += 1
            self.set_view(self._views[self._view_at], remember=False)

    def zoom(self, factor: float) -> None:
        """Show a longer (factor above 1) or shorter stretch about the middle."""
        start, end = self.view()
        middle, half = (start + end) / 2, (end - start) * factor / 2
        self.set_view((round(middle - half), round(middle + half)))

    def shift(self, share: float) -> None:
        """Move the view by a share of its length."""
        start, end = self.view()
        by = round((end - start) * share)
        self.set_view((start + by, end + by))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        actions = {
            Qt.Key.Key_Left: lambda: self.shift(-0.25),
            Qt.Key.Key_Right: lambda: self.shift(0.25),
            Qt.Key.Key_Plus: lambda: self.zoom(0.6),
            Qt.Key.Key_Minus: lambda: self.zoom(1 / 0.6),
            Qt.Key.Key_Backspace: self.show_previous,
        }
        if self._scroll is not None:
            bar = self._scroll.verticalScrollBar()
            actions[Qt.Key.Key_PageDown] = lambda: bar.setValue(bar.value() + bar.pageStep())
            actions[Qt.Key.Key_PageUp] = lambda: bar.setValue(bar.value() - bar.pageStep())
        action = actions.get(Qt.Key(event.key()))
        if action:
            action()
        else:
            super().keyPressEvent(event)

    # -- marking a stretch ---------------------------------------------------------------------
    def set_mark(self, span: Span | None) -> None:
        """Mark a stretch (None unmarks) and tell whoever listens."""
        self.mark = span
        self._draw_mark(span)
        self.marked.emit(span)

    def _draw_mark(self, span: Span | None) -> None:
        for region, drawn in zip(self._region, self._drawn, strict=False):
            drawn.plot.removeItem(region)
        self._region = []
        if span is None:
            return
        for drawn in self._drawn:
            region = pg.LinearRegionItem(
                (span[0] / 1000, span[1] / 1000),
                movable=False,
                brush=self._theme.color("tide", 34),
                pen=QPen(Qt.PenStyle.NoPen),
            )
            region.setZValue(-5)
            drawn.plot.addItem(region, ignoreBounds=True)
            self._region.append(region)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self._drawn:
            self._marking = self._time_at(event.position())
            return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._marking is not None:
            at = self._time_at(event.position())
            self._draw_mark((round(min(self._marking, at)), round(max(self._marking, at))))
            return
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._marking is not None:
            at = self._time_at(event.position())
            start, end = sorted((round(self._marking), round(at)))
            self._marking = None
            self.set_mark((start, end) if end > start else None)
            return
        super().mouseReleaseEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._drawn:
            lane = self._lane_at(event.position())
            self.tapped.emit(round(self._time_at(event.position())), lane)

    def _lane_at(self, position: QPointF) -> Lane:
        """Return the lane at a place, the last one below all."""
        y = self.mapToScene(position.toPoint()).y()
        shown = (one for one in self._drawn if y <= one.plot.sceneBoundingRect().bottom())
        return next(shown, self._drawn[-1]).lane

    def _time_at(self, position: QPointF) -> float:
        scene = self.mapToScene(position.toPoint())
        return float(self._drawn[0].plot.getViewBox().mapSceneToView(scene).x()) * 1000

    # -- cursor --------------------------------------------------------------------------------
    @property
    def cursor_ms(self) -> int | None:
        """Where the cursor stands, None before it was put anywhere."""
        return self._cursor_ms

    def _show_cursor(self, scene: QPointF) -> None:
        over = any(d.plot.sceneBoundingRect().contains(scene) for d in self._drawn)
        if not over:
            return
        at_ms = self._drawn[0].plot.getViewBox().mapSceneToView(scene).x() * 1000
        self.set_cursor(round(at_ms))

    def set_cursor(self, at_ms: int) -> None:
        """Put the cursor at an instant; each lane shows the nearest reading there."""
        self._cursor_ms = at_ms
        missing = self._update_cursor_values(at_ms)
        self._request_readings(missing, (at_ms, at_ms + 1))

    def _update_cursor_values(self, at_ms: int) -> list[RecordView]:
        """Write the readings at an instant beside the cursor; returns the series of those that are
        not in memory."""
        missing: list[RecordView] = []
        for i, drawn in enumerate(self._drawn):
            lines = [day_and_time(at_ms, self._zone)] if i == 0 else []
            for trace in drawn.lane.traces:
                try:
                    value = trace.nearest(at_ms)
                    shown = tr("no reading")
                    if value is not None:
                        shown = f"{number(value, drawn.lane.decimals)} {drawn.lane.unit}"
                except LookupError:
                    missing.append(trace.view)
                    shown = "…"
                several = len(drawn.lane.traces) > 1
                lines.append(f"{trace.name}: {shown}" if several else shown)
            seen = overview_at(drawn.lane.overviews, at_ms, drawn.lane.decimals)
            lines += [f"{seen} {drawn.lane.unit}"] if seen else []
            low, high = drawn.plot.getViewBox().viewRange()[1]
            start, end = self.view()
            drawn.cursor.setPos(at_ms / 1000)
            drawn.value.setText("\n".join(lines))
            drawn.value.setAnchor((1.06, 0) if at_ms > (start + end) / 2 else (-0.06, 0))
            drawn.value.setPos(at_ms / 1000, high - (high - low) * 0.04)
            drawn.cursor.show()
            drawn.value.show()
        return missing


def _visible_values(picture: Picture, start_ms: int, end_ms: int) -> Values:
    """What of a picture is seen: the values in the stretch, or those on either side where the
    line between them crosses it."""
    times, known = picture.times_utc_ms, np.isfinite(picture.values)
    inside = (times >= start_ms) & (times <= end_ms)
    if (inside & known).any():
        return picture.values[known]
    crosses = known.all() and bool((times < start_ms).any() and (times > end_ms).any())
    return picture.values if crosses else np.empty(0)
