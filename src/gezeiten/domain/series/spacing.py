"""The interval in force at each reading, told from its neighbours alone.

So it depends on which readings there are, never on how they came.
Source: docs/calculations.md, "Holding, gaps, time outside".
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Times

NEIGHBOURS = 4
"""So many distances on either side say how far apart readings are that carry no numbers."""
LONE_MS = 60_000
"""Interval of a single reading that has no neighbour."""


def intervals_of_mission(
    numbers: NDArray[np.int64], times_utc_ms: Times, usual_ms: int, shorter_ms: int
) -> NDArray[np.int64]:
    """Return the interval in force at each reading of a mission, int64 (n,).

    The distance to the next reading says which of both it is; a reading whose next one is not there
    has that of the reading before it, or the usual one where that is not there either.

    Args:
        numbers: reading numbers, int64 (n,), strictly increasing; times_utc_ms: (n,).
        usual_ms: the interval of the plan.
        shorter_ms: the other one, while a value is outside its limits; 0 where it never changes.
    """
    if not shorter_ms or len(numbers) < 2:
        return np.broadcast_to(np.int64(usual_ms), len(numbers))  # the same for all takes no room
    force = np.full(len(numbers), usual_ms, np.int64)
    is_next = np.diff(numbers) == 1
    force[:-1][is_next & (np.diff(times_utc_ms) <= shorter_ms)] = shorter_ms
    last_of_run = np.flatnonzero(is_next & ~np.append(is_next[1:], False)) + 1
    force[last_of_run] = force[last_of_run - 1]
    return force


def intervals_of_text(times_utc_ms: Times) -> NDArray[np.int64]:
    """Return the interval in force at each reading of a source without numbers, int64 (n,).

    It is the usual distance before the reading or after it, whichever is longer: the lower median
    of up to NEIGHBOURS distances. So a hole is one, and a change of spacing is none.

    Args:
        times_utc_ms: (n,), strictly increasing.
    """
    if len(times_utc_ms) < 2:
        return np.full(len(times_utc_ms), LONE_MS, np.int64)
    distances = np.diff(times_utc_ms)
    if (distances == distances[0]).all():
        return np.full(len(times_utc_ms), distances[0], np.int64)
    after = _usual_from(distances)
    before = _usual_from(distances[::-1])[::-1]
    force = np.zeros(len(times_utc_ms), np.int64)
    force[:-1] = after
    np.maximum(force[1:], before, out=force[1:])
    return force


def _usual_from(distances: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return for each distance the lower median of it and those after it, NEIGHBOURS in all; at the
    end, where fewer follow, of the last ones."""
    width = min(NEIGHBOURS, len(distances))
    windows = np.lib.stride_tricks.sliding_window_view(distances, width)
    middle = (width - 1) // 2
    usual = np.partition(windows, middle, axis=1)[:, middle]
    return np.append(usual, np.full(width - 1, usual[-1]))
