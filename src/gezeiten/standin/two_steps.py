"""Commands in two steps: prepared under a token, done by a commit that names the token.

A connection cut at any message then leaves a command done as a whole, or not at all.
"""

from __future__ import annotations

from collections.abc import Callable

from gezeiten.link import registers as reg
from gezeiten.standin.simclock import SimClock

Obey = Callable[[int, int, int], reg.Refusal]
"""Command, argument and expected count; returns why it was refused, or NONE."""


class TwoSteps:
    """refusal: why the last commit was refused."""

    def __init__(self, clock: SimClock, obey: Obey) -> None:
        self._clock, self._obey = clock, obey
        self.refusal = reg.Refusal.NONE
        self._prepared: tuple[int, int, int, int] | None = None
        self._prepared_ms = 0.0

    def prepare(
        self, command: int, token: int, argument: int, expected: int = reg.ANY_COUNT
    ) -> None:
        """First step: remember what is to be done; nothing changes."""
        self._prepared = (command, token, argument, expected)
        self._prepared_ms = self._clock.now_ms()

    def commit(self, token: int) -> bool:
        """Second step: do what was prepared under this token; False with `refusal` set."""
        prepared, self._prepared = self._prepared, None
        if prepared is None:
            self.refusal = reg.Refusal.NOT_PREPARED
        elif self._age_ms() > reg.PREPARED_FOR_MS:
            self.refusal = reg.Refusal.PREPARED_TOO_LONG_AGO
        elif token != prepared[1]:
            self.refusal = reg.Refusal.WRONG_TOKEN
        else:
            command, _, argument, expected = prepared
            self.refusal = self._obey(command, argument, expected)
        return self.refusal is reg.Refusal.NONE

    def _age_ms(self) -> float:
        return (self._clock.now_ms() - self._prepared_ms) / max(self._clock.speed, 1.0)
