"""Whether check readings were made as often as a point asks for: "twice on working days".

Source: docs/calculations.md, "Check readings".
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from gezeiten.domain.series.timeline import Span, from_ms, local_days

_SATURDAY = 5


@dataclass(frozen=True, slots=True)
class CheckScheduleDay:
    """A local day on which checks were due: how many there were, of how many."""

    day: date
    readings: int
    due: int

    @property
    def is_met(self) -> bool:
        """Whether there were as many as due."""
        return self.readings >= self.due


def schedule_days(
    looks_ms: Iterable[int], span: Span, zone: str, a_day: int, *, working_days: bool
) -> list[CheckScheduleDay]:
    """Return the days of [start, end) on which checks were due, in order.

    A day that the stretch does not hold whole is left out: more may come. Working days are Monday
    to Friday; holidays are not known. Several values of one instant are one look.
    """
    made = Counter(from_ms(at, zone).date() for at in set(looks_ms))
    return [
        CheckScheduleDay(day, made[day], a_day)
        for day, (begin, end) in local_days(*span, zone)
        if not (working_days and day.weekday() >= _SATURDAY) and _is_whole_day(begin, end, span)
    ]


def _is_whole_day(begin_ms: int, end_ms: int, span: Span) -> bool:
    return span[0] <= begin_ms and end_ms <= span[1]
