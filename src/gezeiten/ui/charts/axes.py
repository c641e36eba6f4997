"""Axes of charts: round local times below, numbers in the region's format at the left."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

import pyqtgraph as pg

from gezeiten.domain.base.wording import power_of, superscript
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, MINUTE_MS, from_ms, midnight_ms, to_ms
from gezeiten.ui.charts.month_ticks import (
    LONGEST_MONTH_MS,
    month_pattern,
    month_ticks,
    months_between_ticks,
)
from gezeiten.ui.format.i18n import clock_time, date, number

_STEPS_MS = [
    *(m * MINUTE_MS for m in (1, 5, 10, 30)),
    *(h * HOUR_MS for h in (1, 2, 3, 6, 12)),
    *(d * DAY_MS for d in (1, 2, 4, 7, 14)),
]


class TimeAxis(pg.AxisItem):
    """Ticks at round local times of a zone; positions are UTC seconds."""

    def __init__(self, zone: str) -> None:
        super().__init__("bottom")
        self.zone = zone

    def tickValues(self, low: float, high: float, size: float) -> list[tuple[float, list[float]]]:
        wanted = max(2, int(size / 95))
        length_ms = (high - low) * 1000
        step = next((s for s in _STEPS_MS if length_ms / s <= wanted), None)
        if step is None:
            months = months_between_ticks(length_ms, wanted)
            span = (round(low * 1000), round(high * 1000))
            ticks = [at / 1000 for at in month_ticks(span, self.zone, months)]
            return [(months * LONGEST_MONTH_MS / 1000, ticks)]
        return [(step / 1000, [t / 1000 for t in self._ticks(low * 1000, high * 1000, step)])]

    def _ticks(self, low_ms: float, high_ms: float, step_ms: int) -> list[int]:
        if HOUR_MS < step_ms < DAY_MS:
            return self._hours(low_ms, high_ms, step_ms // HOUR_MS)
        if step_ms < DAY_MS:
            start = midnight_ms(from_ms(int(low_ms), self.zone).date(), self.zone)
            first = start - int((start - low_ms) // step_ms) * step_ms  # none left of the picture
            return list(range(first, int(high_ms) + 1, step_ms))[:60]
        days = step_ms // DAY_MS
        day = from_ms(int(low_ms), self.zone).date()
        day -= timedelta(days=day.toordinal() % days)
        ticks: list[int] = []
        while len(ticks) < 60:
            at = midnight_ms(day, self.zone)
            if at > high_ms:
                break
            ticks.append(at)
            day += timedelta(days=days)
        return ticks

    def _hours(self, low_ms: float, high_ms: float, step_h: int) -> list[int]:
        """Full local hours that the step divides, on either side of a change of the clocks too."""
        ticks: list[int] = []
        day, zone = from_ms(int(low_ms), self.zone).date(), ZoneInfo(self.zone)
        while not ticks or (ticks[-1] <= high_ms and len(ticks) < 60):
            for hour in range(0, 24, step_h):
                local = datetime.combine(day, time(hour), zone)
                at = to_ms(local)
                if from_ms(at, self.zone).hour == hour:  # else it is skipped on that day
                    ticks.append(at)
            day += timedelta(days=1)
        return [at for at in ticks if low_ms <= at <= high_ms]

    def tickStrings(self, values: list[float], _scale: float, spacing: float) -> list[str]:
        if spacing * 1000 >= LONGEST_MONTH_MS:
            pattern = month_pattern(round(spacing * 1000 / LONGEST_MONTH_MS))
            return [date(round(value * 1000), self.zone, pattern) for value in values]
        shown, has_date = [], False
        for value in values:
            at = round(value * 1000)
            midnight = from_ms(at, self.zone).time().hour == 0 and spacing >= 3 * 3600
            is_day = spacing >= 86_400 or midnight
            shown.append(date(at, self.zone, "d MMM") if is_day else clock_time(at, self.zone))
            has_date |= is_day
        if shown and not has_date:  # times of day alone would not say of which day
            shown[0] = f"{date(round(values[0] * 1000), self.zone, 'd MMM')} {shown[0]}"
        return shown


class ValueAxis(pg.AxisItem):
    """Numbers in the region's format, always of one width so that lanes align."""

    def __init__(self, width: int = 54) -> None:
        super().__init__("left")
        self.setWidth(width)

    def tickStrings(self, values: list[float], _scale: float, spacing: float) -> list[str]:
        power = power_of(max((abs(float(value)) for value in values), default=0.0))
        places = _places(spacing / 10**power)
        return [_tick(float(value), power, places) for value in values]


def _places(step: float) -> int:
    """Return how many decimals tell numbers apart that are a step from each other, four at most."""
    return next(
        (
            places
            for places in range(4)
            if abs(step * 10**places - round(step * 10**places)) < _ALMOST
        ),
        4,
    )


_ALMOST = 1e-6


def _tick(value: float, power: int, places: int) -> str:
    if not power or value == 0:
        return number(value, places if not power else 0)
    return f"{number(value / 10**power, places)}·10{superscript(power)}"
