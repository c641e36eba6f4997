"""Pictures of long series: few points, no spike lost, broken at gaps."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gezeiten.domain.pyramid import Pyramid, split_for_drawing
from gezeiten.domain.series import make_series
from tests.conftest import series_of

STEP = 1000


def long_series(n: int, seed: int = 1) -> Pyramid:
    values = np.random.default_rng(seed).normal(size=n)
    return Pyramid(make_series(np.arange(n, dtype=np.int64) * STEP, values, STEP))


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 300_000), st.integers(0, 299_999), st.integers(1, 300_000))
def test_extremes_of_any_stretch_are_in_its_picture(n: int, start: int, length: int) -> None:
    pyramid = long_series(n)
    a, b = min(start, n - 1), min(start + length, n)
    picture = pyramid.picture(a * STEP, b * STEP, 500)
    seen = pyramid.series.values[max(a - 1, 0) : b + 1]  # and one beyond either edge
    assert (np.nanmin(picture.values), np.nanmax(picture.values)) == (seen.min(), seen.max())


def test_a_picture_never_invents_a_value() -> None:
    pyramid = long_series(100_000)
    picture = pyramid.picture(0, 100_000 * STEP, 300)
    assert set(picture.values).issubset(set(pyramid.series.values))


def test_a_long_stretch_needs_few_points() -> None:
    pyramid = long_series(1_000_000)
    assert len(pyramid.picture(0, 10**9, 1000).times_utc_ms) <= 2 * 1000


def test_a_single_spike_is_never_lost() -> None:
    values = np.zeros(500_000)
    values[123_457] = 99
    series = make_series(np.arange(500_000, dtype=np.int64) * STEP, values, STEP)
    assert np.nanmax(Pyramid(series).picture(0, 500_000 * STEP, 400).values) == 99


def test_a_short_stretch_shows_every_reading_and_one_beyond_either_edge() -> None:
    pyramid = long_series(1000)
    picture = pyramid.picture(100 * STEP, 110 * STEP, 500)
    assert picture.times_utc_ms.tolist() == [STEP * i for i in range(99, 111)]


def test_the_line_is_broken_at_a_gap() -> None:
    picture = Pyramid(series_of([0, 10, 60, 70], [1, 2, 3, 4])).picture(0, 10**7, 500)
    assert np.isnan(picture.values).sum() == 1
    assert np.isnan(picture.values[2])


def test_a_wide_gap_breaks_the_summarised_line_too() -> None:
    times = np.arange(200_000, dtype=np.int64) * STEP
    times[100_000:] += 80_000 * STEP
    picture = Pyramid(make_series(times, np.ones(200_000), STEP)).picture(0, 300_000 * STEP, 400)
    broken = picture.times_utc_ms[np.isnan(picture.values)]
    assert len(broken) == 1


def test_estimated_readings_join_their_measured_neighbours() -> None:
    series = series_of([0, 10, 20, 30, 40], [1, 2, 3, 4, 5], estimated=(2,))
    measured, estimated = split_for_drawing(series)
    assert measured.values.tolist() == [1, 2, 4, 5]
    assert estimated.values.tolist() == [2, 3, 4]


def test_nothing_estimated_leaves_the_measured_series_as_it_is() -> None:
    series = series_of([0, 10], [1, 2])
    measured, estimated = split_for_drawing(series)
    assert measured is series
    assert len(estimated) == 0


def test_hourly_readings_beside_those_of_every_minute_are_one_line() -> None:
    minute, hour = 60_000, 3_600_000
    dense = np.arange(100_000, dtype=np.int64) * minute
    sparse = dense[-1] + minute + np.arange(4_000, dtype=np.int64) * hour
    times = np.concatenate((dense, sparse))
    intervals = np.repeat([minute, hour], [len(dense), len(sparse)])
    values = np.random.default_rng(2).normal(size=len(times))
    pyramid = Pyramid(make_series(times, values, intervals))
    whole = pyramid.picture(0, int(times[-1]) + hour, 700)
    assert not np.isnan(whole.values).any()
    assert np.diff(whole.times_utc_ms).min() >= 0
    # each column stands where its readings are: within a column of time, none is drawn elsewhere
    width = (times[-1] + hour) / 700
    for at, value in zip(whole.times_utc_ms[::37], whole.values[::37], strict=True):
        near = np.abs(times - at) <= width
        assert value in values[near]


def test_a_gap_too_short_to_be_seen_does_not_break_a_line_of_years() -> None:
    times = np.arange(500_000, dtype=np.int64) * 60_000
    times[1_000:] += 600_000
    picture = Pyramid(make_series(times, np.ones(500_000), 60_000)).picture(0, 3 * 10**10, 500)
    assert not np.isnan(picture.values).any()
