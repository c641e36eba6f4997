"""Which mission the readings of blocks belong to, and what that says of the interval at each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.local_cache.cutting import Column
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.series.spacing import NEIGHBOURS, intervals_of_mission, intervals_of_text


@dataclass(frozen=True, slots=True)
class BlockOwner:
    """What readings in a block belong to: the id of a mission, and its intervals; of a text there
    are none."""

    mission: str
    is_text: bool
    usual_ms: int = 0
    shorter_ms: int = 0

    @property
    def needs_neighbours(self) -> bool:
        """Whether the interval in force at a reading depends on those around it."""
        return self.is_text or self.shorter_ms > 0

    def intervals(self, column: Column) -> NDArray[np.int64]:
        """Return the interval in force at each reading, int64 (n,)."""
        if self.is_text:
            return intervals_of_text(column.times)
        return intervals_of_mission(column.numbers, column.times, self.usual_ms, self.shorter_ms)


def neighbouring_blocks(counts: Sequence[int], i: int) -> Range:
    """Return block i and those beside it that hold the readings on which its intervals depend.

    counts: readings of each block of a channel, in order.
    """
    first, end, many = i, i + 1, 2 * NEIGHBOURS
    while first > 0 and sum(counts[first:i]) < many:
        first -= 1
    while end < len(counts) and sum(counts[i + 1 : end]) < many:
        end += 1
    return (first, end)
