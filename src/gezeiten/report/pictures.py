"""The weekly picture of a report: one lane a channel, as vector graphics.

Measured lines are solid, estimated ones dashed, stretches without readings hatched.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

import numpy as np
from reportlab.graphics.shapes import Drawing, Line, Polygon, PolyLine, Rect, String
from reportlab.lib.colors import HexColor

from gezeiten.domain.gaps import held_spans
from gezeiten.domain.pyramid import Pyramid
from gezeiten.domain.quantities import quantity
from gezeiten.domain.series import Series
from gezeiten.domain.timeline import Span, from_ms, local_days, midnight_ms
from gezeiten.report.content import PointReport, ReportChannel
from gezeiten.report.ink import EMBER, INK, MUTED, PLUM, RULE, TIDE

LANE_HEIGHT, LEFT, TOP, BOTTOM = 74.0, 44.0, 12.0, 14.0


def week_picture(report: PointReport, span: Span, width: float, font: str) -> Drawing:
    """Return the picture of a stretch of up to a week."""
    height = TOP + BOTTOM + LANE_HEIGHT * len(report.channels)
    drawing = Drawing(width, height)
    for i, channel in enumerate(report.channels):
        bottom = BOTTOM + LANE_HEIGHT * (len(report.channels) - 1 - i)
        within = (max(span[0], report.span[0]), min(span[1], report.span[1]))
        _lane(drawing, channel, span, within, width, bottom, font)
    for day, (begin, _) in local_days(*span, report.zone):
        x = _x(begin, span, width)
        if begin >= span[0]:
            drawing.add(Line(x, BOTTOM, x, height - TOP, strokeColor=RULE, strokeWidth=0.4))
            label = f"{day.day}.{day.month}."
            drawing.add(String(x + 2, 3, label, fontName=font, fontSize=6.5, fillColor=MUTED))
    return drawing


def _x(at_ms: float, span: Span, width: float) -> float:
    return LEFT + (at_ms - span[0]) / (span[1] - span[0]) * (width - LEFT)


def _lane(
    drawing: Drawing,
    channel: ReportChannel,
    span: Span,
    within: Span,
    width: float,
    bottom: float,
    font: str,
) -> None:
    """Draw one channel; within: the part of the week that the report covers."""
    series = channel.series.between(*span)
    low, high = _range(channel, series)
    inner = LANE_HEIGHT - 16

    def y(value: float) -> float:
        return bottom + 2 + (value - low) / (high - low) * inner

    title = f"{quantity(channel.key).name}, {channel.unit}"
    drawing.add(
        String(LEFT, bottom + LANE_HEIGHT - 9, title, fontName=font, fontSize=7, fillColor=INK)
    )
    for value in (low, high):
        text = f"{value:.{min(quantity(channel.key).decimals, 1)}f}"
        label = String(LEFT - 4, y(value) - 2, text, fontName=font, fontSize=6.5, textAnchor="end")
        label.fillColor = MUTED
        drawing.add(label)
        drawing.add(Line(LEFT, y(value), width, y(value), strokeColor=RULE, strokeWidth=0.4))
    _hatch_gaps(drawing, series, within, span, width, bottom + 2, inner)
    for rule in channel.rules:
        if low <= rule.value <= high:
            color = EMBER if rule.side == "above" else PLUM
            line = Line(LEFT, y(rule.value), width, y(rule.value), strokeColor=color)
            line.strokeWidth, line.strokeDashArray = 0.6, [3, 2]
            drawing.add(line)
            _triangle(drawing, width - 4, y(rule.value), rule.side == "above", color)
    _curves(drawing, series, span, width, y)


def _range(channel: ReportChannel, series: Series) -> tuple[float, float]:
    values = series.values
    low, high = (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)
    near = [r.value for r in channel.rules if low - (high - low) <= r.value <= 2 * high - low]
    low, high = min([low, *near]), max([high, *near])
    room = (high - low) * 0.06 or 0.5
    return low - room, high + room


def _curves(
    drawing: Drawing, series: Series, span: Span, width: float, y: Callable[[float], float]
) -> None:
    """Draw the readings; a run of estimated ones is dashed and joined to its neighbours."""
    if not len(series):
        return
    picture = Pyramid(series).picture(span[0], span[1], 480)
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
            line = PolyLine(points, strokeColor=TIDE, strokeWidth=0.7)
            if flags[a + 1]:
                line.strokeDashArray = [2, 1.5]
            drawing.add(line)


def _hatch_gaps(
    drawing: Drawing,
    series: Series,
    within: Span,
    span: Span,
    width: float,
    bottom: float,
    height: float,
) -> None:
    at = within[0]
    for begin, end in [*held_spans(series), (within[1], within[1])]:
        if begin - at > (series.interval_ms[0] * 1.5 if len(series) else 0):
            left, right = _x(at, span, width), _x(begin, span, width)
            drawing.add(
                Rect(
                    left,
                    bottom,
                    right - left,
                    height,
                    strokeColor=None,
                    fillColor=HexColor("#F4F1EA"),
                )
            )
            for x in np.arange(left, right, 4.0):
                top = min(x + 4, right)
                drawing.add(
                    Line(x, bottom, top, bottom + height, strokeColor=RULE, strokeWidth=0.4)
                )
        at = max(at, end)


def _triangle(drawing: Drawing, x: float, y: float, up: bool, color: HexColor) -> None:
    tip = y + 6 if up else y - 6
    foot = y + 1.5 if up else y - 1.5
    drawing.add(Polygon([x - 3, foot, x + 3, foot, x, tip], fillColor=color, strokeColor=None))


def weeks(span: Span, zone: str) -> list[Span]:
    """Return the whole local weeks, Monday to Sunday, that the stretch touches."""
    mondays = {}
    for day, _ in local_days(*span, zone):
        monday = day - timedelta(days=day.weekday())
        mondays[monday] = (
            midnight_ms(monday, zone),
            midnight_ms(monday + timedelta(days=7), zone),
        )
    return list(mondays.values())


def week_title(span: Span, zone: str) -> str:
    """Return "16 Nov to 22 Nov 2026" for a stretch."""
    first, last = from_ms(span[0], zone), from_ms(span[1] - 1, zone)
    return f"{first.day} {first:%b} to {last.day} {last:%b %Y}"
