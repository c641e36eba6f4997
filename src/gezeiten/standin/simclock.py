"""The true time of a stand-in: the computer's, moved and sped up for demonstrations."""

from __future__ import annotations

import time


class SimClock:
    """UTC milliseconds that start at `base_ms` and run `speed` times as fast as the wall clock."""

    def __init__(self, base_ms: float | None = None, speed: float = 1.0) -> None:
        self.set(time.time() * 1000 if base_ms is None else base_ms, speed)

    def set(self, base_ms: float, speed: float) -> None:
        """Jump to an instant and go on from there at a speed."""
        self._base_ms = base_ms
        self.speed = speed
        self._since = time.monotonic()

    def now_ms(self) -> float:
        """Return the present instant."""
        return self._base_ms + (time.monotonic() - self._since) * 1000 * self.speed
