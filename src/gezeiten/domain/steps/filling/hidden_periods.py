"""Stretches that are hidden to measure how well a gap would be filled.

Source: docs/calculations.md, "Fills", hidden stretches.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Span

PERIODS = 40
BESIDE = 5
"""Readings on either side by which a fill is joined; no hidden stretch lies nearer to the gap."""
LEAST = 5
"""So many that do not overlap are needed to say anything."""
WORDED = 12
"""With fewer stretches that do not overlap a band is worded "at least 95 %"."""
_LEAST_READINGS = 200
_MANY_READINGS = 20_000
"""Beyond so many a record that tells little is not made longer."""
_AT_LEAST_MS = 3 * DAY_MS
_MOST_GAPS = 50
_NEAR_CLOCK_MS = 3 * HOUR_MS
_MASK = (1 << 64) - 1


def splitmix64(state: int) -> int:
    """Return the next number of a sequence that is the same everywhere (Steele et al. 2014)."""
    z = (state + 0x9E3779B97F4A7C15) & _MASK
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & _MASK
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & _MASK
    return z ^ (z >> 31)


def trusted_readings(series: Series) -> Series:
    """Return the readings that may be learnt from: measured, and not doubted."""
    return series.subset((series.quality != Quality.ESTIMATE) & (series.quality != Quality.SUSPECT))


def possible_starts(series: Series, gap: Gap) -> NDArray[np.intp]:
    """Return where a whole stretch of the gap's length begins, with enough readings beside it, and
    not too near to the gap; as places in a series of known readings."""
    length, n = gap.missing, len(series)
    if n < length + 2 * BESIDE + 1:
        return np.empty(0, np.intp)
    wide = np.diff(series.times_utc_ms) > HOLD_FACTOR * series.interval_ms[:-1]
    breaks = np.concatenate(([0], np.cumsum(wide)))
    # from the reading before a stretch to the one after it
    starts = np.arange(BESIDE, n - length - BESIDE + 1)
    whole = breaks[starts + length] == breaks[starts - 1]
    at = int(series.times_utc_ms.searchsorted(gap.start_ms))
    apart = (starts + length <= at - BESIDE) | (starts >= at + BESIDE)
    found: NDArray[np.intp] = starts[whole & apart]
    return found


def at_that_time_of_day(series: Series, starts: NDArray[np.intp], gap: Gap) -> NDArray[np.intp]:
    """Return the starts near the gap's time of day where there are enough, else all."""
    into_day = (series.times_utc_ms[starts] - gap.start_ms) % DAY_MS
    near = starts[np.minimum(into_day, DAY_MS - into_day) <= _NEAR_CLOCK_MS]
    return near if len(near) >= PERIODS else starts


def sample_starts(starts: NDArray[np.intp], gap: Gap, seed: int = 0) -> NDArray[np.intp]:
    """Return up to `PERIODS` starts, one at a pseudo-random place of each equal part of the list:
    evenly spaced ones would fall into step with day and tide."""
    many = len(starts)
    if many <= PERIODS:
        return starts
    found = []
    for part in range(PERIODS):
        low, high = many * part // PERIODS, many * (part + 1) // PERIODS
        state = splitmix64(gap.start_ms ^ splitmix64(seed ^ splitmix64(part)))
        found.append(int(starts[low + state % (high - low)]))
    return np.array(found, np.intp)


def count_disjoint(starts: NDArray[np.intp], length: int) -> int:
    """Return how many stretches of a length there are that do not overlap."""
    count, end = 0, -1
    for start in np.sort(starts).tolist():
        if start >= end:
            count, end = count + 1, start + length
    return count


def training_spans(gap: Gap, at_least_ms: int = 0) -> list[Span]:
    """Return the stretches around a gap that are tried one after the other until there is enough in
    one to learn from, each wider than the one before."""
    half = max(gap.length_ms, _AT_LEAST_MS, at_least_ms)
    most = max(_MOST_GAPS * gap.length_ms, half)
    spans = []
    while True:
        spans.append((gap.start_ms - half, gap.end_ms + half))
        if half >= most:
            return spans
        half = min(2 * half, most)


def has_enough_training_data(series: Series, gap: Gap) -> bool:
    """Whether there is enough in a stretch to learn from: so many stretches at the gap's time of
    day that the band need not be worded, of a long record the fewest that tell anything."""
    starts = possible_starts(series, gap)
    starts = starts[:: max(len(starts) // 4_000, 1)]
    wanted = LEAST if len(series) > _MANY_READINGS else WORDED
    apart = count_disjoint(at_that_time_of_day(series, starts, gap), gap.missing)
    return apart >= wanted and len(series) >= _LEAST_READINGS
