"""Moving means and sums against plain arithmetic, millisecond by millisecond and by hand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, empty_series, hold_times_ms, make_series
from gezeiten.domain.series.statistics.moving import (
    ENOUGH_HELD,
    moving_extreme,
    moving_mean,
    moving_slope,
    moving_sum,
)
from tests.conftest import series_of

STEP = 10
GAPS = st.lists(st.sampled_from([1, 1, 1, 2, 9]), min_size=1, max_size=40)


def slowly(series: Series, window: int) -> dict[int, float]:
    """The mean at each reading, of every millisecond before it that is held."""
    holds = hold_times_ms(series.times_utc_ms, series.interval_ms)
    at: dict[int, float] = {}
    for time, hold, value in zip(series.times_utc_ms, holds, series.values, strict=True):
        at |= {int(time) + k: float(value) for k in range(int(hold))}
    means = {}
    for time in series.times_utc_ms.tolist():
        held = [at[k] for k in range(time - window, time) if k in at]
        if len(held) >= ENOUGH_HELD * window:
            means[time] = sum(held) / len(held)
    return means


@given(GAPS, st.integers(1, 120), st.integers(0, 50))
def test_means_are_those_of_every_millisecond(gaps: list[int], window: int, seed: int) -> None:
    times = np.cumsum(np.array(gaps, np.int64)) * STEP
    values = np.random.default_rng(seed).normal(20, 5, len(times))
    series = make_series(times, values, STEP)
    found = moving_mean(series, window)
    wanted = slowly(series, window)
    assert found.times_utc_ms.tolist() == list(wanted)
    assert found.values.tolist() == pytest.approx(list(wanted.values()))


def test_a_day_of_rain_is_the_sum_of_what_fell_in_it() -> None:
    hourly = series_of([60 * h for h in range(40)], [0.5] * 24 + [2.0] * 16, interval_min=60)
    sums = moving_sum(hourly, 24 * 3_600_000)
    at = dict(zip((sums.times_utc_ms // 3_600_000).tolist(), sums.values.tolist(), strict=True))
    assert min(at) == 18  # three quarters of a day are held
    assert at[23] == 12.0  # twenty-four hours of 0.5
    assert at[25] == 12.0 + 2 * 1.5
    assert at[39] == 8 * 0.5 + 16 * 2.0


def test_a_mean_with_an_estimate_in_it_is_one() -> None:
    series = series_of([10 * i for i in range(12)], [1.0] * 12, estimated=(5,))
    means = moving_mean(series, 30 * 60_000)
    estimated = (means.times_utc_ms[means.estimated] // 600_000).tolist()
    assert estimated == [6, 7, 8]  # half an hour from the estimate on


def test_a_mean_with_a_suspect_reading_in_it_is_suspect() -> None:
    whole = series_of([10 * i for i in range(12)], [1.0] * 12, estimated=(9,))
    codes = np.where(np.arange(12) == 4, np.uint8(Quality.SUSPECT), whole.quality)
    series = make_series(whole.times_utc_ms, whole.values, whole.interval_ms, codes)
    for made in (
        moving_mean(series, 20 * 60_000),
        moving_extreme(series, 20 * 60_000, highest=True),
    ):
        told = dict(
            zip((made.times_utc_ms // 600_000).tolist(), made.quality.tolist(), strict=True)
        )
        assert [told[i] for i in (4, 5, 6, 7, 10, 11)] == [0, 1, 1, 0, 2, 2]


def test_nothing_has_no_means() -> None:
    assert len(moving_mean(empty_series(), 1000)) == 0
    assert len(moving_sum(empty_series(), 1000)) == 0


@given(GAPS, st.integers(1, 120), st.integers(0, 50), st.booleans())
def test_extremes_are_those_of_every_millisecond(
    gaps: list[int], window: int, seed: int, highest: bool
) -> None:
    times = np.cumsum(np.array(gaps, np.int64)) * STEP
    values = np.random.default_rng(seed).normal(20, 5, len(times))
    series = make_series(times, values, STEP)
    found = moving_extreme(series, window, highest=highest)
    of = max if highest else min
    wanted = {}
    for time, held in held_before(series, window).items():
        if len(held) >= ENOUGH_HELD * window:
            wanted[time] = of(held)
    assert dict(zip(found.times_utc_ms.tolist(), found.values.tolist(), strict=True)) == wanted


def held_before(series: Series, window: int) -> dict[int, list[float]]:
    holds = hold_times_ms(series.times_utc_ms, series.interval_ms)
    at: dict[int, float] = {}
    for time, hold, value in zip(series.times_utc_ms, holds, series.values, strict=True):
        at |= {int(time) + k: float(value) for k in range(int(hold))}
    return {
        time: [at[k] for k in range(time - window, time) if k in at]
        for time in series.times_utc_ms.tolist()
    }


@given(GAPS, st.integers(3, 12), st.integers(0, 50), st.integers(0, 40))
def test_slopes_are_those_of_lines_fitted_by_another_library(
    gaps: list[int], intervals: int, seed: int, cut: int
) -> None:
    times = np.cumsum(np.array(gaps, np.int64)) * 60_000
    values = np.random.default_rng(seed).normal(20, 5, len(times))
    series, window = make_series(times, values, 60_000), intervals * 60_000
    found = moving_slope(series, window)
    for time, slope in zip(found.times_utc_ms, found.values, strict=True):
        its = series.between(int(time) - window, int(time) + 1)
        wanted = np.polyfit((its.times_utc_ms - time) / 3_600_000, its.values, 1)[0]
        assert slope == pytest.approx(wanted, rel=1e-6, abs=1e-6)
    begin = int(times[min(cut, len(times) - 1)])
    late = moving_slope(series.between(begin - 2 * window, 10**12), window).between(begin, 10**12)
    assert late.values.tobytes() == found.between(begin, 10**12).values.tobytes()


def test_a_level_that_rises_a_millimetre_a_minute_rises_six_centimetres_an_hour() -> None:
    series = series_of(list(range(120)), [2 + i / 1000 for i in range(120)], interval_min=1)
    assert moving_slope(series, 3_600_000).values.tolist() == pytest.approx([0.06] * 75)
