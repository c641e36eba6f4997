"""Instants, days and lengths of time. All instants are UTC in signed 64-bit milliseconds.

Days are those of the site: between two local midnights, so 23 or 25 hours long when the
clocks change. Source: docs/calculations.md, "Time".
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from typing import TypeAlias
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from gezeiten.errors import RepeatedHourError, SkippedHourError

Times: TypeAlias = NDArray[np.int64]
"""UTC milliseconds, shape (n,), strictly increasing."""
Values: TypeAlias = NDArray[np.float64]

SECOND_MS = 1_000
MINUTE_MS = 60 * SECOND_MS
HOUR_MS = 60 * MINUTE_MS
DAY_MS = 24 * HOUR_MS

EVER_MS = 2**62
"""End of what has none."""
Span: TypeAlias = tuple[int, int]
"""A stretch of time [start_ms, end_ms), UTC."""
EVERYTHING: Span = (-EVER_MS, EVER_MS)
"""All of time: of what changed where it is not known in which part of it."""


def from_ms(utc_ms: int, zone: str = "UTC") -> datetime:
    """Return the aware local datetime of an instant in an IANA zone."""
    seconds, ms = divmod(int(utc_ms), 1000)
    moment = datetime.fromtimestamp(seconds, UTC) + timedelta(milliseconds=ms)
    return moment.astimezone(ZoneInfo(zone))


def next_full_hour_ms(utc_ms: int, zone: str) -> int:
    """Return the next instant when clocks of a zone show a full hour (of half-hour zones too)."""
    local = from_ms(utc_ms, zone)
    into_hour_ms = local.minute * 60_000 + local.second * 1000 + local.microsecond // 1000
    return utc_ms - into_hour_ms + HOUR_MS


def to_ms(moment: datetime) -> int:
    """Return the UTC milliseconds of an aware datetime."""
    if moment.tzinfo is None:
        raise ValueError("an instant needs a time zone")
    delta = moment - datetime(1970, 1, 1, tzinfo=UTC)
    return (delta.days * 86_400 + delta.seconds) * 1000 + delta.microseconds // 1000


def iso_utc(utc_ms: int) -> str:
    """Return ISO 8601 with a Z; milliseconds only where there are any."""
    moment = from_ms(utc_ms)
    spec = "milliseconds" if utc_ms % 1000 else "seconds"
    return moment.replace(tzinfo=None).isoformat(timespec=spec) + "Z"


def iso_local(utc_ms: int, zone: str) -> str:
    """Return ISO 8601 local time with its offset from UTC."""
    spec = "milliseconds" if utc_ms % 1000 else "seconds"
    return from_ms(utc_ms, zone).isoformat(timespec=spec)


def midnight_ms(day: date, zone: str) -> int:
    """Return the instant at which a local day begins."""
    return to_ms(datetime(day.year, day.month, day.day, tzinfo=ZoneInfo(zone)))


def utc_offsets_ms(times_utc_ms: Times, zone: str) -> NDArray[np.int64]:
    """Return for each instant, shape (n,), what is added to UTC for the site's wall clock, ms."""
    if not len(times_utc_ms):
        return np.zeros(0, np.int64)
    changes, offsets = _offset_changes(int(times_utc_ms.min()), int(times_utc_ms.max()), zone)
    return offsets[np.searchsorted(changes, times_utc_ms, side="right")]


def _offset_changes(
    start_ms: int, end_ms: int, zone: str
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the instants at which the offset changes, and the offsets before and after each."""

    def offset_ms(at_ms: int) -> int:
        delta = from_ms(at_ms, zone).utcoffset()
        return round(delta.total_seconds() * 1000) if delta else 0

    changes, offsets = [], [offset_ms(start_ms)]
    for low in range(start_ms, end_ms, 7 * DAY_MS):
        high = min(low + 7 * DAY_MS, end_ms)
        before = offset_ms(low)
        if offset_ms(high) == before:
            continue
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if offset_ms(middle) == before else (low, middle)
        changes.append(high)
        offsets.append(offset_ms(high))
    return np.array(changes, np.int64), np.array(offsets, np.int64)


def local_instant_ms(moment: datetime, zone: str, *, second: bool = False) -> int:
    """Return the instant at which a site's wall clock shows `moment` (without a time zone).

    second: in the hour that the end of daylight saving repeats, take its second pass.

    Raises:
        SkippedHourError: the wall clock never shows it, the hour is skipped that day.
        RepeatedHourError: it shows it twice, and `second` is False.
    """
    there = ZoneInfo(zone)
    early, late = (to_ms(moment.replace(tzinfo=there, fold=fold)) for fold in (0, 1))
    if from_ms(early, zone).replace(tzinfo=None) != moment:
        raise SkippedHourError(
            f"{moment:%H:%M} does not exist on {moment:%d.%m.%Y} at the site (the "
            "clocks skip that hour); choose another time."
        )
    if early != late and not second:
        raise RepeatedHourError(
            f"{moment:%H:%M} occurs twice on {moment:%d.%m.%Y} at the site (the clocks "
            "repeat that hour); choose another time, or which of the two."
        )
    return late


def local_days(start_ms: int, end_ms: int, zone: str) -> Iterator[tuple[date, Span]]:
    """Yield every local day that the stretch touches, with its whole span."""
    day = from_ms(start_ms, zone).date()
    begin = midnight_ms(day, zone)
    while begin < end_ms:
        following = day + timedelta(days=1)
        end = midnight_ms(following, zone)
        yield day, (begin, end)
        day, begin = following, end


def approximate_duration_text(length_ms: int) -> str:
    """Return a length of time that is only estimated, without false precision: "55 d", "18 h",
    "less than 1 h". Whole days from two days on, else whole hours, both rounded down: who relies
    on it has at least so much."""
    hours = abs(length_ms) // HOUR_MS
    if hours < 1:
        return "less than 1 h"
    return f"{hours} h" if hours < 48 else f"{hours // 24} d"


def duration_text(length_ms: int, units: int = 2) -> str:
    """Return a length of time in its largest units: "11 d 5 h", "35 min", "48 s", "1 d 45 min".

    Rounded to the nearest second first; a negative length carries a minus sign. What stands for
    evidence is given whole (`whole_duration_text`).

    Args:
        units: at most so many that are not 0; what is smaller is cut off.
    """
    sign = "−" if length_ms < 0 else ""
    total_s = round(abs(length_ms) / 1000)
    parts: list[tuple[int, str]] = []
    for size_s, unit in ((86_400, "d"), (3_600, "h"), (60, "min"), (1, "s")):
        count, total_s = divmod(total_s, size_s)
        parts.append((count, unit))
    first = next((i for i, (count, _) in enumerate(parts) if count), len(parts) - 1)
    # hours that are none leave room for minutes: a day and 45 minutes is no day
    near = parts[first : first + units + 1]
    shown = [f"{count} {unit}" for count, unit in near if count][:units]
    return sign + (" ".join(shown) or "0 s")


def whole_duration_text(length_ms: int) -> str:
    """Return a length of time to the second: "1 d 5 h 42 min"."""
    return duration_text(length_ms, units=4)
