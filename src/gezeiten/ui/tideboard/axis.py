"""Where the Tideboard's axis has its ticks: days or months, as many as there is room for."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, Span, from_ms, midnight_ms
from gezeiten.ui.charts.month_ticks import month_pattern, month_ticks, months_between_ticks

HOURS = "HH:mm"
"""Pattern of a tick within a day; the others are of days."""
_DAYS = (1, 2, 7, 14)


def ticks(span: Span, now_ms: int, zone: str, most: int) -> Iterator[tuple[int, str]]:
    """Yield instants (UTC ms) in a stretch, evenly spaced in local time, at most so many, and how
    each is written (in the signs of QLocale). Days are counted from today, months are calendar
    months."""
    length = span[1] - span[0]
    if length <= most * DAY_MS // 2:
        yield from _hours(span, zone, most)
        return
    for days in _DAYS:
        if length <= days * DAY_MS * most:
            yield from _by_days(span, now_ms, zone, days)
            return
    months = months_between_ticks(length, most)
    yield from ((at, month_pattern(months)) for at in month_ticks(span, zone, months))


def _hours(span: Span, zone: str, most: int) -> Iterator[tuple[int, str]]:
    step = next((h for h in (1, 2, 3, 6) if span[1] - span[0] <= h * HOUR_MS * most), 12)
    at = midnight_ms(from_ms(span[0], zone).date(), zone)
    while at < span[1]:
        if at >= span[0]:
            yield at, HOURS if from_ms(at, zone).hour else "d MMM"
        at += step * HOUR_MS


def _by_days(span: Span, now_ms: int, zone: str, days: int) -> Iterator[tuple[int, str]]:
    today = from_ms(now_ms, zone).date()
    first = (span[0] - now_ms) // (days * DAY_MS) - 1
    last = (span[1] - now_ms) // (days * DAY_MS) + 1
    for i in range(first, last + 1):
        at = midnight_ms(today + timedelta(days=days * i), zone)
        if span[0] <= at < span[1]:
            yield at, "d MMM"
