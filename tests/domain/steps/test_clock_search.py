"""Shifts found in made-up weather, less the lag of the places."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from gezeiten.domain.steps.clock_search import (
    FoundShift,
    found_shift,
    place_lag,
    without_tide,
)

MINUTE = 60_000


def weather(rng: np.random.Generator, n: int) -> np.ndarray:
    return np.cumsum(rng.normal(0, 1, n)) * 0.02 + 0.5 * np.sin(np.arange(n) / 700)


def as_series(values: np.ndarray, first_ms: int, step_ms: int) -> Series:
    times = first_ms + np.arange(len(values), dtype=np.int64) * step_ms
    return make_series(times, values, step_ms)


@pytest.mark.parametrize("shift_ms", [-HOUR_MS, 2 * HOUR_MS, 37 * MINUTE])
@pytest.mark.parametrize("sign", [1, -1])
def test_a_clock_of_another_zone_is_found_by_its_neighbour(shift_ms: int, sign: int) -> None:
    rng = np.random.default_rng(abs(shift_ms) + sign)
    minutes = weather(rng, 20 * 1440)
    truth = minutes + rng.normal(0, 0.002, len(minutes))
    own = as_series(sign * minutes[::10] * 0.8 + rng.normal(0, 0.005, 2880), -shift_ms, 10 * MINUTE)
    shift = found_shift(own, as_series(truth[::5], 0, 5 * MINUTE), 14 * HOUR_MS)
    assert shift is not None
    assert shift.is_clear
    assert abs(shift.shift_ms - shift_ms) <= 3 * MINUTE


def test_a_tide_alone_is_not_believed() -> None:
    """Moved by a tide (12.42 h) it looks the same."""
    hours = np.arange(30 * 144) / 6
    own = as_series(np.cos(np.radians(28.984 * hours)), 0, 10 * MINUTE)
    shift = found_shift(own, own, 14 * HOUR_MS)
    assert shift is not None
    assert not shift.is_clear


def test_chance_is_not_believed_and_too_little_is_none() -> None:
    rng = np.random.default_rng(1)
    own, other = (as_series(weather(rng, 3000), 0, 10 * MINUTE) for _ in range(2))
    shift = found_shift(own, other, 14 * HOUR_MS)
    assert shift is not None
    assert not shift.is_clear
    assert found_shift(own.between(0, DAY_MS), other, 14 * HOUR_MS) is None
    assert found_shift(own.between(0, 0), other, 14 * HOUR_MS) is None


@pytest.mark.parametrize("shift_ms", [-HOUR_MS, 12 * HOUR_MS])
def test_what_the_weather_did_to_a_tide_decides(shift_ms: int) -> None:
    """Two gauges of one estuary: a tide of 1.5 m, the surge in both, each with its own noise."""
    rng = np.random.default_rng(7)
    hours = np.arange(40 * 144) / 6
    tide = 1.5 * np.cos(np.radians(28.9841042 * hours)) + 0.5 * np.cos(np.radians(30 * hours))
    surge = weather(rng, len(hours)) * 0.3
    one, other = (
        0.9 * tide + surge + rng.normal(0, 0.002, len(hours)),
        tide + 0.8 * surge + rng.normal(0, 0.002, len(hours)),
    )
    own, beside = as_series(one, -shift_ms, 10 * MINUTE), as_series(other, 0, 10 * MINUTE)
    alike = found_shift(own, beside, 14 * HOUR_MS)
    assert alike is not None
    assert not alike.is_clear
    shift = found_shift(without_tide(own), without_tide(beside), 14 * HOUR_MS)
    assert shift is not None
    assert shift.is_clear
    assert abs(shift.shift_ms - shift_ms) <= 5 * MINUTE


def stations(seed: int, days: int, lag_ms: int, off_ms: int = 0) -> tuple[Series, Series]:
    """Return weather at two places every ten minutes, at the first `lag_ms` before it reaches the
    second, by a clock that is ahead by `off_ms`."""
    rng = np.random.default_rng(seed)
    minutes = weather(rng, days * 1440 + 24 * 60)
    first = minutes[: days * 1440 : 10] + rng.normal(0, 0.003, days * 144)
    at = np.arange(days * 144) * 10 + 24 * 60 - lag_ms // MINUTE
    second = minutes[at] + rng.normal(0, 0.003, days * 144)
    return as_series(first, off_ms - 24 * HOUR_MS, 10 * MINUTE), as_series(second, 0, 10 * MINUTE)


@pytest.mark.parametrize("lag_minutes", [0, 20, 59])
def test_the_lag_of_a_place_is_found_while_clocks_are_right(lag_minutes: int) -> None:
    lag_ms = lag_minutes * MINUTE
    own, other = stations(lag_minutes, 30, lag_ms)
    lag = place_lag(own, other, [(0, 25 * DAY_MS)])
    assert lag is not None
    assert lag.periods == 5
    assert abs(lag.lag_ms - lag_ms) <= lag.u_ms < 15 * MINUTE


@pytest.mark.parametrize("seed", range(8))
def test_a_right_clock_whose_place_lags_is_not_moved(seed: int) -> None:
    """What is left once the lag is taken off lies within what is promised."""
    lag_ms = 59 * MINUTE
    own, other = stations(seed, 60, lag_ms)
    lag = place_lag(own, other, [(0, 25 * DAY_MS)])
    shift = found_shift(own.between(30 * DAY_MS, 55 * DAY_MS), other, 14 * HOUR_MS)
    assert lag is not None
    assert shift is not None
    assert shift.is_clear
    assert abs(shift.shift_ms - lag_ms) < 5 * MINUTE  # the old way moved it by as much
    assert abs(shift.shift_ms - lag.lag_ms) <= lag.u_ms + shift.step_ms


def test_two_stretches_tell_no_lag() -> None:
    own, other = stations(3, 30, 0)
    assert place_lag(own, other, [(0, 14 * DAY_MS)]) is None
    assert place_lag(own, other, []) is None


def test_confidence_by_hand() -> None:
    """Of 103 pairs: atanh 0.5 - atanh 0.3 = 0.5493 - 0.3095 = 0.2398, times the root of 50 is
    1.6955 standard deviations: 95.5 % (normal table)."""
    assert FoundShift(0, 0.5, 0.3, 103, 1).confidence == pytest.approx(0.955, abs=5e-4)
    assert FoundShift(0, 0.5, 0.5, 1e6, 1).confidence == 0.5
    assert FoundShift(0, 1.0, 0.0, 4, 1).confidence == 0.5


def test_chance_is_hardly_ever_clear() -> None:
    """Of a hundred pairs of unrelated weather; one in a hundred may be."""
    clear = 0
    for seed in range(100):
        rng = np.random.default_rng(1000 + seed)
        own, other = (as_series(weather(rng, 1500), 0, 10 * MINUTE) for _ in range(2))
        shift = found_shift(own, other, 6 * HOUR_MS)
        clear += shift is not None and shift.is_clear
    assert clear <= 2
