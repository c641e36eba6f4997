"""Figures of a stretch against the standard library and hand-worked cases."""

from __future__ import annotations

import math
import statistics
from datetime import UTC, datetime
from decimal import Decimal, getcontext

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.limits.limits import LimitRule, constant_limits
from gezeiten.domain.limits.windows import WORKING_HOURS
from gezeiten.domain.series.series import empty_series
from gezeiten.domain.series.statistics.figures import (
    daily_numbers,
    mean_kinetic_temperature_c,
    numbers,
)
from gezeiten.domain.series.timeline import to_ms
from tests.conftest import series_of

MIN = 60_000
ABOVE = LimitRule("t", "above", 7.0)
BELOW = LimitRule("t", "below", 2.0)


def kinetic_by_decimal(temps: list[float], weights: list[int]) -> float:
    """The USP <1079.2> formula in fifty-digit arithmetic, written out anew."""
    getcontext().prec = 50
    ratio = Decimal("83144") / Decimal("8.3144")
    total = sum(weights)
    inner = sum(
        (
            Decimal(w) * (-ratio / (Decimal(repr(t)) + Decimal("273.15"))).exp()
            for t, w in zip(temps, weights, strict=True)
        ),
        Decimal(0),
    )
    return float(ratio / -(inner / total).ln() - Decimal("273.15"))


@given(
    st.lists(
        st.tuples(st.floats(-80, 60).map(lambda t: round(t, 2)), st.integers(1, 10**7)),
        min_size=1,
        max_size=12,
    )
)
def test_kinetic_mean_agrees_with_exact_arithmetic(rows: list[tuple[float, int]]) -> None:
    temps, weights = [t for t, _ in rows], [w for _, w in rows]
    found = mean_kinetic_temperature_c(np.array(temps), np.array(weights))
    assert found == pytest.approx(kinetic_by_decimal(temps, weights), abs=1e-6)


def test_kinetic_mean_of_a_constant_is_the_constant() -> None:
    weights = np.array([1, 5, 9])
    assert mean_kinetic_temperature_c(np.full(3, 5.0), weights) == pytest.approx(5.0)


def test_kinetic_mean_lies_above_the_plain_mean() -> None:
    # dH/R is 10 000 K; exp(-34.1122) and exp(-32.9870) average to exp(-33.3991): 299.41 K
    found = mean_kinetic_temperature_c(np.array([20.0, 30.0]), np.array([1, 1]))
    assert found == pytest.approx(26.26, abs=0.01)


def test_kinetic_mean_of_nothing_is_nan() -> None:
    assert math.isnan(mean_kinetic_temperature_c(np.empty(0), np.empty(0, np.int64)))


def test_the_mean_is_weighted_by_holds() -> None:
    # 4 stands 15 minutes before the gap, 10 for ten: (4*15 + 10*10) / 25
    figures = numbers(series_of([0, 60], [4, 10]), (0, 70 * MIN))
    assert figures.mean == pytest.approx(160 / 25)
    assert figures.covered_ms == 25 * MIN
    assert figures.coverage == pytest.approx(25 / 70)
    assert not figures.is_sufficient


@given(st.lists(st.floats(-1e3, 1e3), min_size=2, max_size=50))
def test_plain_figures_agree_with_the_standard_library(values: list[float]) -> None:
    series = series_of([10 * i for i in range(len(values))], values)
    figures = numbers(series, (0, 10 * len(values) * MIN))
    assert figures.n == len(values)
    assert (figures.lowest, figures.highest) == (min(values), max(values))
    assert figures.median == pytest.approx(statistics.median(values), abs=1e-9)
    assert figures.sd == pytest.approx(statistics.stdev(values), abs=1e-6)
    cuts = statistics.quantiles(values, n=20, method="inclusive")
    assert figures.p5 == pytest.approx(cuts[0], abs=1e-6)
    assert figures.p95 == pytest.approx(cuts[-1], abs=1e-6)


def test_readings_count_inside_the_stretch_only() -> None:
    figures = numbers(series_of([0, 10, 20], [1, 2, 3]), (10 * MIN, 20 * MIN))
    assert (figures.n, figures.lowest, figures.highest) == (1, 2, 2)
    assert math.isnan(figures.sd)


def test_time_outside_counts_held_time() -> None:
    series = series_of([0, 10, 20, 30], [8, 9, 1, 5])
    figures = numbers(series, (0, 40 * MIN), constant_limits((ABOVE, BELOW)))
    assert (figures.above_ms, figures.below_ms) == (20 * MIN, 10 * MIN)


def test_the_nearest_limit_of_a_side_counts() -> None:
    farther = LimitRule("t", "above", 8.5)
    series = series_of([0, 10], [8, 9])
    assert numbers(series, (0, 20 * MIN), constant_limits((farther, ABOVE))).above_ms == 20 * MIN


def test_estimated_readings_are_counted() -> None:
    series = series_of([0, 10, 20], [1, 2, 3], estimated=(1,))
    assert numbers(series, (0, 30 * MIN)).estimated == 1


def test_an_empty_stretch_has_nothing_to_say() -> None:
    figures = numbers(empty_series(), (0, 10 * MIN), constant_limits((ABOVE,)), kinetic=True)
    assert (figures.n, figures.covered_ms, figures.above_ms) == (0, 0, 0)
    for value in (figures.lowest, figures.mean, figures.median, figures.kinetic_mean_c):
        assert math.isnan(value)


def test_days_are_the_sites_and_share_a_hold_across_midnight() -> None:
    # readings at 23:55 and 00:05 in Berlin: the first stands five minutes in either day
    before = to_ms(datetime(2026, 11, 19, 22, 55, tzinfo=UTC)) / MIN
    series = series_of([before, before + 10], [4, 8])
    rows = daily_numbers(series, (round(before) * MIN, round(before + 20) * MIN), "Europe/Berlin")
    assert [row.day.isoformat() for row in rows] == ["2026-11-19", "2026-11-20"]
    assert [row.numbers.n for row in rows] == [1, 1]
    assert rows[0].numbers.mean == 4
    assert rows[1].numbers.mean == pytest.approx((4 * 5 + 8 * 10) / 15)


def test_days_under_three_quarters_are_marked() -> None:
    day = 24 * 60
    series = series_of([10 * i for i in range(100)], [5.0] * 100)  # 1000 of 1440 minutes
    [row] = daily_numbers(series, (0, day * MIN), "UTC")
    assert row.numbers.coverage == pytest.approx(1000 / 1440)
    assert not row.numbers.is_sufficient


def test_every_figure_of_a_short_stretch_as_worked_by_hand() -> None:
    # holds: ten, ten, ten, and one interval for the last, cut at 35
    series = series_of([0, 10, 20, 30], [8, 1, 9, 1], estimated=(2,))
    figures = numbers(series, (0, 35 * MIN), constant_limits((ABOVE, BELOW)))
    assert (figures.span, figures.n, figures.estimated) == ((0, 35 * MIN), 4, 1)
    assert (figures.lowest, figures.lowest_ms) == (1, 10 * MIN)  # the first of two
    assert (figures.highest, figures.highest_ms) == (9, 20 * MIN)
    assert figures.mean == pytest.approx((80 + 10 + 90 + 5) / 35)
    assert figures.median == 4.5
    assert (figures.p5, figures.p95) == (pytest.approx(1.0), pytest.approx(8.85))
    assert figures.sd == pytest.approx(math.sqrt(56.75 / 3))
    assert (figures.covered_ms, figures.coverage, figures.is_sufficient) == (35 * MIN, 1.0, True)
    assert (figures.above_ms, figures.below_ms) == (20 * MIN, 15 * MIN)
    assert math.isnan(figures.kinetic_mean_c)
    assert numbers(series, (0, 35 * MIN)).above_ms == 0
    nothing = numbers(series, (50 * MIN, 60 * MIN))
    assert (nothing.lowest_ms, nothing.highest_ms, nothing.coverage) == (0, 0, 0.0)
    assert all(math.isnan(v) for v in (nothing.highest, nothing.sd, nothing.p5, nothing.p95))
    assert numbers(series, (0, 0)).coverage == 0.0


def test_three_quarters_are_enough() -> None:
    assert numbers(series_of([0, 10, 20], [1, 2, 3]), (0, 40 * MIN)).is_sufficient
    assert not numbers(series_of([0, 10, 20], [1, 2, 3]), (0, 40 * MIN + 1)).is_sufficient


def test_the_first_extreme_of_the_stretch_is_the_one_that_is_named() -> None:
    figures = numbers(series_of([0, 10, 20, 30], [9, 5, 5, 9]), (5 * MIN, 35 * MIN))
    assert (figures.lowest_ms, figures.highest_ms) == (10 * MIN, 30 * MIN)


def test_figures_by_day_know_limits_windows_and_the_kinetic_mean() -> None:
    noon = to_ms(datetime(2026, 11, 23, 11, tzinfo=UTC)) // MIN  # Monday noon in Berlin
    series = series_of([noon + 60 * i for i in range(20)], [20.0] * 20, interval_min=60)
    rule = LimitRule("t", "above", 10.0, window=WORKING_HOURS)
    span = (noon * MIN, (noon + 20 * 60) * MIN)
    monday, tuesday = daily_numbers(
        series, span, "Europe/Berlin", constant_limits((rule,)), kinetic=True
    )
    assert (monday.numbers.n, tuesday.numbers.n) == (12, 8)
    assert monday.numbers.above_ms == 5 * 60 * MIN  # noon to five
    assert tuesday.numbers.above_ms == 0  # midnight to eight
    assert monday.numbers.kinetic_mean_c == pytest.approx(20.0)
    assert monday.numbers.span == (noon * MIN, (noon + 12 * 60) * MIN)
    [plain, _] = daily_numbers(series, span, "Europe/Berlin")
    assert math.isnan(plain.numbers.kinetic_mean_c)


def test_no_weight_no_kinetic_mean() -> None:
    assert math.isnan(mean_kinetic_temperature_c(np.array([20.0]), np.array([0])))


def test_a_limit_below_knows_its_window_too_and_utc_is_the_usual_zone() -> None:
    night = to_ms(datetime(2026, 11, 23, 7, 30, tzinfo=UTC)) // MIN  # Monday, 8:30 in Berlin
    series = series_of([night, night + 60], [1.0, 1.0], interval_min=60)
    cold = LimitRule("t", "below", 2.0, window=WORKING_HOURS)
    span = (night * MIN, (night + 120) * MIN)
    assert numbers(series, span, constant_limits((cold,))).below_ms == 60 * MIN  # from 8:30 UTC on
    assert (
        numbers(series, span, constant_limits((cold,)), zone="Europe/Berlin").below_ms == 120 * MIN
    )


def test_a_direction_averages_on_the_circle() -> None:
    north = series_of([0, 10], [350.0, 10.0])
    figures = numbers(north, (0, 20 * MIN), averages="direction")
    assert figures.mean == pytest.approx(0.0, abs=1e-9) or figures.mean == pytest.approx(360.0)
    assert math.isnan(figures.median)
    # 90 stands 10 min, then 0 for 20: atan2(1, 2) = 26.565 degrees
    figures = numbers(series_of([0, 10, 20], [90.0, 0.0, 0.0]), (0, 30 * MIN), averages="direction")
    assert figures.mean == pytest.approx(math.degrees(math.atan2(1, 2)))
    opposite = numbers(series_of([0, 10], [0.0, 180.0]), (0, 20 * MIN), averages="direction")
    assert math.isnan(opposite.mean)


def test_what_is_summed_belongs_to_the_interval_that_it_ends() -> None:
    rain = series_of([0, 60, 120, 180], [7.0, 0.2, 0.4, 1.0], interval_min=60)
    assert numbers(rain, (0, 120 * MIN), averages="sum").mean == pytest.approx(0.6)
    assert math.isnan(numbers(rain, (300 * MIN, 400 * MIN), averages="sum").mean)
