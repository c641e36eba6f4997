"""What the made-up coast does: tides, weather, rooms and works, as functions of true time.

Everything is computed from the instant alone (no random state), so any stretch of any record
can be recomputed and always comes out the same. Times are UTC ms arrays, shape (n,).
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import (
    PARTICLE_SIZES_UM,
    particles_between,
    particles_from,
)
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, MINUTE_MS, Times, Values

Channels: TypeAlias = dict[str, Values]
Signal: TypeAlias = Callable[[Times, int], Channels]
"""(true times, anchor instant of the stories) -> values of every channel."""

# amplitude m, period h, phase rad: main constituents of a semidiurnal coast
_TIDE = (
    (1.25, 12.4206012, 0.4),
    (0.32, 12.0, 1.1),
    (0.22, 12.65834751, 2.0),
    (0.10, 23.93447213, 0.2),
    (0.09, 25.81933871, 2.6),
    (0.08, 6.2103006, 1.7),
)


def noise(times: Times, seed: int) -> Values:
    """Return reproducible noise of standard deviation 1 (sum of uniforms), one value an instant."""
    total = np.zeros(len(times))
    for k in range(4):
        mixed = (times // 1000).astype(np.uint64) + np.uint64((seed * 7919 + k * 104_729) & 0xFFFF)
        with np.errstate(over="ignore"):  # wrapping is the point of a mixing function
            mixed = (mixed ^ (mixed >> np.uint64(15))) * np.uint64(0xBF58476D1CE4E5B9)
            mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        total += (mixed >> np.uint64(40)).astype(np.float64) / 2**24 - 0.5
    spread: Values = total * np.sqrt(3.0)
    return spread


def swell(times: Times, seed: int, periods_h: tuple[float, ...]) -> Values:
    """Return a slow irregular wave of amplitude about 1 from incommensurate periods."""
    hours = times / HOUR_MS
    parts = [
        np.sin(2 * np.pi * hours / period + seed * 1.7 + i * 2.1)
        for i, period in enumerate(periods_h)
    ]
    wave: Values = np.sum(parts, axis=0) / np.sqrt(len(periods_h))
    return wave


def day_wave(times: Times, peak_h: float = 14.0) -> Values:
    """Return a day cycle of amplitude 1 that peaks at an hour (UTC)."""
    wave: Values = np.cos(2 * np.pi * (times % DAY_MS / HOUR_MS - peak_h) / 24)
    return wave


def pulse(times: Times, start_ms: float, rise_ms: float, hold_ms: float, fall_ms: float) -> Values:
    """Return 0..1: approaches 1 after start, holds, falls back; both ends exponential."""
    into = (times - start_ms) / rise_ms
    up = np.where(into > 0, 1 - np.exp(-np.maximum(into, 0)), 0.0)
    after = (times - start_ms - hold_ms) / fall_ms
    top = 1 - np.exp(-hold_ms / rise_ms)
    down = top * np.exp(-np.maximum(after, 0))
    shape: Values = np.where(after > 0, down, up)
    return shape


def ago(anchor_ms: int, days: float) -> float:
    """Return the instant `days` before the anchor (negative: after it)."""
    return anchor_ms - days * DAY_MS


def working(times: Times) -> NDArray[np.float64]:
    """Return 1.0 on working days between 6 and 16 UTC, otherwise 0.0."""
    weekday = (times // DAY_MS + 3) % 7  # 1970-01-01 was a Thursday
    hour = times % DAY_MS / HOUR_MS
    return ((weekday < 5) & (hour >= 6) & (hour < 16)).astype(np.float64)


# -- weather and sea -----------------------------------------------------------------------------
def season_c(times: Times) -> Values:
    """Return the mean air temperature of the season: 17 °C at the end of July, 3 at January's."""
    wave: Values = 10 + 7 * np.cos(2 * np.pi * (times / DAY_MS / 365.2425 - 0.572))
    return wave


def outdoor_c(times: Times) -> Values:
    """Return the air temperature outdoors."""
    return season_c(times) + 3.2 * swell(times, 1, (74.0, 137.0, 223.0)) + 2.6 * day_wave(times)


def outdoor_rh(times: Times) -> Values:
    """Return the relative humidity outdoors."""
    wet = 79 + 9 * swell(times, 2, (61.0, 97.0, 181.0)) - 8 * day_wave(times)
    return np.clip(wet, 32, 99)


def air_kpa(times: Times, anchor_ms: int) -> Values:
    """Return air pressure at sea level, with the storm of the story."""
    calm = 101.4 + 0.75 * swell(times, 3, (74.0, 137.0, 223.0))
    return calm - 2.4 * _storm(times, anchor_ms)


def _storm(times: Times, anchor_ms: int) -> Values:
    return pulse(times, ago(anchor_ms, 22.6), 9 * HOUR_MS, 14 * HOUR_MS, 12 * HOUR_MS)


def tide_m(times: Times) -> Values:
    """Return the tide about mean sea level."""
    hours = times / HOUR_MS
    parts = [a * np.cos(2 * np.pi * hours / period - p) for a, period, p in _TIDE]
    total: Values = np.sum(parts, axis=0)
    return total


# -- points --------------------------------------------------------------------------------------
def textile_store(times: Times, anchor_ms: int) -> Channels:
    """Air of a store: fronts pass, a humid week in autumn."""
    fronts = sum(
        pulse(times, ago(anchor_ms, d), 7 * HOUR_MS, h * HOUR_MS, 10 * HOUR_MS)
        for d, h in ((20.3, 16.0), (6.4, 12.0), (5.1, 9.0))
    )
    temp = 19.2 + 0.12 * (season_c(times) - 10) + 0.25 * day_wave(times, 16)
    humid = 52.5 + 1.8 * swell(times, 4, (97.0, 181.0)) + 11.5 * fronts
    return {
        "air_temperature": temp + 0.03 * noise(times, 11),
        "relative_humidity": humid + 0.25 * noise(times, 12),
    }


def display_case(times: Times, anchor_ms: int) -> Channels:
    """Air of a case that is opened for cleaning."""
    opened = sum(
        pulse(times, ago(anchor_ms, d), 18 * MINUTE_MS, h * HOUR_MS, 70 * MINUTE_MS)
        for d, h in ((57.2, 0.7), (50.3, 1.6), (11.2, 0.5))
    )
    temp = 19.6 + 0.1 * (season_c(times) - 10) + 0.2 * day_wave(times, 16) + 0.8 * opened
    humid = 47.5 + 0.7 * swell(times, 5, (181.0, 290.0)) - 10.5 * opened
    return {
        "air_temperature": temp + 0.02 * noise(times, 13),
        "relative_humidity": humid + 0.15 * noise(times, 14),
    }


def tower_attic(times: Times, anchor_ms: int) -> Channels:
    """Air under a roof: sun by day, cold by night."""
    sun = np.maximum(day_wave(times, 14.5), 0) ** 2
    heat = sum(
        pulse(times, ago(anchor_ms, d), 2 * HOUR_MS, 5 * HOUR_MS, 3 * HOUR_MS)
        for d in (67.0, 66.0, 64.0)
    )
    temp = outdoor_c(times) + 3.5 + 4.5 * sun + 6.5 * heat
    humid = np.clip(outdoor_rh(times) - 9 - 10 * sun, 20, 99)
    return {
        "air_temperature": temp + 0.05 * noise(times, 15),
        "relative_humidity": humid + 0.4 * noise(times, 16),
    }


def _water(times: Times, anchor_ms: int, level_m: Values, sea: bool) -> Values:
    """Return absolute pressure under a depth of water, kPa."""
    return air_kpa(times, anchor_ms) + (1.021 if sea else 1.0) * 9.8137 * level_m


def _sea_c(times: Times) -> Values:
    mean: Values = 11 + 6.5 * np.cos(2 * np.pi * (times / DAY_MS / 365.2425 - 0.62))
    return mean


def creek_gauge(times: Times, anchor_ms: int) -> Channels:
    """Pressure and salt of a tidal creek, with a storm surge."""
    level = 1.7 + tide_m(times) + 1.6 * _storm(times, anchor_ms)
    level = 0.3 + np.logaddexp(0, (level - 0.3) * 6) / 6  # the creek bed holds back low water
    temp = 0.6 * _sea_c(times) + 0.4 * outdoor_c(times)
    pressure = _water(times, anchor_ms, level, sea=True)
    return {
        "water_pressure": pressure + 0.012 * noise(times, 21),
        "water_temperature": temp + 0.02 * noise(times, 22),
        "conductivity": 38 + 3 * tide_m(times) + 0.1 * noise(times, 23),
    }


def _piezometer(times: Times, anchor_ms: int, share: float, lag_h: float, rest_m: float) -> Values:
    lagged = times - int(lag_h * HOUR_MS)
    rain = swell(times - 6 * HOUR_MS, 6, (137.0, 290.0))
    surge = _storm(times - 5 * HOUR_MS, anchor_ms)
    return rest_m + share * tide_m(lagged) + 0.09 * rain + 0.18 * surge


def piezometer_k1(times: Times, anchor_ms: int) -> Channels:
    """Ground water near the dike, damped and late."""
    level = _piezometer(times, anchor_ms, 0.16, 1.4, 1.62)
    return {
        "water_pressure": _water(times, anchor_ms, level, sea=False) + 0.006 * noise(times, 24),
        "water_temperature": 9.8 + 0.25 * (season_c(times) - 10) + 0.01 * noise(times, 25),
        "conductivity": 1.4 + 0.02 * noise(times, 26),
    }


def piezometer_k2(times: Times, anchor_ms: int) -> Channels:
    """Ground water inland, pumped for some hours."""
    level = _piezometer(times, anchor_ms, 0.13, 2.1, 1.44)
    pumped = pulse(times, ago(anchor_ms, 30.4), HOUR_MS, 5 * HOUR_MS, 4 * HOUR_MS)
    pumped = pumped + pulse(times, ago(anchor_ms, 29.4), HOUR_MS, 4 * HOUR_MS, 4 * HOUR_MS)
    flooded = pulse(times, ago(anchor_ms, 21.9), 3 * HOUR_MS, 20 * HOUR_MS, 60 * HOUR_MS)
    pressure = _water(times, anchor_ms, level - 0.55 * pumped, sea=False)
    return {
        "water_pressure": pressure + 0.006 * noise(times, 27),
        "water_temperature": 9.2 + 0.2 * (season_c(times) - 10) + 0.01 * noise(times, 28),
        "conductivity": 1.9 + 2.9 * flooded + 0.02 * noise(times, 29),
    }


def barometer_hut(times: Times, anchor_ms: int) -> Channels:
    """Air pressure and temperature of the hut."""
    return {
        "air_pressure": air_kpa(times, anchor_ms) + 0.004 * noise(times, 31),
        "air_temperature": outdoor_c(times) + 1.2 + 0.05 * noise(times, 32),
    }


def _cold_room(times: Times, seed: int, doors: Values, warm_c: Values) -> Channels:
    cycle = np.sin(2 * np.pi * times / (47 * MINUTE_MS) + seed)
    room = 19.5 + 0.2 * (season_c(times) - 10) + 1.1 * working(times) + 0.4 * day_wave(times, 15)
    return {
        "probe_temperature": 4.4 + 0.55 * cycle + doors + warm_c + 0.06 * noise(times, seed),
        "room_temperature": room + 0.12 * warm_c + 0.05 * noise(times, seed + 1),
    }


def cold_room_a(times: Times, anchor_ms: int) -> Channels:
    """A cold room that is opened every working morning."""
    morning = 1.3 * working(times) * np.maximum(np.sin(2 * np.pi * times / (3.1 * HOUR_MS)), 0) ** 6
    restock = 4.6 * pulse(
        times, ago(anchor_ms, 11.8), 12 * MINUTE_MS, 40 * MINUTE_MS, 20 * MINUTE_MS
    )
    fuse = 9.4 * pulse(times, ago(anchor_ms, 3.28), 2.2 * HOUR_MS, 3.8 * HOUR_MS, 35 * MINUTE_MS)
    return _cold_room(times, 41, morning + restock, fuse)


def cold_room_b(times: Times, anchor_ms: int) -> Channels:
    """A cold room whose door was left open once."""
    morning = 1.1 * working(times) * np.maximum(np.sin(2 * np.pi * times / (4.3 * HOUR_MS)), 0) ** 6
    left_open = 4.0 * pulse(
        times, ago(anchor_ms, 17.0), 25 * MINUTE_MS, 70 * MINUTE_MS, 30 * MINUTE_MS
    )
    return _cold_room(times, 43, morning, left_open)


_BACKGROUND_FALL, _DUST_FALL = 2.2, 1.1
"""How counts from a size on fall with that size: by its power."""


def _particles(times: Times, seed: int, base: Values, dust: Values) -> Channels:
    """Counts per m³ by class and from each size on; base and dust: of 0.5 µm and larger.

    The cumulative ones are sums of the classes, so they never contradict each other.
    """
    bounds = [*PARTICLE_SIZES_UM, np.inf]
    classes = []
    for i, (low, high) in enumerate(pairwise(bounds)):
        share, of_dust = (
            (low / 0.5) ** -fall - (high / 0.5) ** -fall for fall in (_BACKGROUND_FALL, _DUST_FALL)
        )
        clean = 1 + 0.03 * noise(times, seed + 100 + i)
        classes.append(np.round(np.maximum((base * share + dust * of_dust) * clean, 0)))
    whole = np.cumsum(classes[::-1], axis=0)[::-1]
    channels = dict(zip(map(particles_from, PARTICLE_SIZES_UM), whole, strict=True))
    parts = pairwise(PARTICLE_SIZES_UM)
    return channels | {particles_between(*b): c for b, c in zip(parts, classes, strict=False)}


def _air_quality(times: Times, seed: int, dust: Values, crowd: Values, indoor: bool) -> Channels:
    share = 0.35 if indoor else 1.0
    temp = season_c(times) * share + (13.0 if indoor else 0.0)
    temp = temp + (outdoor_c(times) - season_c(times)) * share
    humid = outdoor_rh(times) * (0.72 if indoor else 1.0)
    base = 1_840_000 + 600_000 * swell(times, seed, (31.0, 74.0))
    return {
        **_particles(times, seed, base, dust),
        "co2": 425 + crowd + 6 * noise(times, seed + 2),
        "air_temperature": temp + 0.05 * noise(times, seed + 3),
        "relative_humidity": np.clip(humid + 0.4 * noise(times, seed + 4), 0, 100),
    }


_SPRAY_UNIT = 3_500.0
"""Particles per m³ for one unit of the stories' heights."""


def paint_hall(times: Times, anchor_ms: int) -> Channels:
    """Particles and CO2 of a hall where spraying is done."""
    days_ago = (47.0, 45.2, 33.1, 24.2, 10.1, 2.9)
    spray = np.zeros(len(times))
    for d, height in zip(days_ago, (5200, 4700, 5600, 2300, 4900, 6100), strict=True):
        spray += (
            height
            * _SPRAY_UNIT
            * pulse(times, ago(anchor_ms, d), 14 * MINUTE_MS, HOUR_MS, 80 * MINUTE_MS)
        )
    return _air_quality(times, 51, spray, 420 * working(times) * (1 + 0.2 * noise(times, 9)), True)


def outdoor_mast(times: Times, anchor_ms: int) -> Channels:
    """Air outside: smoke of one evening."""
    smoke = (
        3400
        * _SPRAY_UNIT
        * pulse(times, ago(anchor_ms, 25.2), 25 * MINUTE_MS, 90 * MINUTE_MS, 70 * MINUTE_MS)
    )
    traffic = 260 * _SPRAY_UNIT * working(times)
    return _air_quality(times, 61, smoke + traffic, 12 * working(times), False)


def _oysters(times: Times, seed: int, warm_c: Values, fresh: Values) -> Channels:
    temp = _sea_c(times) + 0.5 * day_wave(times, 15) + warm_c
    salt = 44 + 1.6 * swell(times, seed, (12.42, 97.0)) - fresh
    return {
        "water_pressure": 101.4 + 9.8 * (1.2 + 0.05 * swell(times, seed, (24.0,))),
        "water_temperature": temp + 0.02 * noise(times, seed),
        "conductivity": salt + 0.05 * noise(times, seed + 1),
    }


def tank_2(times: Times, anchor_ms: int) -> Channels:
    """Water of a tank whose heater failed."""
    heater = 5.8 * pulse(
        times, ago(anchor_ms, 35.2), 3 * HOUR_MS, 6 * HOUR_MS, 5 * HOUR_MS
    ) + 5.2 * pulse(times, ago(anchor_ms, 34.1), 3 * HOUR_MS, 5 * HOUR_MS, 5 * HOUR_MS)
    return _oysters(times, 71, 3.0 + heater, np.zeros(len(times)))


def intake(times: Times, anchor_ms: int) -> Channels:
    """Water at the intake: tide and rain."""
    rain = 10.0 * pulse(times, ago(anchor_ms, 21.5), 5 * HOUR_MS, 9 * HOUR_MS, 14 * HOUR_MS)
    return _oysters(times, 73, np.zeros(len(times)), rain)


SIGNALS: dict[str, Signal] = {
    "textile_store": textile_store,
    "display_case": display_case,
    "tower_attic": tower_attic,
    "creek_gauge": creek_gauge,
    "piezometer_k1": piezometer_k1,
    "piezometer_k2": piezometer_k2,
    "barometer_hut": barometer_hut,
    "cold_room_a": cold_room_a,
    "cold_room_b": cold_room_b,
    "paint_hall": paint_hall,
    "outdoor_mast": outdoor_mast,
    "tank_2": tank_2,
    "intake": intake,
}
