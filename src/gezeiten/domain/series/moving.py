"""Moving means and sums: what the readings of the time before each reading make together.

Source: docs/calculations.md, "Moving means".
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, holds_ms
from gezeiten.domain.series.timeline import Times, Values

ENOUGH_HELD = 0.75
"""Of the window; with less there is no value."""


_PARTS = 2**30
"""Of a unit, in which what is left of whole units is counted."""


def moving_mean(series: Series, window_ms: int) -> Series:
    """Return at each reading's instant t the mean of [t - window, t), weighted by held time.

    No value where less than `ENOUGH_HELD` of the window is held. It is an estimate where any held
    reading is one. Intervals are those of the readings. Sums are of whole numbers, a billionth of a
    unit the smallest: so a mean has the same bits wherever the series was cut.

    Args:
        series: (n,), in order of time, values below 1e9; window_ms: above zero, up to 30 days.
    """
    if not len(series):
        return series
    times = series.times_utc_ms
    holds = holds_ms(times, series.interval_ms)
    ones = np.ones(len(series), np.int64)
    held = _in_window(times, holds, ones, window_ms)
    enough = held >= ENOUGH_HELD * window_ms
    whole, parts = (_in_window(times, holds, one, window_ms)[enough]
                    for one in _whole_and_parts(series.values))  # fmt: skip
    means = (whole + parts / _PARTS) / held[enough]
    estimated = _in_window(times, holds, series.estimated.astype(np.int64), window_ms) > 0
    return _taken(series, enough, means, estimated[enough])


def moving_sum(series: Series, window_ms: int) -> Series:
    """Return at each reading's instant t the sum of the readings in (t - window, t]; for quantities
    whose readings stand for the time before them. Else like `moving_mean`."""
    if not len(series):
        return series
    times = series.times_utc_ms
    holds = holds_ms(times, series.interval_ms)
    held = _in_window(times, holds, np.ones(len(series), np.int64), window_ms)
    enough = held >= ENOUGH_HELD * window_ms
    first = np.searchsorted(times, times - window_ms, side="right")
    whole, parts, estimated = (
        _since(one, first)
        for one in (*_whole_and_parts(series.values), series.estimated.astype(np.int64))
    )
    sums = whole + parts / _PARTS
    return _taken(series, enough, sums[enough], estimated[enough] > 0)


def _whole_and_parts(values: Values) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    whole = np.rint(values)
    return whole.astype(np.int64), np.rint((values - whole) * _PARTS).astype(np.int64)


def _since(amounts: NDArray[np.int64], first: NDArray[np.intp]) -> NDArray[np.int64]:
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


def _taken(
    series: Series, which: NDArray[np.bool_], values: NDArray[np.float64],
    estimated: NDArray[np.bool_],
) -> Series:  # fmt: skip
    codes = np.where(estimated, np.uint8(Quality.ESTIMATE), np.uint8(Quality.GOOD))
    return Series(series.times_utc_ms[which], values, codes.astype(np.uint8),
                  series.interval_ms[which])  # fmt: skip
