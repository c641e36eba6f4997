"""Numbers for a stretch: counts, extremes, held mean, kinetic mean, time outside; and by day.

Source: docs/calculations.md, "Statistics"; mean kinetic temperature after USP <1079.2>.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits.limits import InForce
from gezeiten.domain.quantities.quantities import Averages
from gezeiten.domain.series.series import Series, clip_holds
from gezeiten.domain.series.timeline import Span, Values, local_days

ACTIVATION_J_PER_MOL = 83_144.0
GAS_J_PER_MOL_K = 8.3144
ENOUGH_COVERAGE = 0.75
"""Days with less held time than this share are marked."""


@dataclass(frozen=True, slots=True)
class Statistics:
    """Figures of one stretch; NaN where there is nothing to say.

    n, lowest, highest, sd (n - 1), median, p5, p95 are over the readings inside the stretch;
    mean and kinetic_mean_c are weighted by held time; of a quantity that is summed mean is the sum
    of the readings in (start, end]. above_ms and below_ms: held time outside
    the widest rule of each side. lowest_ms, highest_ms: when the extremes were reached first, 0
    where there are none. coverage: held time over the stretch, 0..1.
    """

    span: Span
    n: int
    estimated: int
    lowest: float
    highest: float
    mean: float
    sd: float
    median: float
    p5: float
    p95: float
    kinetic_mean_c: float
    covered_ms: int
    above_ms: int
    below_ms: int
    lowest_ms: int = 0
    highest_ms: int = 0

    @property
    def coverage(self) -> float:
        """Held time over the length of the stretch, 0..1; 0 for a stretch of no length."""
        length = self.span[1] - self.span[0]
        return self.covered_ms / length if length > 0 else 0.0

    @property
    def is_sufficient(self) -> bool:
        """Whether the figures rest on enough held time, `ENOUGH_COVERAGE`."""
        return self.coverage >= ENOUGH_COVERAGE


@dataclass(frozen=True, slots=True)
class DayNumbers:
    """The figures of one local day."""

    day: date
    numbers: Statistics


def mean_kinetic_temperature_c(temps_c: Values, weights: NDArray[np.int64]) -> float:
    """Return the mean kinetic temperature in °C, weighted by held times; NaN when empty.

    Source: USP <1079.2>, dH = 83.144 kJ/mol.
    """
    if not len(temps_c) or not weights.sum():
        return float("nan")
    ratio = ACTIVATION_J_PER_MOL / GAS_J_PER_MOL_K
    mean = np.average(np.exp(-ratio / (temps_c + 273.15)), weights=weights)
    return float(ratio / -np.log(mean) - 273.15)


def numbers(
    series: Series,
    span: Span,
    limits: tuple[InForce, ...] = (),
    *,
    kinetic: bool = False,
    zone: str = "UTC",
    averages: Averages = "plain",
) -> Statistics:
    """Return the figures of a stretch of one series.

    Args:
        series: readings of one quantity.
        span: the stretch [start, end).
        limits: of this series; time outside counts against the nearest of each side that was in
            force when a reading was taken.
        kinetic: also the mean kinetic temperature (values in °C).
        zone: IANA zone of the site, whose wall clock decides weekly windows.
        averages: how values become one: their mean, that of a direction (degrees), or their sum. A
            direction has no spread, median or percentile.
    """
    held, weights = clip_holds(series, span)
    inside = series.between(*span)
    values = inside.values
    n = len(values)
    nan = float("nan")
    has_order = n > 0 and averages != "direction"
    p5, median, p95 = np.percentile(values, (5, 50, 95)) if has_order else (nan, nan, nan)
    return Statistics(
        span=span,
        n=n,
        estimated=int(np.count_nonzero(inside.estimated)),
        lowest=float(values.min()) if n else nan,
        highest=float(values.max()) if n else nan,
        mean=_aggregate(series, span, (held.values, weights), averages),
        sd=float(values.std(ddof=1)) if has_order and n > 1 else nan,
        median=float(median),
        p5=float(p5),
        p95=float(p95),
        kinetic_mean_c=mean_kinetic_temperature_c(held.values, weights) if kinetic else nan,
        covered_ms=int(weights.sum()),
        above_ms=_outside_ms(held, weights, limits, "above", zone),
        below_ms=_outside_ms(held, weights, limits, "below", zone),
        lowest_ms=int(inside.times_utc_ms[values.argmin()]) if n else 0,
        highest_ms=int(inside.times_utc_ms[values.argmax()]) if n else 0,
    )


def _aggregate(
    series: Series, span: Span, held: tuple[Values, NDArray[np.int64]], averages: Averages
) -> float:
    """Return what the values of a stretch become; NaN where there are none."""
    values, weights = held
    if averages == "sum":
        inside = series.between(span[0] + 1, span[1] + 1).values
        return float(inside.sum()) if len(inside) else float("nan")
    if not len(weights):
        return float("nan")
    if averages == "direction":
        return mean_direction_deg(values, weights)
    return float(np.average(values, weights=weights))


def mean_direction_deg(directions_deg: Values, weights: NDArray[np.int64]) -> float:
    """Return the direction of the sum of unit vectors, in [0, 360); NaN where they cancel out.

    Source: WMO-No. 8, part I, chapter 5 (mean wind direction).
    """
    angles = np.radians(directions_deg)
    east, north = (np.average(part, weights=weights) for part in (np.sin(angles), np.cos(angles)))
    if np.hypot(east, north) < 1e-9:
        return float("nan")
    return float(np.degrees(np.arctan2(east, north)) % 360.0)


def _outside_ms(
    series: Series, weights: NDArray[np.int64], limits: tuple[InForce, ...], side: str, zone: str
) -> int:
    total = 0
    for span in limits:
        a, b = series.times_utc_ms.searchsorted((span.start_ms, span.end_ms))
        times, values = series.times_utc_ms[a:b], series.values[a:b]
        masks = [rule.outside_at(times, values, zone) for rule in span.rules if rule.side == side]
        total += int(weights[a:b][np.logical_or.reduce(masks)].sum()) if masks else 0
    return total


def daily_numbers(
    series: Series,
    span: Span,
    zone: str,
    limits: tuple[InForce, ...] = (),
    *,
    kinetic: bool = False,
    averages: Averages = "plain",
) -> list[DayNumbers]:
    """Return one row for every local day that the stretch touches, clipped to the stretch."""
    rows = []
    for day, (begin, end) in local_days(*span, zone):
        part = (max(begin, span[0]), min(end, span[1]))
        rows.append(
            DayNumbers(
                day, numbers(series, part, limits, kinetic=kinetic, zone=zone, averages=averages)
            )
        )
    return rows
