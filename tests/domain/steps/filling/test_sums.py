"""What is summed is filled by another gauge and the ratio of both, or not at all."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.filling.candidates import Companion, candidates, ranked
from gezeiten.domain.steps.filling.sums import amounts, by_sums
from tests.made_records import STEP_MS

MIN = 60_000
RAIN = quantity("precipitation")


def gauge(values: list[float], every_min: int = 10, first_min: int = 10) -> Series:
    times = (first_min + np.arange(len(values), dtype=np.int64) * every_min) * MIN
    return make_series(times, np.array(values), every_min * MIN)


def test_amounts_are_what_came_since_the_reading_before() -> None:
    series = gauge([1.0, 0.0, 3.0, 4.0])
    asked = np.array([10, 20, 30, 40], np.int64) * MIN
    assert amounts(series, asked, 10 * MIN).tolist() == [1, 0, 3, 4]
    # of half an interval half of it, of two both
    assert amounts(series, np.array([35 * MIN]), 5 * MIN).tolist() == [2]
    assert amounts(series, np.array([40 * MIN]), 20 * MIN).tolist() == [7]


def test_amounts_are_unknown_where_the_gauge_held_nothing() -> None:
    series = gauge([1.0, 2.0, 3.0])
    longer = Series(
        np.append(series.times_utc_ms, 90 * MIN),
        np.append(series.values, 5.0),
        np.append(series.quality, 0).astype(np.uint8),
        np.append(series.interval_ms, 10 * MIN),
    )
    asked = np.array([0, 30, 40, 80, 90, 100], np.int64) * MIN
    found = amounts(longer, asked, 10 * MIN)
    assert np.isnan(found).tolist() == [True, False, True, True, False, True]
    assert found[[1, 4]].tolist() == [3, 5]


def wet_days(seed: int, factor: float, noise: float = 0.0) -> tuple[Series, Series, Gap, float]:
    """Thirty days of ten minutes with a shower every eight hours, twelve hours missing of one
    gauge; with what fell in these."""
    rng = np.random.default_rng(seed)
    n = 30 * 144
    is_wet = (np.arange(n) % 48) < 12
    there = np.where(is_wet, rng.gamma(1.0, 0.5, n), 0.0)
    own = factor * there * np.exp(rng.normal(0, noise, n)) if noise else factor * there
    times = np.arange(1, n + 1, dtype=np.int64) * STEP_MS
    first, length = 2_000, 72
    keep = np.ones(n, np.bool_)
    keep[first : first + length] = False
    gap = Gap(int(times[first]), int(times[first + length]), STEP_MS)
    series = make_series(times[keep], own[keep], STEP_MS)
    return series, make_series(times, there, STEP_MS), gap, float(own[first : first + length].sum())


def test_a_gauge_that_catches_so_much_more_tells_all_but_rounding() -> None:
    own, there, gap, fell = wet_days(1, 1.6)
    [best] = candidates(own, gap, RAIN, [Companion("gauge", there, RAIN)])
    assert best.facts["ratio"] == pytest.approx(1.6)
    assert best.fill.values.sum() == pytest.approx(fell, abs=0.05)
    assert best.of_sum
    assert best.rmse < 1e-9


def test_the_error_is_that_of_the_sum_and_holds() -> None:
    """Of forty records the real error of the sum is, in the mean square, the promised one."""
    promised, real = [], []
    for seed in range(40):
        own, there, gap, fell = wet_days(seed, 0.8, noise=0.6)
        made = by_sums(own, gap, np.arange(gap.start_ms, gap.end_ms, STEP_MS), there, seed)
        promised.append(np.mean(made.errors**2))
        real.append((made.values.sum() - fell) ** 2)
    assert np.sqrt(np.mean(promised)) == pytest.approx(np.sqrt(np.mean(real)), rel=0.25)


def test_rain_that_nobody_else_measured_stays_unknown() -> None:
    own, there, gap, _ = wet_days(2, 1.0)
    assert list(candidates(own, gap, RAIN)) == []
    away = there.between(0, gap.start_ms)
    dry = make_series(there.times_utc_ms, np.zeros(len(there)), STEP_MS)
    found = list(
        candidates(own, gap, RAIN, [Companion("away", away, RAIN), Companion("dry", dry, RAIN)])
    )
    assert "no readings in the gap" in found[0].refusal
    assert "too little in common" in found[1].refusal
    assert ranked(found) == []


def test_dry_stretches_tell_nothing_of_how_well_a_wet_one_is_known() -> None:
    """A dry month, a wet week in the middle with the gap in it: the dry stretches are no measure,
    and too few wet ones are left."""
    n, first = 30 * 144, 2_000
    values = np.zeros(n)
    values[first - 20 : first + 92] = 1.0
    times = np.arange(1, n + 1, dtype=np.int64) * STEP_MS
    keep = np.ones(n, np.bool_)
    keep[first : first + 72] = False
    gap = Gap(int(times[first]), int(times[first + 72]), STEP_MS)
    own = make_series(times[keep], values[keep], STEP_MS)
    series = make_series(times, values, STEP_MS)
    due = times[first : first + 72]
    assert "as wet or dry" in by_sums(own, gap, due, series).refusal
