"""Since when, and until when, a sensor was in its place, as its readings show it: carried, warmed
in a hand, lifted out of the water. It only proposes: a person decides.

Source: docs/calculations.md, "Corrections".
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import HOUR_MS, Span, Values

LOOKED_AT_MS = 12 * HOUR_MS
"""So long from either end a sensor may not have been in its place yet, or any more."""
_BESIDE_MS = 48 * HOUR_MS
_STAYS_MS = HOUR_MS // 2
_LONGEST_VISIT_MS = 3 * HOUR_MS
_TO_SIGMA, _SIGMAS = 1.4826, 3.0
_LEAST = 20


def visit_span(known_ms: Iterable[int], at_ms: int) -> Span:
    """Return from when to when somebody was there around an instant, as far as that is known: all
    that was done there, each within an hour of the next, at most three hours either way.

    Args:
        known_ms: instants at which somebody was there.
    """
    near = sorted(one for one in {*known_ms, at_ms} if abs(one - at_ms) <= _LONGEST_VISIT_MS)
    place = near.index(at_ms)
    first = last = place
    while first > 0 and near[first] - near[first - 1] <= HOUR_MS:
        first -= 1
    while last < len(near) - 1 and near[last + 1] - near[last] <= HOUR_MS:
        last += 1
    return (near[first], near[last])


def span_before_in_place(series: Series) -> Span | None:
    """Return the stretch at the beginning in which a sensor was not in its place yet, None where
    its readings say nothing of one.

    Args:
        series: from its first reading on, for at least 60 hours where there are as many.

    Its readings lie outside what the 48 hours behind the first twelve hold, widened by three robust
    standard deviations of its changes; it is in its place once they stay inside for half an hour.
    """
    if not len(series):
        return None
    times = series.times_utc_ms
    end = _settled(times - times[0], series.values)
    return None if not end else (int(times[0]), int(times[end]))


def span_after_removal(series: Series) -> Span | None:
    """Return the stretch at the end in which a sensor was not in its place any more; as
    `span_before_in_place`, with time turned round.

    Args:
        series: up to its last reading.
    """
    if not len(series):
        return None
    times = series.times_utc_ms
    count = _settled((times[-1] - times)[::-1], series.values[::-1])
    return None if not count else (int(times[len(times) - count]), int(times[-1]) + 1)


def _settled(since_ms: NDArray[np.int64], values: Values) -> int:
    """Return how many readings from an end on lie outside, until they stay inside; 0 where none do,
    or where all of what is looked at does."""
    usual = values[(since_ms >= LOOKED_AT_MS) & (since_ms < LOOKED_AT_MS + _BESIDE_MS)]
    near = int(np.searchsorted(since_ms, LOOKED_AT_MS))
    if len(usual) < _LEAST or not near:
        return 0
    changes = np.abs(np.diff(usual))
    wider = _SIGMAS * _TO_SIGMA * float(np.median(changes))
    low, high = float(usual.min()) - wider, float(usual.max()) + wider
    outside = (values[:near] < low) | (values[:near] > high)
    if not outside[0]:
        return 0
    last_out = 0
    for place in np.flatnonzero(outside).tolist():
        if since_ms[place] - since_ms[last_out] > _STAYS_MS:
            break
        last_out = place
    return last_out + 1 if last_out + 1 < near else 0
