"""Made-up records of known truth, for measuring how well gaps are filled: tide with surge, a room
with doors, a cold store, counts, a level in the ground, humidity; each with a companion."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gezeiten.domain.quantities.quantities import Quantity, quantity
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.timeline import DAY_MS, Values

STEP_MS = 600_000
BEGIN_MS = 1_795_392_000_000
DAYS = 45


@dataclass(frozen=True)
class Made:
    """unrest: what is irregular in it (surge, doors, what it has in common with its companion)."""

    quantity: Quantity
    series: Series
    companion: Series
    other: Quantity
    unrest: Values


def _slow(rng: np.random.Generator, n: int, memory: float, size: float) -> Values:
    """Noise that forgets itself after so many readings (a first-order process)."""
    keep = np.exp(-1 / memory)
    noise = rng.normal(0, size * np.sqrt(1 - keep**2), n)
    found = np.empty(n)
    last = rng.normal(0, size)
    for i in range(n):
        last = keep * last + noise[i]
        found[i] = last
    return found


def _times() -> np.ndarray:
    return BEGIN_MS + np.arange(DAYS * DAY_MS // STEP_MS, dtype=np.int64) * STEP_MS


def _hours() -> Values:
    return np.arange(len(_times())) * STEP_MS / 3_600_000


def made(kind: str, seed: int) -> Made:
    """Return one record of a kind."""
    rng = np.random.default_rng([seed, len(kind)])
    h, n = _hours(), len(_times())
    day = 2 * np.pi * h / 24
    sway = rng.uniform(0, 2 * np.pi, 6)
    if kind == "tide":
        truth = 5 + 1.4 * np.cos(np.radians(28.9841042 * h) + sway[0])
        truth = truth + 0.4 * np.cos(np.radians(30.0 * h) + sway[1])
        truth = truth + 0.15 * np.cos(np.radians(15.0410686 * h) + sway[2])
        surge = _slow(rng, n, 90, 0.25)
        beside = 0.9 * (truth + surge) - 1 + _slow(rng, n, 30, 0.04)
        own = truth + surge + rng.normal(0, 0.005, n)
        return _as(own, beside, "water_level", "water_level", surge)
    if kind == "room":
        outside = 8 + 5 * np.cos(day + sway[0]) + _slow(rng, n, 200, 3)
        doors = _slow(rng, n, 6, 0.3)
        own = 19 + 0.12 * (outside - 8) + 0.4 * np.cos(day + sway[1]) + doors
        own = own + rng.normal(0, 0.03, n)
        return _as(own, outside, "air_temperature", "air_temperature", doors)
    if kind == "store":
        common = _slow(rng, n, 60, 0.4)
        own = 4 + common + 0.5 * np.cos(2 * np.pi * h / 0.9 + sway[0]) + _slow(rng, n, 20, 0.1)
        beside = 4.5 + 0.8 * common + _slow(rng, n, 20, 0.15)
        return _as(own, beside, "probe_temperature", "probe_temperature", common)
    if kind == "counts":
        common = _slow(rng, n, 120, 0.8) + 0.4 * np.cos(day + sway[0])
        own = np.exp(2.5 + common + _slow(rng, n, 20, 0.15))
        beside = np.exp(2.3 + 0.9 * common + _slow(rng, n, 20, 0.2))
        return _as(np.round(own, 1), np.round(beside, 1), "pm25", "pm25", common)
    if kind == "level":
        common = np.cumsum(_slow(rng, n, 100, 0.0008))
        own = 3 + common + 0.02 * np.cos(np.radians(28.9841042 * h) + sway[0])
        own = own + rng.normal(0, 0.002, n)
        beside = 6 + 1.2 * common + _slow(rng, n, 200, 0.01)
        return _as(own, beside, "water_level", "water_level", common)
    if kind in KINDS_OF_EVENTS:
        return _of_events(kind, rng, n)
    common = 8 * np.cos(day + sway[0]) + _slow(rng, n, 150, 8)
    own = np.clip(70 + common + _slow(rng, n, 15, 1.5), 0, 100)
    beside = np.clip(65 + 0.9 * common + _slow(rng, n, 15, 2), 0, 100)
    return _as(own, beside, "relative_humidity", "relative_humidity", common)


def _shots(rng: np.random.Generator, n: int, a_day: float, shape: Values, sizes: Values) -> Values:
    """Events of one shape at pseudo-random instants, each as large as the next of the sizes."""
    found = np.zeros(n + len(shape))
    for at, size in zip(np.flatnonzero(rng.uniform(size=n) < a_day / 144), sizes, strict=False):
        found[at : at + len(shape)] += size * shape
    return found[:n]


def _of_events(kind: str, rng: np.random.Generator, n: int) -> Made:
    """Records whose highest readings are events, not chance: floods that rise in hours and fall in
    days, a store whose power fails, dust that is stirred up. The neighbour has its own share of
    each event."""
    steps = np.arange(6 * 144)
    sizes = rng.exponential(1.0, n)
    its_share = sizes * rng.uniform(0.6, 1.4, n)
    state = rng.bit_generator.state
    if kind == "river":
        flood = np.minimum(steps / 36, 1) * np.exp(-np.maximum(steps - 36, 0) / 200)
        own = 1.2 + 0.4 * _shots(rng, n, 0.25, flood, sizes) + _slow(rng, n, 300, 0.03)
        rng.bit_generator.state = state
        beside = 0.8 + 0.5 * np.roll(_shots(rng, n, 0.25, flood, its_share), -9)
        return _as(
            own + rng.normal(0, 0.002, n),
            beside + _slow(rng, n, 30, 0.02),
            "water_level",
            "water_level",
            own,
        )
    if kind == "failing":
        hours = steps / 6
        warming = np.where(hours < 3, hours / 3, np.exp(-(hours - 3) / 1.5))
        common = 3 * _shots(rng, n, 0.4, warming, sizes)
        own = 4 + common + 0.3 * np.cos(2 * np.pi * _hours() / 0.9) + _slow(rng, n, 20, 0.1)
        rng.bit_generator.state = state
        beside = 4.5 + 2 * _shots(rng, n, 0.4, warming, its_share) + _slow(rng, n, 20, 0.15)
        return _as(own, beside, "probe_temperature", "probe_temperature", common)
    stirred = np.minimum(steps / 3, 1) * np.exp(-steps / 25)
    common = 1.2 * _shots(rng, n, 0.8, stirred, sizes)
    own = np.exp(2.0 + common + _slow(rng, n, 100, 0.3) + _slow(rng, n, 10, 0.1))
    rng.bit_generator.state = state
    beside = np.exp(1.9 + 1.1 * _shots(rng, n, 0.8, stirred, its_share) + _slow(rng, n, 30, 0.3))
    return _as(np.round(own, 1), np.round(beside, 1), "pm25", "pm25", common)


KINDS_OF_EVENTS = ("river", "failing", "stirred")
KINDS = ("tide", "room", "store", "counts", "level", "humidity")


def _as(own: Values, beside: Values, key: str, other: str, unrest: Values) -> Made:
    decimals = quantity(key).decimals
    return Made(
        quantity(key),
        make_series(_times(), np.round(own, decimals), STEP_MS),
        make_series(_times() + 70_000, np.round(beside, decimals), STEP_MS),
        quantity(other),
        unrest,
    )
