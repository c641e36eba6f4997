"""When the readings of a simulated mission fall due, also where the interval changes.

While the last reading was outside an alarm limit, readings come at the shorter interval; the first
one inside again ends that, and the next comes on the usual grid.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.plan.plan import Plan, due_readings, last_reading_number
from gezeiten.domain.series.timeline import Times

_CHUNK_STEPS = 4096


class Timetable:
    """The due instants of one mission, by the logger's clock.

    outside: asked for logger-clock instants, shape (n,); returns where a reading would be outside
    an alarm limit. pauses: (from, until) in which its button had ended the mission; nothing falls
    due in them.
    """

    def __init__(
        self,
        plan: Plan,
        first_ms: int,
        outside: Callable[[Times], NDArray[np.bool_]],
        pauses: tuple[tuple[int, int], ...] = (),
    ) -> None:
        self._plan, self._first_ms, self._outside = plan, first_ms, outside
        self._pauses = pauses
        self._steps: list[int] = []
        self._next_step = 0
        self._was_outside = False

    @property
    def step_ms(self) -> int:
        """The grid on which due instants are counted; 0 where all are one interval apart."""
        plan = self._plan
        if plan.outside_interval_s:
            return plan.outside_interval_s * 1000
        return plan.interval_s * 1000 if plan.restart else 0

    def count(self, until_ms: int) -> int:
        """Return how many readings fell due up to and including an instant."""
        if not self.step_ms:
            return due_readings(self._plan, self._first_ms, until_ms)
        if until_ms < self._first_ms:
            return 0
        last_ms = until_ms
        if self._plan.end == "at":
            last_ms = min(last_ms, self._plan.end_ms - 1)
        last_step = (last_ms - self._first_ms) // self.step_ms
        self._extend(last_step)
        due = int(np.searchsorted(np.array(self._steps, np.int64), last_step, side="right"))
        if self._plan.end == "count":
            most = last_reading_number(self._plan, self._first_ms)
            return due if most is None else min(due, most)
        return due

    def steps(self, index: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return after how many short steps readings fell due; index must have fallen due."""
        return np.array(self._steps, np.int64)[index]

    def times(self, index: NDArray[np.int64]) -> Times:
        """Return when readings fell due, logger-clock ms."""
        if not self.step_ms:
            return self._first_ms + index * self._plan.interval_s * 1000
        return self._first_ms + self.steps(index) * self.step_ms

    def _extend(self, last_step: int) -> None:
        usual = self._plan.interval_s * 1000 // self.step_ms
        while self._next_step <= last_step:
            begin = self._next_step
            end = begin + _CHUNK_STEPS
            grid = np.arange(begin, end, dtype=np.int64)
            times = self._first_ms + grid * self.step_ms
            flags = self._outside(times) if usual > 1 else np.zeros(len(times), np.bool_)
            awake = np.ones(len(times), np.bool_)
            for since, until in self._pauses:
                awake &= (times <= since) | (times > until)
            for step, is_outside, is_awake in zip(
                range(begin, end), flags.tolist(), awake.tolist(), strict=True
            ):
                if is_awake and (self._was_outside or step % usual == 0):
                    self._steps.append(step)
                    self._was_outside = is_outside
            self._next_step = end
