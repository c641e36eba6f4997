"""Telling a press from the bounce of the one before, for acts that must not happen twice."""

from __future__ import annotations

from collections.abc import Callable

BOUNCE_S = 1.0
"""A second press within so many seconds of the first, or of what the first did, is none."""


class Presses:
    """seconds: a clock that only goes forward."""

    def __init__(self, seconds: Callable[[], float]) -> None:
        self._seconds = seconds
        self._last_s = float("-inf")

    def is_deliberate(self) -> bool:
        """Whether this is a press of its own; a bounce prolongs the wait."""
        now_s = self._seconds()
        is_fresh = now_s - self._last_s >= BOUNCE_S
        self._last_s = now_s
        return is_fresh

    def ended(self) -> None:
        """What a press has begun is over: the hand may still be on the key."""
        self._last_s = self._seconds()
