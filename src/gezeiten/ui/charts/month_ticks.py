"""Ticks of long axes: the first days of months and years, in local time."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from gezeiten.domain.series.timeline import DAY_MS, Span, from_ms, midnight_ms

LONGEST_MONTH_MS = 31 * DAY_MS
_MONTHS = (1, 2, 3, 6, 12, 24, 60, 120)


def months_between_ticks(length_ms: float, most: int) -> int:
    """Return how many months lie between ticks, so that there are at most so many."""
    fitting = (months for months in _MONTHS if length_ms <= months * LONGEST_MONTH_MS * most)
    return next(fitting, _MONTHS[-1])


def month_ticks(span: Span, zone: str, months: int) -> Iterator[int]:
    """Yield the instants in a stretch, UTC ms, at which every so many months begin, counted from
    the year 0."""
    begin = from_ms(span[0], zone).date()
    month = (begin.year * 12 + begin.month - 1) // months * months
    while month // 12 < date.max.year:
        at = midnight_ms(date(month // 12, month % 12 + 1, 1), zone)
        if at >= span[1]:
            return
        if at >= span[0]:
            yield at
        month += months


def month_pattern(months: int) -> str:
    """Return how such ticks are written, in the signs of QLocale."""
    return "yyyy" if months >= 12 else "MMM yyyy"
