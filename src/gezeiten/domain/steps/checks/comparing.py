"""Check readings beside what a record says at their instants.

Source: docs/calculations.md, "Check readings".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.steps.calculation import at_instants
from gezeiten.domain.steps.checks.reading import CheckReading
from gezeiten.domain.steps.formulas.formula import Role

NOTED_S = 60 / math.sqrt(12)
"""Standard uncertainty of an instant that was noted to the minute."""
_AT_THE_INSTANT = Role("", "", ())


@dataclass(frozen=True, slots=True)
class CheckComparison:
    """A check reading and what the record says. recorded: at its instant, difference: value -
    recorded, u: of that (k = 2); NaN where the record holds nothing there. low, high: differences
    of the lowest and the highest since the look before, None where there is nothing to compare."""

    check: CheckReading
    recorded: float
    difference: float
    u: float
    low: float | None = None
    high: float | None = None


def compared(checks: Sequence[CheckReading], series: Series) -> list[CheckComparison]:
    """Return check readings of one series beside its readings, in the order in which they are.

    At an instant between two readings these are interpolated, where they are at most 1.5 intervals
    apart. What was noted to the minute is uncertain by that, times how fast the record moves.

    Args:
        checks: in order of time.
        series: the readings around all of them, from the first look to the last where lowest and
            highest were read.
    """
    if not checks:
        return []
    times = np.array([check.at_ms for check in checks], np.int64)
    averages = quantity(checks[0].series).averages
    recorded, _ = at_instants(series, times, _AT_THE_INSTANT, averages)
    found, look_ms = [], None
    for one, value in zip(checks, recorded.tolist(), strict=True):
        difference = one.value - value
        if averages == "direction":
            difference = (difference + 180) % 360 - 180
        u = math.hypot(one.u, 2 * slope_a_second(series, one.at_ms) * NOTED_S)
        ends: tuple[float | None, float | None] = (None, None)
        if one.low is not None or one.high is not None:
            ends = _extremes(one, series, look_ms)
            look_ms = one.at_ms
        found.append(CheckComparison(one, value, difference, u, *ends))
    return found


def slope_a_second(series: Series, at_ms: int) -> float:
    """Return how fast the record moves around an instant, by size."""
    a, b = series.times_utc_ms.searchsorted((at_ms, at_ms + 1))
    pair = slice(max(int(a) - 1, 0), int(b) + 1)
    times, values = series.times_utc_ms[pair], series.values[pair]
    if len(times) < 2:
        return 0.0
    apart = np.diff(times)
    near = apart <= series.interval_ms[pair][:-1] * HOLD_FACTOR
    if not near.any():
        return 0.0
    return float(np.abs(np.diff(values)[near] / apart[near]).max() * 1000)


def _extremes(
    check: CheckReading, series: Series, look_ms: int | None
) -> tuple[float | None, float | None]:
    """Return how far lowest and highest were from those of the record since the look before."""
    if look_ms is None:
        return (None, None)
    values = series.between(look_ms, check.at_ms + 1).values
    if not len(values):
        return (None, None)
    return (
        None if check.low is None else check.low - float(values.min()),
        None if check.high is None else check.high - float(values.max()),
    )
