"""Thinning: a mission looked at by every n-th reading, or by means with their extremes.

Thinned values give an overview and are no record: what they stand for counts as to offload.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.series.timeline import Values

MOST_EVERY = 65_535
"""A logger is asked for one value of so many readings at most."""


class ThinKind(StrEnum):
    """What one value of an overview is."""

    NTH = "nth"  # the first reading of its group, as measured
    MEANS = "means"  # the mean of its group, with lowest and highest


@dataclass(frozen=True, slots=True)
class Thinning:
    """One value for every `every` readings of [first, end), counted from `first` on.

    A group that is not full has no mean; of its readings the first one still is an n-th.
    """

    kind: ThinKind
    every: int
    first: int
    end: int

    @property
    def is_possible(self) -> bool:
        """Whether it asks for at least one value."""
        asks = 2 <= self.every <= MOST_EVERY and 0 <= self.first < self.end
        return asks and self.values > 0

    @property
    def values(self) -> int:
        """How many values it gives a channel; none where it asks for nonsense."""
        if self.every < 1:
            return 0
        readings = self.end - self.first
        return readings // self.every if self.kind == ThinKind.MEANS else -(-readings // self.every)

    def readings_of(self, first: int, end: int) -> Range:
        """Return the numbers of the readings that the values [first, end) stand for."""
        return (self.first + first * self.every, min(self.first + end * self.every, self.end))

    def first_ms(self, mission_first_ms: int, interval_ms: int) -> int:
        """Return the instant of value 0: a mean stands in the middle of its readings."""
        begin = mission_first_ms + self.first * interval_ms
        half = (self.every - 1) * interval_ms // 2
        return begin + half if self.kind == ThinKind.MEANS else begin


def seems_outside(
    rule: LimitRule, values: Values, lows: Values | None, highs: Values | None
) -> NDArray[np.bool_]:
    """Return where an overview reaches beyond a limit on the value, whatever its delay and window.

    values: shape (n,); lows, highs: of each group, None where single readings are shown.
    """
    reach = highs if rule.side == "above" else lows
    return rule.outside(values if reach is None else reach)


def group_figures(values: Values, every: int) -> tuple[Values, Values, Values]:
    """Return mean, lowest and highest of each full group of `every` values.

    values: float64 (n,); NaN is "no value" and left out; a group without any value gives NaN. An
    unfinished last group gives nothing. Returns three arrays of shape (n // every,).
    """
    full = len(values) // every
    groups = values[: full * every].reshape(full, every)
    known: NDArray[np.bool_] = np.isfinite(groups)
    count = known.sum(axis=1)
    some = count > 0
    means = np.full(full, np.nan)
    np.divide(np.where(known, groups, 0.0).sum(axis=1), count, out=means, where=some)
    lows = np.where(some, np.where(known, groups, np.inf).min(axis=1, initial=np.inf), np.nan)
    highs = np.where(some, np.where(known, groups, -np.inf).max(axis=1, initial=-np.inf), np.nan)
    return means, lows, highs
