"""A series calculated from others: reading by reading, at the instants of the first.

Source: docs/calculations.md, "Calculated series".
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import Averages, quantity
from gezeiten.domain.series.quality import Quality, worst
from gezeiten.domain.series.series import HOLD_FACTOR, Series, make_series
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.domain.steps.formulas.formula import LONGEST_MS, TIMES, Formula, Role
from gezeiten.domain.steps.sensor_depth import SensorDepth, at_each

EXTRA_DECIMALS = 2
"""Calculated values are rounded to so many decimals more than their quantity is said with: exp and
log may differ in the last bit between computers, what is handed over must not."""


def derive(
    formula: Formula,
    parameters: Mapping[str, float],
    inputs: Sequence[tuple[Series, str]],
    channel: str,
    depths: Sequence[SensorDepth] = (),
) -> Series:
    """Return the calculated readings of one or more of the first input's.

    Each has the first input's instant and interval, the other inputs' values at that instant
    (`at_instants`), and the worst of all their qualities. Where one has no value there is none.

    Args:
        inputs: by role, with the channel of each; of the others at least one reading beside the
            stretch of the first on either side, where there is one. Of a formula that looks back
            over a window, the first with the readings of the window before and one more; what comes
            out begins there as well, and is cut off by who asks.
        channel: what is calculated, for its decimals. depths: how the sensor hangs, of a formula
        that             wants to know it.
    """
    first = inputs[0][0]
    if formula.over is not None:
        return _over(formula, parameters, first, channel)
    values, codes = [first.values], [first.quality]
    for role, (series, its_channel) in zip(formula.roles[1:], inputs[1:], strict=True):
        averages = quantity(its_channel).averages
        its, qualities = at_instants(series, first.times_utc_ms, role, averages)
        values.append(its)
        codes.append(qualities)
    numbers: Mapping[str, Any] = parameters
    if formula.uses_sensor_depth:
        numbers = {**parameters, **at_each(depths, first.times_utc_ms)}
    if formula.uses_times:
        numbers = {**numbers, TIMES: first.times_utc_ms}
    with np.errstate(all="ignore"):  # a formula says by NaN that there is no value
        made, is_suspect = formula.apply(tuple(values), numbers)
    made = np.where(np.isfinite(made), made, np.nan)
    suspect = np.where(is_suspect, np.uint8(Quality.SUSPECT), np.uint8(Quality.GOOD))
    rounded = np.round(made, quantity(channel).decimals + EXTRA_DECIMALS) + 0.0  # no -0.0
    return make_series(first.times_utc_ms, rounded, first.interval_ms, worst(*codes, suspect))


def _over(formula: Formula, parameters: Mapping[str, float], first: Series, channel: str) -> Series:
    assert formula.over is not None  # asked before
    made = formula.over(first, parameters, formula.window_ms(parameters))
    rounded = np.round(made.values, quantity(channel).decimals + EXTRA_DECIMALS) + 0.0
    return make_series(made.times_utc_ms, rounded, made.interval_ms, made.quality)


def at_instants(
    series: Series, times_utc_ms: Times, role: Role, averages: Averages = "plain"
) -> tuple[Values, NDArray[np.uint8]]:
    """Return what a series has at some instants: values, NaN where none, and qualities; (n,) each.

    A reading at the instant itself stands. Between neighbours that are near enough (`Role`) it is
    interpolated, a direction on the circle, a sum never; the quality is the worse of the two.
    """
    values = np.full(len(times_utc_ms), np.nan)
    codes = np.full(len(times_utc_ms), Quality.MISSING, np.uint8)
    if not len(series):
        return values, codes
    after = series.times_utc_ms.searchsorted(times_utc_ms)
    at = np.minimum(after, len(series) - 1)
    is_same = series.times_utc_ms[at] == times_utc_ms
    values[is_same], codes[is_same] = series.values[at[is_same]], series.quality[at[is_same]]
    if averages == "sum":
        return values, codes
    is_between = ~is_same & (after > 0) & (after < len(series))
    b = after[is_between]
    a = b - 1
    apart = series.times_utc_ms[b] - series.times_utc_ms[a]
    near = apart <= _longest_ms(series.interval_ms[a], role)
    a, b, apart = a[near], b[near], apart[near]
    wanted = np.flatnonzero(is_between)[near]
    part = (times_utc_ms[wanted] - series.times_utc_ms[a]) / apart
    rise = series.values[b] - series.values[a]
    if averages == "direction":
        rise = (rise + 180) % 360 - 180
    between = series.values[a] + rise * part
    values[wanted] = between % 360 if averages == "direction" else between
    codes[wanted] = worst(series.quality[a], series.quality[b])
    return values, codes


def _longest_ms(interval_ms: NDArray[np.int64], role: Role) -> NDArray[np.float64]:
    held = interval_ms.astype(np.float64) * HOLD_FACTOR
    if role.longest_ms is None:
        return np.minimum(held, LONGEST_MS)
    return np.clip(held, role.longest_ms, role.most_ms or role.longest_ms)
