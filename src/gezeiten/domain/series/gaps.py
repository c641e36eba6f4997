"""Gaps: stretches longer than 1.5 intervals without a reading where there should be one.

A gap begins at the first instant at which a reading was due and none came, and ends with the
next reading; its length is the number of missing readings times the interval.
Source: docs/calculations.md, "Holding, gaps, time outside".
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gezeiten.domain.series.series import HOLD_FACTOR, Series, gaps_after
from gezeiten.domain.series.timeline import Span


@dataclass(frozen=True, slots=True)
class Gap:
    """[start_ms, end_ms): first missing due instant to the next reading (or end of duty)."""

    start_ms: int
    end_ms: int
    interval_ms: int

    @property
    def length_ms(self) -> int:
        """From the first missing due instant to the next reading."""
        return self.end_ms - self.start_ms

    @property
    def missing(self) -> int:
        """How many readings are missing (at least one)."""
        return max(1, round(self.length_ms / self.interval_ms))


def find_gaps(series: Series, schedule: Span | None = None) -> list[Gap]:
    """Return the gaps of a series, oldest first.

    Args:
        series: the readings; estimated ones close a gap like measured ones.
        schedule: from the first due reading to the instant up to which readings are due;
            None looks only between readings.
    """
    gaps: list[Gap] = []
    times, intervals = series.times_utc_ms, series.interval_ms
    if not len(times):
        return gaps
    if schedule and times[0] - schedule[0] > HOLD_FACTOR * intervals[0]:
        gaps.append(Gap(int(schedule[0]), int(times[0]), int(intervals[0])))
    for i in gaps_after(times, intervals):
        step = int(intervals[i])
        gaps.append(Gap(int(times[i]) + step, int(times[i + 1]), step))
    if schedule and schedule[1] - times[-1] > HOLD_FACTOR * intervals[-1]:
        step = int(intervals[-1])
        gaps.append(Gap(int(times[-1]) + step, int(schedule[1]), step))
    return gaps


def covered_spans(series: Series) -> list[Span]:
    """Return the stretches without a gap, each from its first reading to the end of its hold."""
    times, intervals = series.times_utc_ms, series.interval_ms
    if not len(times):
        return []
    wide = gaps_after(times, intervals)
    firsts = np.concatenate(([0], wide + 1))
    lasts = np.concatenate((wide, [len(times) - 1]))
    return [
        (int(times[a]), int(times[b]) + int(intervals[b]))
        for a, b in zip(firsts, lasts, strict=True)
    ]
