"""Pictures of long series: few points, no spike lost, broken at gaps."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gezeiten.domain.series.drawing.pyramid import Pyramid, split_for_drawing
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, make_series
from tests.conftest import series_of

STEP = 1000


def long_series(n: int, seed: int = 1) -> Pyramid:
    values = np.random.default_rng(seed).normal(size=n)
    return Pyramid.of_series(make_series(np.arange(n, dtype=np.int64) * STEP, values, STEP))


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 300_000), st.integers(0, 299_999), st.integers(1, 300_000))
def test_extremes_of_any_stretch_are_in_its_picture(n: int, start: int, length: int) -> None:
    pyramid = long_series(n)
    a, b = min(start, n - 1), min(start + length, n)
    picture = pyramid.picture(a * STEP, b * STEP, 500)
    seen = pyramid.cells.low[max(a - 1, 0) : b + 1]  # and one beyond either edge
    assert (np.nanmin(picture.values), np.nanmax(picture.values)) == (seen.min(), seen.max())


def test_a_picture_never_invents_a_value() -> None:
    pyramid = long_series(100_000)
    picture = pyramid.picture(0, 100_000 * STEP, 300)
    assert set(picture.values).issubset(set(pyramid.cells.low))


def test_a_long_stretch_needs_few_points() -> None:
    pyramid = long_series(1_000_000)
    assert len(pyramid.picture(0, 10**9, 1000).times_utc_ms) <= 2 * 1000


def test_a_single_spike_is_never_lost() -> None:
    values = np.zeros(500_000)
    values[123_457] = 99
    series = make_series(np.arange(500_000, dtype=np.int64) * STEP, values, STEP)
    assert np.nanmax(Pyramid.of_series(series).picture(0, 500_000 * STEP, 400).values) == 99


def test_a_short_stretch_shows_every_reading_and_one_beyond_either_edge() -> None:
    pyramid = long_series(1000)
    picture = pyramid.picture(100 * STEP, 110 * STEP, 500)
    assert picture.times_utc_ms.tolist() == [STEP * i for i in range(99, 111)]


def test_the_line_is_broken_at_a_gap() -> None:
    picture = Pyramid.of_series(series_of([0, 10, 60, 70], [1, 2, 3, 4])).picture(0, 10**7, 500)
    assert np.isnan(picture.values).sum() == 1
    assert np.isnan(picture.values[2])


def test_a_wide_gap_breaks_the_summarised_line_too() -> None:
    times = np.arange(200_000, dtype=np.int64) * STEP
    times[100_000:] += 80_000 * STEP
    picture = Pyramid.of_series(make_series(times, np.ones(200_000), STEP)).picture(
        0, 300_000 * STEP, 400
    )
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
    pyramid = Pyramid.of_series(make_series(times, values, intervals))
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
    picture = Pyramid.of_series(make_series(times, np.ones(500_000), 60_000)).picture(
        0, 3 * 10**10, 500
    )
    assert not np.isnan(picture.values).any()


def literal_picture(series: Series, start: int, end: int, columns: int) -> list[tuple[int, float]]:
    """The definition column by column, reading by reading."""
    times, values = series.times_utc_ms.tolist(), series.values.tolist()
    a = max(sum(t < start for t in times) - 1, 0)
    b = min(sum(t < end for t in times) + 1, len(times))
    if b - a <= columns * 4:
        groups = [[i] for i in range(a, b)]
    else:
        width = (end - start) // columns
        column = [min(max((times[i] - start) // width, 0), columns - 1) for i in range(a, b)]
        groups = [[i for i in range(a, b) if column[i - a] == c] for c in range(columns)]
        groups = [group for group in groups if group]
    single = b - a <= columns * 4
    points: list[tuple[int, float]] = []
    for group, following in zip(groups, [*groups[1:], None], strict=True):
        seen = [values[i] for i in group]
        at = times[group[0]]
        points += [(at, seen[0])] if single else [(at, min(seen)), (at, max(seen))]
        if following is None:
            continue
        last, apart = group[-1], times[following[0]] - times[group[-1]]
        seen_gap = single or apart > (end - start) / columns
        if apart > 1.5 * series.interval_ms[last] and seen_gap:
            points.append((times[last] + int(series.interval_ms[last]), -1.0))
    return points


@settings(max_examples=60, deadline=None)
@given(
    st.integers(2, 5000),
    st.integers(0, 400),
    st.integers(1, 3000),
    st.sampled_from([1, 7, 40, 300]),
    st.sampled_from([0.0, 0.002, 0.3]),
    st.integers(0, 10**6),
)
def test_a_picture_is_what_its_definition_says(
    n: int, start: int, length: int, columns: int, holes: float, seed: int
) -> None:
    dice = np.random.default_rng(seed)
    steps = np.where(dice.random(n) < holes, dice.integers(2, 400, n), 1) * STEP
    intervals = np.where(dice.random(n) < 0.1, 2 * STEP, STEP)
    series = make_series(np.cumsum(steps), dice.integers(0, 99, n).astype(float), intervals)
    span = (start * STEP, (start + length * columns) * STEP)
    picture = Pyramid.of_series(series).picture(*span, columns)
    shown = zip(picture.times_utc_ms.tolist(), picture.values.tolist(), strict=True)
    found = [(t, -1.0 if np.isnan(v) else v) for t, v in shown]
    assert found == literal_picture(series, *span, columns)


def test_parts_for_drawing_keep_quality_and_interval() -> None:
    series = series_of([0, 10, 20, 30, 40], [1, 2, 3, 4, 5], estimated=(2,))
    measured, estimated = split_for_drawing(series)
    assert measured.quality.tolist() == [Quality.GOOD] * 4
    assert estimated.quality.tolist() == [Quality.GOOD, Quality.ESTIMATE, Quality.GOOD]
    assert estimated.interval_ms.tolist() == [600_000] * 3


HOUR = 3_600_000


def sparse_after_dense(last_pause_h: float) -> Series:
    """A day and a half of minutes; then readings of twelve hours, the last after a pause."""
    dense = np.arange(2_000, dtype=np.int64) * 60_000
    sparse = dense[-1] + 60_000 + np.arange(20, dtype=np.int64) * 12 * HOUR
    times = np.append(np.concatenate((dense, sparse)), sparse[-1] + round(last_pause_h * HOUR))
    intervals = np.repeat([60_000, 12 * HOUR], [len(dense), len(sparse) + 1])
    return make_series(times, np.zeros(len(times)), intervals)


@pytest.mark.parametrize(("pause_h", "breaks"), [(12, 0), (18, 0), (18.01, 1)])
def test_what_a_gap_is_depends_on_the_interval_in_force_in_summaries_too(
    pause_h: float, breaks: int
) -> None:
    series = sparse_after_dense(pause_h)
    end = int(series.times_utc_ms[-1]) + HOUR
    picture = Pyramid.of_series(series).picture(0, end, 100)  # columns of about three hours
    assert np.isnan(picture.values).sum() == breaks


def test_a_reading_with_an_interval_of_its_own_is_held_by_it() -> None:
    times = np.append(np.arange(2_000, dtype=np.int64) * 60_000, 2_000 * 60_000 + 15 * HOUR)
    intervals = np.full(2_001, 60_000, np.int64)
    intervals[-2] = 12 * HOUR  # the last one before the pause
    series = make_series(times, np.zeros(2_001), intervals)
    assert not np.isnan(Pyramid.of_series(series).picture(0, int(times[-1]) + 1, 100).values).any()
    assert not np.isnan(
        Pyramid.of_series(series).picture(1_990 * 60_000, int(times[-1]), 100).values
    ).any()
    intervals[-2], intervals[-3] = 60_000, 12 * HOUR
    series = make_series(times, np.zeros(2_001), intervals)
    for begin in (0, 1_990 * 60_000):
        assert (
            np.isnan(Pyramid.of_series(series).picture(begin, int(times[-1]) + 1, 100).values).sum()
            == 1
        )


def test_a_hold_is_no_gap_where_every_reading_is_shown() -> None:
    assert not np.isnan(
        Pyramid.of_series(series_of([0, 15, 25], [1, 2, 3])).picture(0, 10**7, 500).values
    ).any()


def test_four_readings_a_column_are_still_shown_one_by_one() -> None:
    pyramid = long_series(400)
    assert len(pyramid.picture(0, 400 * STEP, 100).values) == 400
    assert len(pyramid.picture(0, 400 * STEP, 99).values) == 2 * 99
