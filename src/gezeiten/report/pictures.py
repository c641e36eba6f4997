"""Pictures of a report as vector graphics: the band of days, excursions, and curves in lanes.

Measured lines are solid, estimated ones dotted, stretches without readings hatched. All pictures
of one channel share one scale.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from reportlab.graphics.shapes import Drawing, Group, Line, Polygon, PolyLine, Rect, String
from reportlab.lib.colors import Color, HexColor
from reportlab.pdfbase.pdfmetrics import stringWidth

from gezeiten.domain.base.wording import axis_text
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.drawing.pyramid import Pyramid
from gezeiten.domain.series.gaps import covered_spans
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Span, from_ms, local_days, midnight_ms
from gezeiten.report.content import PointReport, ReportChannel, ReportExcursion
from gezeiten.report.ink import BRASS, EMBER, GROUND, INK, MUTED, PLUM, RULE, TIDE
from gezeiten.report.summary import DayCell

LANE_HEIGHT, LEFT, TOP, BOTTOM = 74.0, 44.0, 12.0, 14.0
PICTURE_DAYS = 31
CELL, CELL_HEIGHT = 14.0, 22.0


# -- the band of days ----------------------------------------------------------------------------
def day_band(cells: list[DayCell], width: float, font: str) -> Drawing:
    """Return one cell a day, tinted by the time outside, hatched as far up as readings lack."""
    a_line = max(int(width // CELL), 1)
    lines = -(-len(cells) // a_line)
    drawing = Drawing(width, lines * (CELL_HEIGHT + 12))
    named = 0
    for i, cell in enumerate(cells):
        line, place = divmod(i, a_line)
        x = place * CELL
        y = (lines - 1 - line) * (CELL_HEIGHT + 12) + 10
        drawing.add(_cell(cell, x, y))
        is_month = place == 0 or cell.day.day == 1
        if is_month or (cell.day.weekday() == 0 and place - named > 2):
            named = place
            words = f"{cell.day.day} {cell.day:%b}" if is_month else f"{cell.day.day}"
            drawing.add(String(x, y - 8, words, fontName=font, fontSize=6, fillColor=MUTED))
    return drawing


def _cell(cell: DayCell, x: float, y: float) -> Group:
    made = Group()
    width = CELL - 1.5
    made.add(Rect(x, y, width, CELL_HEIGHT, strokeColor=None, fillColor=GROUND))
    if cell.outside or cell.verdict == "outside":
        share = 0.25 + 0.75 * min(cell.outside * 2, 1.0)  # half a day outside is as dark as it gets
        tint = Color(EMBER.red, EMBER.green, EMBER.blue, alpha=share)
        made.add(Rect(x, y, width, CELL_HEIGHT, strokeColor=None, fillColor=tint))
    if cell.absent > 0.001:
        height = max(cell.absent * CELL_HEIGHT, 2.0)
        _hatch(made, x, y, width, height)
    made.add(Rect(x, y, width, CELL_HEIGHT, strokeColor=RULE, strokeWidth=0.4, fillColor=None))
    if cell.verdict == "not judged":
        middle = y + CELL_HEIGHT / 2
        made.add(Line(x + 3.5, middle, x + width - 3.5, middle, strokeColor=INK, strokeWidth=1.2))
    return made


def _hatch(made: Group | Drawing, x: float, y: float, width: float, height: float) -> None:
    made.add(Rect(x, y, width, height, strokeColor=None, fillColor=HexColor("#FFFFFF")))
    for at in np.arange(x, x + width, 3.0):
        right = min(at + 3, x + width)
        made.add(Line(at, y, right, y + height, strokeColor=MUTED, strokeWidth=0.4))


# -- lanes ---------------------------------------------------------------------------------------
def pieces(span: Span, zone: str) -> list[Span]:
    """Return a stretch in pieces of at most a month of local days."""
    days = [span[0], *(begin for _, (begin, _) in local_days(*span, zone) if begin > span[0])]
    starts = days[::PICTURE_DAYS]
    return list(zip(starts, [*starts[1:], span[1]], strict=True))


def curves_picture(report: PointReport, span: Span, width: float, font: str) -> Drawing:
    """Return all channels over a stretch, one lane each, on the scale of the whole report."""
    height = TOP + BOTTOM + LANE_HEIGHT * len(report.channels)
    drawing = Drawing(width, height)
    for i, channel in enumerate(report.channels):
        bottom = BOTTOM + LANE_HEIGHT * (len(report.channels) - 1 - i)
        lane = _Lane(drawing, channel, span, width, bottom, LANE_HEIGHT, font, scale_of(channel))
        lane.draw()
    _days(drawing, span, report.zone, width, height, font)
    return drawing


def event_picture(
    report: PointReport, event: ReportExcursion, width: float, font: str
) -> Drawing | None:
    """Return an excursion in its surroundings: its limit, begin, alarm and end; None where its
    channel has no reading in the report."""
    channel = next((c for c in report.channels if c.key == event.rule.channel), None)
    if channel is None:
        return None
    around = max(round((event.end_ms - event.start_ms) * 0.8), 3 * HOUR_MS)
    span = (
        max(event.start_ms - around, report.span[0]),
        min(event.end_ms + around, report.span[1]),
    )
    if span[1] - span[0] < 60_000:
        return None
    height = TOP + BOTTOM + 92
    drawing = Drawing(width, height)
    lane = _Lane(drawing, channel, span, width, BOTTOM, 92, font, scale_of(channel))
    lane.tint((event.start_ms, event.alarm_ms), BRASS, 0.18)
    lane.tint((event.alarm_ms, event.end_ms), EMBER, 0.16)
    lane.draw([(event.rule, span)] if event.rule.has_value else [], event.rule.mean_s)
    raised = "warning" if event.rule.level == "warning" else "alarm"
    marks = ((event.start_ms, "begin"), (event.alarm_ms, raised), (event.end_ms, "end"))
    for below, (at_ms, words) in enumerate(marks):
        lane.mark(at_ms, words, below)
    _hours(drawing, span, report.zone, width, height, font)
    return drawing


def scale_of(channel: ReportChannel) -> tuple[float, float]:
    """Return the scale of all pictures of a channel: its extremes, and limits not far from them."""
    drawn = [one.values for _, one in channel.means if len(one)]
    low = min([channel.statistics.lowest, *(float(one.min()) for one in drawn)])
    high = max([channel.statistics.highest, *(float(one.max()) for one in drawn)])
    reach = (high - low) or 1.0
    near = [r.value for r in channel.rules if low - reach <= r.value <= high + reach]
    low, high = min([low, *near]), max([high, *near])
    room = (high - low) * 0.06 or 0.5
    if low >= 0 and quantity(channel.key).low == 0:
        return max(low - room, 0.0), high + room  # there is nothing below zero
    return low - room, high + room


@dataclass(frozen=True, slots=True)
class _Lane:
    """One channel drawn over a stretch into a strip of a drawing."""

    drawing: Drawing
    channel: ReportChannel
    span: Span
    width: float
    bottom: float
    height: float
    font: str
    scale: tuple[float, float]

    def x(self, at_ms: float) -> float:
        return _x(at_ms, self.span, self.width)

    def y(self, value: float) -> float:
        low, high = self.scale
        return self.bottom + 2 + (value - low) / (high - low) * (self.height - 16)

    def tint(self, span: Span, color: Color, alpha: float) -> None:
        """Lay a colour over a part of the lane, below its curves."""
        left, right = (self.x(min(max(at, self.span[0]), self.span[1])) for at in span)
        fill = Color(color.red, color.green, color.blue, alpha=alpha)
        self.drawing.add(
            Rect(
                left,
                self.bottom + 2,
                right - left,
                self.height - 16,
                strokeColor=None,
                fillColor=fill,
            )
        )

    def mark(self, at_ms: int, words: str, below: int) -> None:
        """Draw an upright line with a word at an instant, so many lines further down."""
        if not self.span[0] <= at_ms <= self.span[1]:
            return
        x, top = self.x(at_ms), self.bottom + self.height - 13
        self.drawing.add(Line(x, self.bottom + 2, x, top, strokeColor=INK, strokeWidth=0.5))
        base = top - 7 * (below + 1)
        length = stringWidth(words, self.font, 6)
        paper = Color(1, 1, 1, alpha=0.85)  # the curve may run there
        self.drawing.add(Rect(x + 1, base - 1.5, length + 2, 7, strokeColor=None, fillColor=paper))
        self.drawing.add(String(x + 2, base, words, fontName=self.font, fontSize=6, fillColor=INK))

    def draw(
        self, rules: list[tuple[LimitRule, Span]] | None = None, mean_s: int | None = None
    ) -> None:
        """Draw title, scale, what is absent, limits and curves. mean_s: of which means alone, 0 of
        none, None of all that limits compare."""
        series = self.channel.series.between(*self.span)
        name = quantity(self.channel.key)
        title = f"{name.name}, {self.channel.unit}"
        top = self.bottom + self.height - 9
        self.drawing.add(String(LEFT, top, title, fontName=self.font, fontSize=7, fillColor=INK))
        if not len(series):
            words = "no reading in this period"
            middle = self.bottom + (self.height - 16) / 2
            _hatch(self.drawing, LEFT, self.bottom + 2, self.width - LEFT, self.height - 16)
            self.drawing.add(
                String(
                    (LEFT + self.width) / 2,
                    middle,
                    words,
                    fontName=self.font,
                    fontSize=7,
                    textAnchor="middle",
                    fillColor=INK,
                )
            )
            return
        for value in self.scale:
            largest = max(map(abs, self.scale))
            text = axis_text(value, largest, min(name.decimals, 1))
            self.drawing.add(
                String(
                    LEFT - 4,
                    self.y(value) - 2,
                    text,
                    fontName=self.font,
                    fontSize=6.5,
                    textAnchor="end",
                    fillColor=MUTED,
                )
            )
            self.drawing.add(
                Line(
                    LEFT,
                    self.y(value),
                    self.width,
                    self.y(value),
                    strokeColor=RULE,
                    strokeWidth=0.4,
                )
            )
        self._hatch_absent(series)
        self._limits(self.channel.rules_by_time() if rules is None else rules)
        _curves(self.drawing, series, self.span, self.width, self.y)
        for length_s, means in self.channel.means:
            if mean_s in (None, length_s):
                part = means.between(*self.span)
                _curves(self.drawing, part, self.span, self.width, self.y, (INK, 1.1))

    def _limits(self, rules: list[tuple[LimitRule, Span]]) -> None:
        low, high = self.scale
        for rule, (start_ms, end_ms) in rules:
            begin, end = max(start_ms, self.span[0]), min(end_ms, self.span[1])
            if low <= rule.value <= high and begin < end:
                color = EMBER if rule.side == "above" else PLUM
                y, right = self.y(rule.value), self.x(end)
                line = Line(self.x(begin), y, right, y, strokeColor=color)
                line.strokeWidth, line.strokeDashArray = 0.6, [3, 2]
                self.drawing.add(line)
                _triangle(self.drawing, right - 4, y, rule.side == "above", color)

    def _hatch_absent(self, series: Series) -> None:
        at, least = self.span[0], 1.5 * int(series.interval_ms[0])
        for begin, end in [*covered_spans(series), (self.span[1], self.span[1])]:
            if begin - at > least:
                left, right = self.x(at), self.x(begin)
                _hatch(self.drawing, left, self.bottom + 2, right - left, self.height - 16)
            at = max(at, end)


def _x(at_ms: float, span: Span, width: float) -> float:
    return LEFT + (at_ms - span[0]) / (span[1] - span[0]) * (width - LEFT)


def _days(drawing: Drawing, span: Span, zone: str, width: float, height: float, font: str) -> None:
    listed = [at for _, (at, _) in local_days(*span, zone) if at >= span[0]]
    every, free = max(len(listed) // 16, 1), 0.0
    for i, begin in enumerate(listed):
        x = _x(begin, span, width)
        drawing.add(Line(x, BOTTOM, x, height - TOP, strokeColor=RULE, strokeWidth=0.3))
        if i % every == 0 and x >= free:
            local = from_ms(begin, zone)
            words = f"{local.day} {local:%b}" if i == 0 or local.day <= every else f"{local.day}"
            free = x + 5 + 4 * len(words)
            drawing.add(String(x + 2, 3, words, fontName=font, fontSize=6.5, fillColor=MUTED))


def _hours(drawing: Drawing, span: Span, zone: str, width: float, height: float, font: str) -> None:
    steps = (1, 2, 3, 6, 12, 24, 48, 24 * 7)
    step = next((s for s in steps if (span[1] - span[0]) / (s * HOUR_MS) <= 9), steps[-1]) * HOUR_MS
    at = midnight_ms(from_ms(span[0], zone).date(), zone)
    while at < span[1]:
        if at >= span[0]:
            local = from_ms(at, zone)
            words = f"{local.day} {local:%b}" if local.hour == 0 else f"{local:%H:%M}"
            x = _x(at, span, width)
            drawing.add(Line(x, BOTTOM, x, height - TOP, strokeColor=RULE, strokeWidth=0.3))
            drawing.add(String(x + 2, 3, words, fontName=font, fontSize=6.5, fillColor=MUTED))
        at += step if step < DAY_MS else DAY_MS * (step // DAY_MS)


COLUMNS = 300
"""Of a picture across a page, lowest and highest in each: 600 points, three a millimetre."""


def _curves(
    drawing: Drawing,
    series: Series,
    span: Span,
    width: float,
    y: Callable[[float], float],
    pen: tuple[Color, float] = (TIDE, 0.7),
) -> None:
    """Draw the readings; a run of estimated ones is dotted and joined to its neighbours."""
    if not len(series):
        return
    picture = Pyramid.of_series(series).picture(span[0], span[1], COLUMNS)
    xs = LEFT + (picture.times_utc_ms - span[0]) / (span[1] - span[0]) * (width - LEFT)
    flags = np.interp(
        picture.times_utc_ms, series.times_utc_ms, series.estimated.astype(float)
    ).round()
    breaks = np.isnan(picture.values)
    cut = np.flatnonzero(breaks | (np.diff(flags, prepend=flags[0]) != 0))
    starts = [0, *(int(c) for c in cut)]
    for a, b in zip(starts, [*starts[1:], len(picture.values)], strict=True):
        a = a + 1 if breaks[a] else max(a - 1, 0)
        if b - a < 2:
            continue
        points = [
            coordinate
            for px, v in zip(xs[a:b], picture.values[a:b], strict=True)
            if not np.isnan(v)
            for coordinate in (float(px), y(v))
        ]
        if len(points) >= 4:
            line = PolyLine(points, strokeColor=pen[0], strokeWidth=pen[1])
            if flags[a + 1]:
                line.strokeDashArray = [1, 1.5]
            drawing.add(line)


def _triangle(drawing: Drawing, x: float, y: float, up: bool, color: HexColor) -> None:
    tip = y + 6 if up else y - 6
    foot = y + 1.5 if up else y - 1.5
    drawing.add(Polygon([x - 3, foot, x + 3, foot, x, tip], fillColor=color, strokeColor=None))


def period_title(span: Span, zone: str) -> str:
    """Return "16 Nov to 22 Nov 2026" for a stretch."""
    first, last = from_ms(span[0], zone), from_ms(span[1] - 1, zone)
    return f"{first.day} {first:%b} to {last.day} {last:%b %Y}"
