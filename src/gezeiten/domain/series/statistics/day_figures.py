"""Figures that are of whole days: degree days, the air quality index of fine dust.

Source: docs/calculations.md, "Day by day".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, hold_times_ms
from gezeiten.domain.series.statistics.figures import DayNumbers
from gezeiten.domain.series.timeline import HOUR_MS, Values, to_ms

DegreeKind = Literal["heating", "cooling", "heating limit"]
_LEAST_MIN, _LEAST_HOURS, _HOURS = 45, 18, 24
_INDEX: tuple[tuple[float, float, int, int], ...] = (
    (0.0, 9.0, 0, 50), (9.1, 35.4, 51, 100), (35.5, 55.4, 101, 150), (55.5, 125.4, 151, 200),
    (125.5, 225.4, 201, 300), (225.5, 325.4, 301, 500),
)  # fmt: skip
"""Concentrations in µg/m³, truncated to tenths, and the index over each: US EPA, 2024."""
BEYOND = 501
"""Stands for an index beyond the highest there is."""


@dataclass(frozen=True, slots=True)
class DegreeRule:
    """How degree days are counted. kind: below a base ("heating"), above it ("cooling", up to
    cut_off_c where that is not None), or of the day's mean where that is below a limit ("heating
    limit"); base_c, limit_c in °C."""

    kind: DegreeKind
    base_c: float
    cut_off_c: float | None = None
    limit_c: float = 15.0


@dataclass(frozen=True, slots=True)
class IndexDay:
    """The index of a day: mean_ug_m3 of its hourly means, hours: of how many; index None where
    these are too few, `BEYOND` above the highest; rests_on_estimates: on
    readings that were filled."""

    day: date
    hours: int
    mean_ug_m3: float
    index: int | None
    rests_on_estimates: bool


def degree_days(series: Series, days: Sequence[DayNumbers], rule: DegreeRule) -> list[float]:
    """Return the degree days of each day, K d; NaN where less than 75 % of it is held.

    Args:
        series: °C, all readings of the days and the one before; days: with their figures.
    """
    if rule.kind == "heating limit":
        return [_below_limit(day, rule) if day.numbers.is_sufficient else math.nan for day in days]
    temps_c = series.values
    if rule.kind == "heating":
        beyond = np.maximum(0.0, rule.base_c - temps_c)
    else:
        top = temps_c if rule.cut_off_c is None else np.minimum(temps_c, rule.cut_off_c)
        beyond = np.maximum(0.0, top - rule.base_c)
    edges = np.array([day.numbers.span for day in days], np.int64).reshape(-1, 2)
    sums = _integral_until(series, beyond, edges.ravel()).reshape(-1, 2)
    day_ms = _HOURS * HOUR_MS
    return [
        float(b - a) / day_ms if one.numbers.is_sufficient else math.nan
        for one, (a, b) in zip(days, sums, strict=True)
    ]


def _below_limit(day_numbers: DayNumbers, rule: DegreeRule) -> float:
    mean_c = day_numbers.numbers.mean
    return max(0.0, rule.base_c - mean_c) if mean_c < rule.limit_c else 0.0


def _integral_until(series: Series, values: Values, at_ms: NDArray[np.int64]) -> Values:
    """Return the integral of held values from the first reading to some instants, value x ms."""
    if not len(series):
        return np.zeros(len(at_ms))
    holds = hold_times_ms(series.times_utc_ms, series.interval_ms)
    ends = np.column_stack((series.times_utc_ms, series.times_utc_ms + holds)).ravel()
    before = np.concatenate(([0.0], np.cumsum(values * holds)))
    sums = np.column_stack((before[:-1], before[1:])).ravel()
    found: Values = np.interp(at_ms, ends, sums)
    return found


# -- the index -------------------------------------------------------------------------------------
def air_quality_index(mean_ug_m3: float) -> int:
    """Return the index of a 24 h mean of PM2.5, `BEYOND` above the highest there is.

    The mean is truncated to tenths after rounding to 1e-9, below 0 counts as 0; between two points
    linear, rounded half up.
    """
    tenths = math.floor(round(max(mean_ug_m3, 0.0), 9) * 10 + 1e-9)
    for low, high, index_low, index_high in _INDEX:
        first, last = round(low * 10), round(high * 10)
        if tenths <= last:
            # whole numbers: half up is exact
            rise = (index_high - index_low) * (tenths - first)
            return index_low + (2 * rise + (last - first)) // (2 * (last - first))
    return BEYOND


def index_days(pm25: Series, first: date, last: date, zone: str) -> list[IndexDay]:
    """Return the index of days, midnight to midnight of local standard time.

    An hour needs 45 held minutes, a day 18 of 24 hours.

    Args:
        pm25: µg/m³, all readings of the days and the one before.
    """
    found, day = [], first
    while day <= last:
        begin = _standard_midnight_ms(day, zone)
        edges = begin + np.arange(_HOURS + 1, dtype=np.int64) * HOUR_MS
        held = np.diff(_integral_until(pm25, np.ones(len(pm25)), edges))
        sums = np.diff(_integral_until(pm25, pm25.values, edges))
        enough = held >= _LEAST_MIN * 60_000
        hours = int(enough.sum())
        mean = float((sums[enough] / held[enough]).mean()) if hours else math.nan
        series = pm25.between(begin, int(edges[-1]))
        found.append(
            IndexDay(
                day,
                hours,
                mean,
                air_quality_index(mean) if hours >= _LEAST_HOURS else None,
                bool((series.quality == Quality.ESTIMATE).any()),
            )
        )
        day += timedelta(days=1)
    return found


def _standard_midnight_ms(day: date, zone: str) -> int:
    there = datetime(day.year, day.month, day.day, 12, tzinfo=ZoneInfo(zone))
    summer = there.dst() or timedelta(0)
    offset = (there.utcoffset() or timedelta(0)) - summer
    midnight = datetime(day.year, day.month, day.day, tzinfo=ZoneInfo("UTC"))
    return to_ms(midnight) - round(offset.total_seconds() * 1000)
