"""Clocks stretched between contacts by hand; shifts found in made-up weather."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from gezeiten.domain.steps.clock_ways import (
    ClockRead,
    found_shift,
    stretched,
    u_between,
    without_tide,
)

MINUTE = 60_000


def test_between_contacts_it_is_least_sure_in_the_middle() -> None:
    """By hand: ten days, ends sure to 500 and 100 ms: there 250 and 50, and 10 ppm of ten days."""
    a, b = ClockRead(0, 0, 500), ClockRead(10 * DAY_MS + 9_000, 10 * DAY_MS, 100)
    assert u_between(a, b, 0.5) == pytest.approx(math.hypot(math.hypot(250, 50), 8640))
    assert u_between(a, b, 0.0) == 500
    made = stretched([b, a])
    assert made.clock.true_at(10 * DAY_MS + 9_000) == 10 * DAY_MS
    assert made.u_ms == math.ceil(2 * math.hypot(math.hypot(250, 50), 8640))
    assert made.jumps == ()


def test_what_no_clock_drifts_is_a_jump() -> None:
    """An hour in a day is 4 per cent; 15 s in a day are 174 ppm."""
    reads = [ClockRead(0, 0, 1), ClockRead(DAY_MS + 15_000, DAY_MS, 1),
             ClockRead(2 * DAY_MS + HOUR_MS, 2 * DAY_MS, 1)]  # fmt: skip
    assert stretched(reads).jumps == (2 * DAY_MS,)


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
    found = found_shift(own, as_series(truth[::5], 0, 5 * MINUTE), 14 * HOUR_MS)
    assert found is not None
    assert found.is_clear
    assert abs(found.shift_ms - shift_ms) <= 3 * MINUTE


def test_a_tide_alone_is_not_believed() -> None:
    """Moved by a tide (12.42 h) it looks the same."""
    hours = np.arange(30 * 144) / 6
    own = as_series(np.cos(np.radians(28.984 * hours)), 0, 10 * MINUTE)
    found = found_shift(own, own, 14 * HOUR_MS)
    assert found is not None
    assert not found.is_clear


def test_chance_is_not_believed_and_too_little_is_none() -> None:
    rng = np.random.default_rng(1)
    own, other = (as_series(weather(rng, 3000), 0, 10 * MINUTE) for _ in range(2))
    found = found_shift(own, other, 14 * HOUR_MS)
    assert found is not None
    assert not found.is_clear
    assert found_shift(own.between(0, DAY_MS), other, 14 * HOUR_MS) is None
    assert found_shift(own.between(0, 0), other, 14 * HOUR_MS) is None


@pytest.mark.parametrize("shift_ms", [-HOUR_MS, 12 * HOUR_MS])
def test_what_the_weather_did_to_a_tide_decides(shift_ms: int) -> None:
    """Two gauges of one estuary: a tide of 1.5 m, the surge in both, each with its own noise."""
    rng = np.random.default_rng(7)
    hours = np.arange(40 * 144) / 6
    tide = 1.5 * np.cos(np.radians(28.9841042 * hours)) + 0.5 * np.cos(np.radians(30 * hours))
    surge = weather(rng, len(hours)) * 0.3
    one, other = (0.9 * tide + surge + rng.normal(0, 0.002, len(hours)),
                  tide + 0.8 * surge + rng.normal(0, 0.002, len(hours)))  # fmt: skip
    own, beside = as_series(one, -shift_ms, 10 * MINUTE), as_series(other, 0, 10 * MINUTE)
    alike = found_shift(own, beside, 14 * HOUR_MS)
    assert alike is not None
    assert not alike.is_clear
    found = found_shift(without_tide(own), without_tide(beside), 14 * HOUR_MS)
    assert found is not None
    assert found.is_clear
    assert abs(found.shift_ms - shift_ms) <= 5 * MINUTE
