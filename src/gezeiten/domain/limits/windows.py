"""Weekly windows: the hours of a week, by the site's own clock, in which a limit applies.

A window begins on its days at `start_min` and lasts to `end_min`; one that ends before it begins
passes midnight and belongs to the day on which it began. Source: docs/calculations.md, "Holding,
gaps, time outside" (a rule's weekly window at that local time).
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import MINUTE_MS, Times, utc_offsets_ms
from gezeiten.errors import PlanError

DAY_NAMES = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
DAY_MIN = 1440
WEEK_MIN = 7 * DAY_MIN
_EPOCH_WEEKDAY = 3  # 1970-01-01 was a Thursday


@dataclass(frozen=True, slots=True)
class WeeklyWindow:
    """days: 0 is Monday; in order, each once. start_min, end_min: minutes after local midnight,
    24:00 is 0; equal ones mean the whole day. inverted: all the other hours of the week instead.

    Raises:
        ValueError: a day or a time of day cannot be.
    """

    days: tuple[int, ...]
    start_min: int = 0
    end_min: int = 0
    inverted: bool = False

    def __post_init__(self) -> None:
        if not self.days or not set(self.days) <= set(range(7)):
            raise ValueError("no days of a week")
        for minute in (self.start_min, self.end_min):
            if not 0 <= minute <= DAY_MIN:
                raise ValueError(f"no time of day: {minute} min")
        object.__setattr__(self, "days", tuple(sorted(set(self.days))))
        object.__setattr__(self, "start_min", self.start_min % DAY_MIN)
        object.__setattr__(self, "end_min", self.end_min % DAY_MIN)

    @property
    def length_min(self) -> int:
        """Minutes from begin to end on one of the days, 1..1440."""
        return (self.end_min - self.start_min - 1) % DAY_MIN + 1

    @property
    def key(self) -> str:
        """Stable name within a rule's key, like "01234@480-1020" or "!56@0-0"."""
        days = "".join(map(str, self.days))
        return f"{'!' if self.inverted else ''}{days}@{self.start_min}-{self.end_min}"

    @property
    def text(self) -> str:
        """The window as people write it: "Mon–Fri 08:00–17:00", "outside Sat Sun"."""
        words = _days_text(self.days)
        if self.length_min < DAY_MIN:
            words += f" {_clock_text(self.start_min)}–{_clock_text(self.end_min)}"
        return f"outside {words}" if self.inverted else words

    def other(self) -> WeeklyWindow:
        """Return the window of all the other hours."""
        return WeeklyWindow(self.days, self.start_min, self.end_min, not self.inverted)

    def contains(self, times_utc_ms: Times, zone: str) -> NDArray[np.bool_]:
        """Return where instants, shape (n,), lie in the window at the site; the begin is inside,
        the end is not."""
        local_min = (times_utc_ms + utc_offsets_ms(times_utc_ms, zone)) // MINUTE_MS
        of_week = (local_min + _EPOCH_WEEKDAY * DAY_MIN) % WEEK_MIN
        inside = np.zeros(times_utc_ms.shape, np.bool_)
        for day in self.days:
            into = (of_week - day * DAY_MIN - self.start_min) % WEEK_MIN
            inside |= into < self.length_min
        return ~inside if self.inverted else inside


WORKING_HOURS = WeeklyWindow((0, 1, 2, 3, 4), 8 * 60, 17 * 60)
NIGHTS = WeeklyWindow((0, 1, 2, 3, 4, 5, 6), 20 * 60, 6 * 60)
WEEKENDS = WeeklyWindow((5, 6))
NAMED_WINDOWS: tuple[tuple[str, WeeklyWindow], ...] = (
    ("working hours", WORKING_HOURS),
    ("nights", NIGHTS),
    ("weekends", WEEKENDS),
)


def _days_text(days: tuple[int, ...]) -> str:
    """Return runs of three and more days as a range, the others singly."""
    parts = []
    left = list(days)
    while left:
        run = 1
        while run < len(left) and left[run] == left[0] + run:
            run += 1
        if run >= 3:
            parts.append(f"{DAY_NAMES[left[0]]}–{DAY_NAMES[left[run - 1]]}")
            left = left[run:]
        else:
            parts.append(DAY_NAMES[left.pop(0)])
    return " ".join(parts)


def _clock_text(minute: int) -> str:
    return f"{minute // 60:02d}:{minute % 60:02d}"


def parse_window(text: str) -> WeeklyWindow | None:
    """Return the window of "always" (None), a name, or text like "Mon–Fri 08:00–17:00".

    "outside" before any of them means the other hours; "Sat Sun" alone means whole days, hours
    alone mean every day.

    Raises:
        PlanError: the text is no weekly window.
    """
    words = text.strip().casefold().replace("–", "-").replace(",", " ")
    if words in ("", "always"):
        return None
    inverted = words.startswith("outside ")
    words = words.removeprefix("outside ").strip()
    for name, window in NAMED_WINDOWS:
        if words == name:
            return window.other() if inverted else window
    problem = PlanError(
        f"“{text.strip()}” is not a weekly window; type it like Mon–Fri 08:00–17:00 or choose one."
    )
    hours = re.search(r"(\d{1,2})(?::(\d{2}))?\s*-\s*(\d{1,2})(?::(\d{2}))?\s*$", words)
    start = end = 0
    if hours:
        start, end = (_minute(hours[i], hours[i + 1], problem) for i in (1, 3))
        words = words[: hours.start()].strip()
    days = _parse_days(words, problem) if words else tuple(range(7))
    if not words and not hours:
        raise problem
    return WeeklyWindow(days, start, end, inverted)


def _minute(hour: str, minute: str | None, problem: PlanError) -> int:
    total = int(hour) * 60 + int(minute or 0)
    if int(minute or 0) > 59 or total > DAY_MIN:
        raise problem
    return total % DAY_MIN


def _parse_days(words: str, problem: PlanError) -> tuple[int, ...]:
    names = [name.casefold() for name in DAY_NAMES]
    days: set[int] = set()
    for part in words.split():
        first, dash, last = part.partition("-")
        if first not in names or (dash and last not in names):
            raise problem  # “Mon- 8-9” too: it is not said until which day
        begin = names.index(first)
        length = (names.index(last) - begin) % 7 if dash else 0
        days |= {(begin + i) % 7 for i in range(length + 1)}
    return tuple(sorted(days))


def window_choice(window: WeeklyWindow | None) -> str:
    """Return the text to show for a window: its name where it has one."""
    if window is None:
        return "always"
    for name, known in NAMED_WINDOWS:
        if window == known:
            return name
        if window == known.other():
            return f"outside {name}"
    return window.text
