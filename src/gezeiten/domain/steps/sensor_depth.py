"""How a sensor hangs at its point through time: the height of the measuring point (the rim), and
how far below it the sensor hangs. Two histories: a rim is cut and the sensor comes down with it, or
it stays where it was.

Source: docs/calculations.md, "Calculated series".
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gezeiten.domain.series.timeline import Times, Values

RIM_M, LENGTH_M = "rim_m", "length_m"
"""Under which a formula finds both."""


@dataclass(frozen=True, slots=True)
class SensorDepth:
    """From an instant (UTC ms) on the measuring point lies rim_m above the datum, and the sensor
    length_m below it."""

    since_ms: int
    rim_m: float
    length_m: float

    @property
    def sensor_m(self) -> float:
        """Height of the sensor above the datum."""
        return self.rim_m - self.length_m


def stayed_m(before: SensorDepth, rim_m: float) -> float:
    """Return how far below a rim that is another one now a sensor hangs that stayed where it
    was."""
    return rim_m - before.sensor_m


def depth_at(history: Sequence[SensorDepth], at_ms: int) -> SensorDepth | None:
    """Return how it hung at an instant, None before anything was said.

    Args:
        history: in order of time; of two from one instant the later one holds.
    """
    known = [sensor_depth for sensor_depth in history if sensor_depth.since_ms <= at_ms]
    return known[-1] if known else None


def at_each(history: Sequence[SensorDepth], times_utc_ms: Times) -> dict[str, Values]:
    """Return rim and length at instants, NaN before anything was said; (n,) each."""
    since = np.array([sensor_depth.since_ms for sensor_depth in history], np.int64)
    place = since.searchsorted(times_utc_ms, side="right")
    found = {}
    for key in (RIM_M, LENGTH_M):
        numbers = np.array([np.nan, *(getattr(sensor_depth, key) for sensor_depth in history)])
        found[key] = numbers[place]
    return found
