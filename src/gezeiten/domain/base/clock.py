"""How far a logger's clock is off.

Source: docs/calculations.md, "Time": the midpoint of the shortest of five round trips, uncertain by
half that round trip.
"""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.errors import InputError

ROUND_TRIPS = 5


@dataclass(frozen=True, slots=True)
class RoundTrip:
    """One question for the time: computer's UTC ms before and after, the logger's answer."""

    sent_ms: float
    received_ms: float
    logger_ms: float


@dataclass(frozen=True, slots=True)
class ClockDifference:
    """Logger minus computer, ms; positive when the logger is ahead."""

    difference_ms: float
    uncertainty_ms: float


def clock_difference(trips: list[RoundTrip]) -> ClockDifference:
    """Return the difference from the shortest round trip.

    Raises:
        InputError: no round trip was given.
    """
    if not trips:
        raise InputError("The clock was not read; contact the logger again.")
    best = min(trips, key=lambda trip: trip.received_ms - trip.sent_ms)
    middle = (best.sent_ms + best.received_ms) / 2
    return ClockDifference(best.logger_ms - middle, (best.received_ms - best.sent_ms) / 2)
