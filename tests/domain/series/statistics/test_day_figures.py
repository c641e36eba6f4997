"""Degree days by hand; the index of fine dust exactly in steps of 0.1, by fractions."""

from __future__ import annotations

import math
from datetime import date
from fractions import Fraction

import numpy as np
import pytest

from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.statistics.day_figures import (
    BEYOND,
    DegreeRule,
    air_quality_index,
    degree_days,
    index_days,
)
from gezeiten.domain.series.statistics.figures import daily_numbers
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, midnight_ms

BERLIN = "Europe/Berlin"
EPA_2024 = [(0, 90, 0, 50), (91, 354, 51, 100), (355, 554, 101, 150), (555, 1254, 151, 200),
            (1255, 2254, 201, 300), (2255, 3254, 301, 500)]  # fmt: skip
"""US EPA, Technical Assistance Document 2024: tenths of µg/m³, index."""


def test_the_index_in_steps_of_a_tenth() -> None:
    for low, high, first, last in EPA_2024:
        for tenths in range(low, high + 1):
            exact = Fraction(last - first, high - low) * (tenths - low) + first
            assert air_quality_index(tenths / 10) == math.floor(exact + Fraction(1, 2)), tenths


@pytest.mark.parametrize(
    ("mean", "index"),
    [
        (9.0, 50),
        (9.09999, 50),
        (9.1, 51),
        (12.0, 56),
        (35.4, 100),
        (35.45, 100),
        (-3.0, 0),
        (225.4, 300),
        (325.4, 500),
        (325.5, BEYOND),
        (1000.0, BEYOND),
        (9.1 - 1e-12, 51),
    ],
)
def test_the_mean_is_truncated_to_tenths(mean: float, index: int) -> None:
    """By hand: 12.0 is 51 + 49 x 2.9 / 26.3 = 56.4."""
    assert air_quality_index(mean) == index


def hourly(values: list[float], begin_ms: int) -> Series:
    times = begin_ms + np.arange(len(values), dtype=np.int64) * HOUR_MS
    return make_series(times, np.array(values), HOUR_MS)


def test_a_day_is_one_of_standard_time_and_needs_eighteen_hours() -> None:
    """1 July in Berlin begins at 01:00 by the summer's clocks: at 23:00 UTC."""
    begin = midnight_ms(date(2026, 7, 1), BERLIN) + HOUR_MS
    pm25 = hourly([8.0] * 12 + [20.0] * 12 + [90.0] * 17, begin)
    first, second = index_days(pm25, date(2026, 7, 1), date(2026, 7, 2), BERLIN)
    assert (first.hours, first.mean_ug_m3, first.index) == (24, pytest.approx(14.0), 60)
    assert (second.hours, second.index) == (17, None)


def test_an_hour_needs_forty_five_minutes() -> None:
    begin = midnight_ms(date(2026, 1, 1), BERLIN)
    quarters = begin + np.arange(96, dtype=np.int64) * HOUR_MS // 4
    keep = np.ones(96, np.bool_)
    keep[[1, 4, 5]] = False  # of the first hour one quarter is missing, of the second two
    pm25 = make_series(quarters[keep], np.full(93, 10.0), HOUR_MS // 4)
    [one] = index_days(pm25, date(2026, 1, 1), date(2026, 1, 1), BERLIN)
    assert one.hours == 23


def degrees(series: Series, rule: DegreeRule, days: int) -> list[float]:
    begin = int(series.times_utc_ms[0])
    return degree_days(series, daily_numbers(series, (begin, begin + days * DAY_MS), "UTC"), rule)


def test_degree_days_below_and_above_a_base() -> None:
    """By hand: half a day at 10 °C and half at 20 °C; heating below 18: 4 K d, cooling above 18 up
    to 19: 0.5 K d. The next day is held for a third: none."""
    series = hourly([10.0] * 12 + [20.0] * 12 + [0.0] * 8, midnight_ms(date(2026, 1, 1), "UTC"))
    assert degrees(series, DegreeRule("heating", 18.0), 2) == [
        pytest.approx(4.0),
        pytest.approx(math.nan, nan_ok=True),
    ]
    assert degrees(series, DegreeRule("cooling", 18.0), 1) == [pytest.approx(1.0)]
    assert degrees(series, DegreeRule("cooling", 18.0, 19.0), 1) == [pytest.approx(0.5)]


def test_by_the_heating_limit_the_days_mean_counts() -> None:
    series = hourly([10.0] * 12 + [16.0] * 12 + [20.0] * 24, midnight_ms(date(2026, 1, 1), "UTC"))
    assert degrees(series, DegreeRule("heating limit", 20.0, limit_c=15.0), 2) == [7.0, 0.0]
    short = hourly([5.0] * 6, midnight_ms(date(2026, 1, 1), "UTC"))
    assert math.isnan(degrees(short, DegreeRule("heating limit", 20.0), 1)[0])
