"""Straight lines over gaps and the error to be expected of them."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.series.gaps import Gap, find_gaps
from gezeiten.domain.series.series import Series, join_series, make_series
from gezeiten.domain.steps.fills import HIDDEN_STRETCHES, expected_line_error, straight_line
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


@pytest.mark.parametrize(("known", "offered"), [(5, True), (4, False)])
def test_an_error_wants_five_known_stretches(known: int, offered: bool) -> None:
    # `known` + 2 readings before the gap hold `known` stretches of one hidden reading, and the
    # two after it none
    series, gap = with_gap(np.arange(known + 5.0), known + 2, 1)
    error = expected_line_error(series, gap)
    assert (error is not None) == offered
    if error is not None:
        assert error.stretches == 5


@pytest.mark.parametrize(("missing", "reach_min"), [(1, 3 * 1440), (10, 5500)])
def test_known_stretches_are_looked_for_so_far_and_no_farther(missing: int, reach_min: int) -> None:
    # three days, or fifty times the eleven intervals between the readings around ten missing ones
    values = np.zeros(4000)
    first = 2000
    series, gap = with_gap(values, first, missing)
    around = reach_min if missing == 1 else 50 * gap.length_ms // MIN
    near, far = (gap.start_ms // MIN - around) // 10, (gap.end_ms // MIN + around) // 10
    for index, is_known in ((near - 2, False), (near + 2, True), (far + 2, False), (far - 2, True)):
        values = np.zeros(4000)
        values[index] = 1000.0
        keep = np.delete(np.arange(4000), range(first, first + missing))
        bent = Series(series.times_utc_ms, values[keep], series.quality, series.interval_ms)
        error = expected_line_error(bent, gap, stretches=4000)
        assert error is not None
        assert (error.rmse > 0) == is_known


def test_the_expected_error_of_a_straight_record_is_nothing() -> None:
    series, gap = with_gap(np.linspace(0, 50, 400), 200, 6)
    error = expected_line_error(series, gap)
    assert error is not None
    assert error.rmse == pytest.approx(0, abs=1e-9)
    assert error.stretches == HIDDEN_STRETCHES


def test_the_expected_error_agrees_with_hiding_by_hand() -> None:
    values = np.sin(np.arange(300) / 9) * 5
    missing = 8
    series, gap = with_gap(values, 150, missing)
    error = expected_line_error(series, gap)
    assert error is not None
    # every whole stretch that can be hidden, filled by np.interp, as the independent figure
    kept = np.delete(np.arange(300), range(150, 150 + missing))
    errors = []
    for i in range(len(kept) - missing - 1):
        window = kept[i : i + missing + 2]
        if window[-1] - window[0] != missing + 1:
            continue
        line = np.interp(window[1:-1], window[[0, -1]], values[window[[0, -1]]])
        errors.append(line - values[window[1:-1]])
    # enough stretches were asked for that every one of them is taken
    whole = expected_line_error(series, gap, stretches=10_000)
    assert whole is not None
    assert whole.rmse == pytest.approx(np.sqrt(np.mean(np.square(errors))))
    assert (whole.low, whole.high) == pytest.approx(np.percentile(errors, (2.5, 97.5)))
    assert whole.stretches == len(errors)
    assert error.rmse == pytest.approx(whole.rmse, rel=0.15)
    assert error.low < 0 < error.high


def test_white_noise_gives_the_error_that_theory_gives() -> None:
    # line minus known: var = s2 (1 + (1-u)^2 + u^2); u runs over 1/2 for a single missing one
    values = np.random.default_rng(3).normal(0, 2.0, 6000)
    series, gap = with_gap(values, 3000, 1)
    error = expected_line_error(series, gap, stretches=2000)
    assert error is not None
    assert error.rmse == pytest.approx(2.0 * np.sqrt(1.5), rel=0.08)


def test_too_little_known_record_gives_no_error_and_so_no_offer() -> None:
    series, gap = with_gap(np.arange(12.0), 4, 5)
    assert expected_line_error(series, gap) is None


def test_estimated_readings_are_not_taken_for_known_ones() -> None:
    steady = np.zeros(200)
    series, gap = with_gap(steady, 100, 5)
    wild = series.values.copy()
    wild[20:60] = 1000.0
    quality = series.quality.copy()
    quality[20:60] = 2
    mixed = Series(series.times_utc_ms, wild, quality, series.interval_ms)
    error = expected_line_error(mixed, gap)
    assert error is not None
    assert error.rmse == 0


def test_a_line_ends_half_an_interval_before_the_reading_that_ends_the_gap() -> None:
    for end, wanted in ((45, [20, 30, 40]), (44, [20, 30]), (46, [20, 30, 40])):
        series = series_of([0, 10, end], [1, 2, 3])
        [gap] = find_gaps(series)
        assert (straight_line(series, gap).times_utc_ms / MIN).tolist() == wanted


def test_a_known_stretch_is_one_without_a_gap_by_the_intervals_in_force() -> None:
    # ten-minute readings, a pause of fifteen (a hold), then readings of every two minutes
    minutes = [0, 10, 20, 35, 45, 47, 49, 51, 63, 65, 67, 69]
    intervals = np.array([10] * 4 + [2] * 8, np.int64) * MIN
    values = np.arange(12.0)
    series = make_series(np.array(minutes, np.int64) * MIN, values, intervals)
    gap = Gap(53 * MIN, 55 * MIN, 2 * MIN)  # one missing; twelve minutes after 51 are a gap
    error = expected_line_error(series, gap, stretches=100)
    assert error is not None
    assert error.stretches == 8  # six of the first eight readings, two of the last four


def test_fewer_readings_than_the_gap_is_long_give_no_error() -> None:
    for missing in range(2, 8):
        series, gap = with_gap(np.arange(6.0 + missing), 3, missing)
        assert expected_line_error(series, gap) is None


def test_a_line_has_whole_milliseconds_and_the_gaps_interval() -> None:
    series, gap = with_gap(np.arange(6.0), 2, 2)
    fill = straight_line(series, gap)
    assert fill.times_utc_ms.dtype == np.int64
    assert fill.interval_ms.tolist() == [10 * MIN] * 2
