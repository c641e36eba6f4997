"""Lengths of time as people type and say them, and the usual intervals of recording."""

from __future__ import annotations

import re

from gezeiten.errors import PlanError

NEAT_S = (
    1, 2, 5, 10, 15, 20, 30, 60, 120, 180, 240, 300, 360, 600, 720, 900, 1200, 1800,
    3600, 7200, 10_800, 14_400, 21_600, 43_200, 86_400,
)  # fmt: skip
"""Intervals that people use; all of them divide a day."""

_UNITS_S = {
    "s": 1,
    "sec": 1,
    "second": 1,
    "seconds": 1,
    "min": 60,
    "m": 60,
    "minute": 60,
    "minutes": 60,
    "h": 3600,
    "hour": 3600,
    "hours": 3600,
    "d": 86_400,
    "day": 86_400,
    "days": 86_400,
    "w": 604_800,
    "week": 604_800,
    "weeks": 604_800,
}
_LONGEST_S = 1e9


def parse_interval_s(text: str) -> int:
    """Return the seconds of "6 min", "0:06" (h:mm), "1 h 30 min", "360" or "90 s".

    Raises:
        PlanError: the text is no length of time.
    """
    return _parse(text, 1)


def parse_duration_s(text: str) -> int:
    """Return the seconds of "90 d", "3 weeks", "12 h"; a bare number means days.

    Raises:
        PlanError: the text is no length of time, or none at all.
    """
    length = _parse(text, 86_400)
    if length <= 0:
        raise PlanError(f"“{text.strip()}” is not a duration; type it like 90 d, 3 weeks or 12 h.")
    return length


def _parse(text: str, bare_unit_s: int) -> int:
    cleaned = text.strip().lower().replace(",", ".")
    problem = PlanError(f"“{_short(text)}” is not an interval; type it like 6 min, 0:06 or 360.")
    # [0-9], not \d: other scripts' digits are no numbers to the logger's people
    clock = re.fullmatch(r"([0-9]{1,4}):([0-5][0-9])(?::([0-5][0-9]))?", cleaned)
    if clock:
        hours, minutes, seconds = clock.groups(default="0")
        return int(hours) * 3600 + int(minutes) * 60 + int(seconds)
    if re.fullmatch(r"[0-9]{1,9}", cleaned):
        total = float(int(cleaned) * bare_unit_s)
    elif re.fullmatch(r"([0-9]+(\.[0-9]+)?\s*[a-z]+\s*)+", cleaned):
        total = 0.0
        for number, unit in re.findall(r"([0-9]+(?:\.[0-9]+)?)\s*([a-z]+)", cleaned):
            if unit not in _UNITS_S:
                raise problem
            total += float(number) * _UNITS_S[unit]
    else:
        raise problem
    if not total <= _LONGEST_S or total != int(total):
        raise problem
    return int(total)


def _short(text: str) -> str:
    stripped = " ".join(text.split())
    return stripped if len(stripped) <= 30 else stripped[:29] + "…"


def interval_text(interval_s: int) -> str:
    """Return an interval as people say it, exactly: "6 min", "1 h 30 min", "45 s"."""
    parts = []
    rest = interval_s
    for size, unit in ((86_400, "d"), (3600, "h"), (60, "min"), (1, "s")):
        count, rest = divmod(rest, size)
        if count:
            parts.append(f"{count} {unit}")
    return " ".join(parts) or "0 s"


def neat_interval_s(at_least_s: int) -> int:
    """Return the shortest usual interval that is not below `at_least_s`; beyond a day, whole days.

    Edge: a usual interval itself is returned as it is; nothing is shorter than one second.
    """
    for interval_s in NEAT_S:
        if interval_s >= at_least_s:
            return interval_s
    return -(-at_least_s // 86_400) * 86_400
