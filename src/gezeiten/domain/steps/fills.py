"""Fills from the series itself: a straight line, with its expected error measured by hiding.

Source: docs/calculations.md, "Fills". No fill is offered without its expected error.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import HOLD_FACTOR, Series, make_series
from gezeiten.domain.series.timeline import DAY_MS, Span, Values

End: TypeAlias = tuple[int, float]
"""A reading at the end of a gap: UTC ms and value."""
HIDDEN_STRETCHES = 40
DEFAULT_LINE_LIMIT_S = 2 * 3600


@dataclass(frozen=True, slots=True)
class ExpectedError:
    """Error of a method on known stretches of the gap's length, in the series' unit.

    low and high bound the central 95 % of the errors (filled minus known).
    """

    rmse: float
    low: float
    high: float
    stretches: int


def straight_line(series: Series, gap: Gap) -> Series:
    """Return estimated readings at the gap's due instants, joined to the measured ends.

    Empty when the gap has no reading before or after it.
    """
    ends = line_ends(series, gap)
    if ends is None:
        return make_series(np.empty(0, np.int64), np.empty(0), 1)
    return line_between(gap, *ends)


def line_ends(series: Series, gap: Gap) -> tuple[End, End] | None:
    """Return the readings (UTC ms, value) right before and right after a gap; None where one is
    missing."""
    before = int(np.searchsorted(series.times_utc_ms, gap.start_ms)) - 1
    after = before + 1
    if before < 0 or after >= len(series):
        return None
    start, end = ((int(series.times_utc_ms[i]), float(series.values[i])) for i in (before, after))
    return start, end


def line_between(gap: Gap, start: End, end: End) -> Series:
    """Return estimated readings on the straight line from one reading to another, at the instants
    at which those of a gap were due. Plain arithmetic in one order: the same bits everywhere."""
    due = np.arange(gap.start_ms, gap.end_ms, gap.interval_ms, dtype=np.int64)
    # no reading closer than half an interval to the one that ends the gap
    due = due[due <= gap.end_ms - gap.interval_ms // 2]
    part = (due - start[0]) / (end[0] - start[0])
    values = start[1] + (end[1] - start[1]) * part
    return make_series(due, values, gap.interval_ms, Quality.ESTIMATE)


def estimates_in(gap: Gap, values: Sequence[float | None]) -> Series:
    """Return estimated readings of a gap: values at its due instants from the first on, None where
    there is none."""
    due = gap.start_ms + np.arange(len(values), dtype=np.int64) * gap.interval_ms
    known = np.array([np.nan if one is None else one for one in values])
    return make_series(due, known, gap.interval_ms, Quality.ESTIMATE)


def expected_line_error(
    series: Series, gap: Gap, stretches: int = HIDDEN_STRETCHES
) -> ExpectedError | None:
    """Hide known stretches as long as the gap, fill them by straight lines, compare.

    The stretches are spread evenly over the measured record around the gap (as far as fifty
    gap lengths or three days either way, whichever is more); none touches the gap or holds a
    gap itself. None when fewer than five stretches are to be had.
    """
    measured = _measured_around(series, gap)
    length = gap.missing
    n = len(measured)
    if n < length + 2:
        return None
    starts = _whole_stretches(measured, length)
    if len(starts) < 5:
        return None
    chosen = starts[np.unique(np.linspace(0, len(starts) - 1, stretches).round().astype(int))]
    offsets = np.arange(1, length + 1)
    known = measured.values[chosen[:, None] + offsets]
    ends = measured.values[chosen + length + 1] - measured.values[chosen]
    line = measured.values[chosen][:, None] + ends[:, None] * (offsets / (length + 1))
    return _summary(line - known)


def reach(gap: Gap) -> Span:
    """Return the stretch whose readings tell how far a line over a gap may be off."""
    beside_ms = max(50 * gap.length_ms, 3 * DAY_MS)
    return (gap.start_ms - beside_ms, gap.end_ms + beside_ms)


def _measured_around(series: Series, gap: Gap) -> Series:
    """The measured readings around the gap. The two that bound it are left in: hiding uses
    only whole stretches, so the gap itself is never part of one."""
    around = series.between(*reach(gap))
    keep = ~around.estimated
    return around.part(keep)


def _whole_stretches(measured: Series, length: int) -> np.ndarray[tuple[int], np.dtype[np.intp]]:
    """Indices i such that readings i .. i+length+1 follow each other without a gap."""
    wide = np.diff(measured.times_utc_ms) > HOLD_FACTOR * measured.interval_ms[:-1]
    breaks = np.concatenate(([0], np.cumsum(wide)))
    last = len(measured) - length - 1
    return np.flatnonzero(breaks[length + 1 :] == breaks[:last])


def _summary(errors: Values) -> ExpectedError:
    low, high = np.percentile(errors, (2.5, 97.5))
    rmse = float(np.sqrt(np.mean(errors**2)))
    return ExpectedError(rmse, float(low), float(high), len(errors))
