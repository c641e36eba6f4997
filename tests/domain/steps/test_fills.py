"""Straight lines over gaps and the error to be expected of them."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.series.gaps import Gap, find_gaps
from gezeiten.domain.series.series import Series, join_series, make_series
from gezeiten.domain.steps.fills import straight_line
from tests.conftest import series_of

MIN = 60_000


def with_gap(values: np.ndarray, first: int, missing: int) -> tuple[Series, Gap]:
    """A ten-minute series with `missing` readings taken out."""
    times = np.arange(len(values), dtype=np.int64) * 10 * MIN
    keep = np.ones(len(values), bool)
    keep[first : first + missing] = False
    series = make_series(times[keep], values[keep].astype(float), 10 * MIN)
    [gap] = find_gaps(series)
    return series, gap


def test_the_line_joins_the_two_ends() -> None:
    series, gap = with_gap(np.array([0, 1, 2, 3, 4, 10.0]), 1, 4)
    fill = straight_line(series, gap)
    assert fill.values.tolist() == pytest.approx([2, 4, 6, 8])
    assert (fill.times_utc_ms / MIN).tolist() == [10, 20, 30, 40]
    assert fill.estimated.all()


def test_the_filled_record_has_no_gap_left() -> None:
    series, gap = with_gap(np.arange(30.0), 10, 7)
    assert find_gaps(join_series([series, straight_line(series, gap)])) == []


def test_measured_values_stay_what_they_were() -> None:
    series, gap = with_gap(np.arange(30.0), 10, 7)
    joined = join_series([series, straight_line(series, gap)])
    assert joined.values[~joined.estimated].tolist() == series.values.tolist()


def test_uneven_ends_leave_no_two_readings_too_close() -> None:
    # a relaunch: the next mission begins 36 minutes after the last reading
    series = series_of([0, 10, 46, 56], [1, 2, 3, 4])
    [gap] = find_gaps(series)
    fill = straight_line(series, gap)
    assert (fill.times_utc_ms / MIN).tolist() == [20, 30, 40]
    assert find_gaps(join_series([series, fill])) == []


def test_without_both_ends_there_is_no_line() -> None:
    series = series_of([60, 70], [1, 2])
    for gap in (Gap(0, 60 * MIN, 10 * MIN), Gap(80 * MIN, 120 * MIN, 10 * MIN)):
        assert len(straight_line(series, gap)) == 0


def test_the_line_joins_the_readings_around_its_own_gap() -> None:
    series = series_of([0, 10, 20, 60, 70, 80], [9, 1, 2, 6, 5, 9])
    [gap] = find_gaps(series)
    assert straight_line(series, gap).values.tolist() == pytest.approx([3, 4, 5])
