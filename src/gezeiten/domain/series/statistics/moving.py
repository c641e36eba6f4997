"""Moving means and sums: what the readings of the time before each reading make together.

Source: docs/calculations.md, "Moving means".
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.quality import Quality, worst
from gezeiten.domain.series.series import Series, hold_times_ms
from gezeiten.domain.series.timeline import HOUR_MS, Times, Values

ENOUGH_HELD = 0.75
"""Of the window; with less there is no value."""


_PARTS = 2**30
"""Of a unit, in which what is left of whole units is counted."""


def moving_mean(series: Series, window_ms: int) -> Series:
    """Return at each reading's instant t the mean of [t - window, t), weighted by held time.

    No value where less than `ENOUGH_HELD` of the window is held. It is an estimate where any held
    reading is one, suspect where any is suspect. Intervals are those of the readings. Sums are of
    whole numbers, a billionth of a unit the smallest: so a mean has the same bits wherever the
    series was cut.

    Args:
        series: (n,), in order of time, values below 1e9; window_ms: above zero, up to 30 days.
    """
    if not len(series):
        return series
    times = series.times_utc_ms
    holds = hold_times_ms(times, series.interval_ms)
    ones = np.ones(len(series), np.int64)
    held = _in_window(times, holds, ones, window_ms)
    enough = held >= ENOUGH_HELD * window_ms
    whole, parts = (
        _in_window(times, holds, one, window_ms)[enough]
        for one in _integer_and_fraction(series.values)
    )
    means = (whole + parts / _PARTS) / held[enough]
    return _with_values(series, enough, means, _codes(series, holds, window_ms))


def moving_sum(series: Series, window_ms: int) -> Series:
    """Return at each reading's instant t the sum of the readings in (t - window, t]; for quantities
    whose readings stand for the time before them. Else like `moving_mean`."""
    if not len(series):
        return series
    times = series.times_utc_ms
    holds = hold_times_ms(times, series.interval_ms)
    held = _in_window(times, holds, np.ones(len(series), np.int64), window_ms)
    enough = held >= ENOUGH_HELD * window_ms
    first = np.searchsorted(times, times - window_ms, side="right")
    whole, parts = (_cumulative_from(one, first) for one in _integer_and_fraction(series.values))
    sums = whole + parts / _PARTS
    is_any = [
        _cumulative_from((series.quality == code).astype(np.int64), first) > 0 for code in _TELLING
    ]
    return _with_values(series, enough, sums[enough], _worse(*is_any))


def moving_extreme(series: Series, window_ms: int, *, highest: bool) -> Series:
    """Return at each reading's instant t the lowest or the highest of what is held in
    [t - window, t). Else like `moving_mean`."""
    if not len(series):
        return series
    times = series.times_utc_ms
    holds = hold_times_ms(times, series.interval_ms)
    held = _in_window(times, holds, np.ones(len(series), np.int64), window_ms)
    begin = np.searchsorted(times + holds, times - window_ms, side="right")
    ends = np.arange(len(series))
    wanted = np.flatnonzero((held >= ENOUGH_HELD * window_ms) & (begin < ends))
    found = _extremes(series.values, begin[wanted], ends[wanted], highest=highest)
    which = np.zeros(len(series), np.bool_)
    which[wanted] = True
    return _with_values(series, which, found, _codes(series, holds, window_ms))


def _extremes(
    values: Values, begins: NDArray[np.intp], ends: NDArray[np.intp], *, highest: bool
) -> Values:
    """Return the extreme of values [begin, end) for each pair, end > begin: of two stretches of a
    power of two readings that together are it."""
    of = np.maximum if highest else np.minimum
    found = np.empty(len(begins))
    powers = np.frexp((ends - begins).astype(np.float64))[1] - 1
    level = values
    for power in range(int(powers.max(initial=0)) + 1):
        if power:
            half = 1 << (power - 1)
            level = of(level[:-half], level[half:])
        its = np.flatnonzero(powers == power)
        found[its] = of(level[begins[its]], level[ends[its] - (1 << power)])
    return found


def moving_slope(series: Series, window_ms: int) -> Series:
    """Return at each reading's instant t the slope, in units an hour, of the least-squares line
    through the readings in [t - window, t]: of three at least, and no value where less than
    `ENOUGH_HELD` of the window is held.

    Sums are taken in one order, about the reading itself: the same bits wherever it was cut.
    """
    if not len(series):
        return series
    times = series.times_utc_ms
    holds = hold_times_ms(times, series.interval_ms)
    held = _in_window(times, holds, np.ones(len(series), np.int64), window_ms)
    begin = np.searchsorted(times, times - window_ms)
    count = np.arange(len(series)) - begin + 1
    at = np.flatnonzero((held >= ENOUGH_HELD * window_ms) & (count >= _LEAST_FOR_A_LINE))
    sums = np.zeros((4, len(at)))
    for back in range(1, int(count[at].max(initial=0))):
        its = at - back
        inside = its >= begin[at]
        its = np.where(inside, its, 0)
        x = np.where(inside, (times[its] - times[at]) / HOUR_MS, 0.0)
        y = np.where(inside, series.values[its] - series.values[at], 0.0)
        sums += (x, y, x * x, x * y)
    n, (sx, sy, sxx, sxy) = count[at], sums
    slopes = (n * sxy - sx * sy) / (n * sxx - sx * sx)
    which = np.zeros(len(series), np.bool_)
    which[at] = True
    own = np.where(np.isin(series.quality, _TELLING), series.quality, np.uint8(Quality.GOOD))
    codes = worst(_codes(series, holds, window_ms), own.astype(np.uint8))
    return _with_values(series, which, slopes, codes)


_LEAST_FOR_A_LINE = 3


def _integer_and_fraction(values: Values) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    whole = np.rint(values)
    return whole.astype(np.int64), np.rint((values - whole) * _PARTS).astype(np.int64)


def _cumulative_from(amounts: NDArray[np.int64], first: NDArray[np.intp]) -> NDArray[np.int64]:
    """Return the sum of amounts from a place on up to each one, itself among them."""
    total = np.append(np.int64(0), np.cumsum(amounts))
    since: NDArray[np.int64] = total[1:] - total[first]
    return since


def _in_window(
    times: Times, holds: NDArray[np.int64], values: NDArray[np.int64], window_ms: int
) -> NDArray[np.int64]:
    """Return the sum of value x held time in [t - window, t) for each reading. A sum over all may
    wrap around; the difference of two is right as long as it fits itself."""
    before = np.append(0, np.cumsum(values * holds))[:-1]
    begin = times - window_ms
    at = np.searchsorted(times, begin, side="right") - 1
    inside = np.maximum(at, 0)
    spent = np.minimum(begin - times[inside], holds[inside])
    skipped: NDArray[np.int64] = np.where(at < 0, 0, before[inside] + values[inside] * spent)
    return before - skipped


_TELLING = (Quality.ESTIMATE, Quality.SUSPECT)
"""Codes that what is made of several readings has where one of them has it, the worse one first."""


def _codes(series: Series, holds: NDArray[np.int64], window_ms: int) -> NDArray[np.uint8]:
    """Return the code of what is made of the readings held in [t - window, t), for each reading."""
    is_any = [
        _in_window(series.times_utc_ms, holds, (series.quality == code).astype(np.int64), window_ms)
        > 0
        for code in _TELLING
    ]
    return _worse(*is_any)


def _worse(estimated: NDArray[np.bool_], suspect: NDArray[np.bool_]) -> NDArray[np.uint8]:
    codes = np.where(suspect, np.uint8(Quality.SUSPECT), np.uint8(Quality.GOOD))
    worse: NDArray[np.uint8] = np.where(estimated, np.uint8(Quality.ESTIMATE), codes)
    return worse


def _with_values(
    series: Series,
    which: NDArray[np.bool_],
    values: NDArray[np.float64],
    codes: NDArray[np.uint8],
) -> Series:
    return Series(series.times_utc_ms[which], values, codes[which], series.interval_ms[which])
