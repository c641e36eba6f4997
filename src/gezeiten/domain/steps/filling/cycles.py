"""The series' own cycles: day, week, year and tide, as columns of a linear model.

Source: docs/calculations.md, "Fills", tide; speeds of constituents in degrees an hour after
Schureman 1958.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Times

CONSTITUENTS = (
    ("M2", 28.9841042),
    ("S2", 30.0),
    ("N2", 28.4397295),
    ("K1", 15.0410686),
    ("O1", 13.9430356),
    ("M4", 57.9682084),
    ("MS4", 58.9841042),
    ("M6", 86.9523127),
    ("MN4", 57.4238337),
    ("Q1", 13.3986609),
    ("K2", 30.0821373),
    ("P1", 14.9589314),
    ("Mm", 0.5443747),
    ("MSf", 1.0158958),
    ("Sa", 0.0410686),
)
"""By size at common coasts; degrees an hour."""
_DAY = tuple((name, 360.0 / hours) for name, hours in (("24 h", 24), ("12 h", 12), ("8 h", 8)))
_WEEK = tuple((f"{168 / turns:.1f} h", turns * 360.0 / 168) for turns in (1, 2, 3, 6, 8, 13, 15))
"""Of a week; around a day and half a day on either side: a day cycle that is another one at the
weekend."""
_YEAR = (("year", 360.0 / 8766.0),)
_LEAST_DAYS, _WEEK_DAYS, _YEAR_DAYS = 3, 28, 366
_WATER_UNITS = ("m", "kPa", "mS/cm")
TIDE_MS = 15 * DAY_MS
"""So long a record holds spring and neap tide once."""


def may_be_of_water(unit: str) -> bool:
    """Return whether what is said in a unit may go with the tide, and run hours ahead."""
    return unit in _WATER_UNITS


def tidal(length_ms: int) -> tuple[tuple[str, float], ...]:
    """Return the constituents that a record of a length tells apart (Rayleigh's criterion)."""
    turns = length_ms / HOUR_MS / 360.0
    found: list[tuple[str, float]] = []
    for name, speed in CONSTITUENTS:
        if speed * turns >= 1 and all(abs(speed - other) * turns >= 1 for _, other in found):
            found.append((name, speed))
    return tuple(found)


def daily(length_ms: int) -> tuple[tuple[str, float], ...]:
    """Return the parts of the cycles of day, week and year that a record of a length tells."""
    days = length_ms / DAY_MS
    known = ((_DAY, _LEAST_DAYS), (_WEEK, _WEEK_DAYS), (_YEAR, _YEAR_DAYS))
    return tuple(cycle for cycles, least in known if days >= least for cycle in cycles)


def columns(
    times_utc_ms: Times, cycles: tuple[tuple[str, float], ...], origin_ms: int
) -> NDArray[np.float64]:
    """Return cosine and sine of each cycle at some instants, float64 (n, 2 k)."""
    hours = (times_utc_ms - origin_ms) / HOUR_MS
    phases = np.radians(np.outer(hours, [speed for _, speed in cycles]))
    return np.concatenate((np.cos(phases), np.sin(phases)), axis=1)
