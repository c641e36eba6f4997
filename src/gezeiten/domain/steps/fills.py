"""What fills a gap: the readings of a straight line, or estimates that stand in an action.

Source: docs/calculations.md, "Fills". No fill is offered without its expected error, which is
measured in `filling/`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, make_series

End: TypeAlias = tuple[int, float]
"""A reading at the end of a gap: UTC ms and value."""
DEFAULT_LINE_LIMIT_S = 2 * 3600


@dataclass(frozen=True, slots=True)
class ExpectedError:
    """Error of a fill as measured on known stretches of the gap's length, in the series' unit.

    low and high bound 95 % of single readings, beside what is filled in, lows and highs those at
    each of them. caution: why errors can be larger here, "" where nothing says so.
    """

    rmse: float
    low: float
    high: float
    stretches: int
    lows: tuple[float, ...] = ()
    highs: tuple[float, ...] = ()
    caution: str = ""


def half_band(facts: Mapping[str, Any], place: int) -> float:
    """Return half the width of the band of a filled reading, by its place among those of its gap;
    of what was filled before bands were kept for each that of the widest."""
    lows, highs = facts.get("lows") or (), facts.get("highs") or ()
    if 0 <= place < min(len(lows), len(highs)) and lows[place] is not None:
        return (float(highs[place]) - float(lows[place])) / 2
    return (float(facts["high"]) - float(facts["low"])) / 2


def straight_line(series: Series, gap: Gap) -> Series:
    """Return estimated readings at the gap's due instants, joined to the measured ends.

    Empty when the gap has no reading before or after it.
    """
    ends = line_ends(series, gap)
    if ends is None:
        return make_series(np.empty(0, np.int64), np.empty(0), 1)
    return line_readings(gap, *ends)


def line_ends(series: Series, gap: Gap) -> tuple[End, End] | None:
    """Return the readings (UTC ms, value) right before and right after a gap; None where one is
    missing."""
    before = int(np.searchsorted(series.times_utc_ms, gap.start_ms)) - 1
    after = before + 1
    if before < 0 or after >= len(series):
        return None
    start, end = ((int(series.times_utc_ms[i]), float(series.values[i])) for i in (before, after))
    return start, end


def line_readings(gap: Gap, start: End, end: End) -> Series:
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
    known = np.array([np.nan if value is None else value for value in values])
    return make_series(due, known, gap.interval_ms, Quality.ESTIMATE)
