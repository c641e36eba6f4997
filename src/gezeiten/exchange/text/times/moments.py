"""Days and moments as a head or a person says them."""

from __future__ import annotations

import re
from datetime import datetime

import polars as pl

from gezeiten.exchange.text.times.wall_clock import in_english

START = "%Y-%m-%d %H:%M:%S"
"""How a start is written once it is known."""
CLOCK = re.compile(r"(?i)(?<![\d:])(\d{1,2}:\d\d(?::\d\d)?(?:\s?[ap]\.?m\b\.?)?)(?![\d:])")
_CLOCKS = ("%H:%M:%S", "%H:%M", "%I:%M:%S %p", "%I:%M %p")
_TWO_WAYS = ("%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y", "%m-%d-%Y", "%d.%m.%y", "%d/%m/%y", "%m/%d/%y")
_DAYS = (
    "%Y-%m-%d",
    "%Y/%m/%d",
    "%Y.%m.%d",
    "%Y%m%d",
    "%d.%m.%Y",
    "%d. %b %Y",
    "%d %b %Y",
    "%b %d, %Y",
    "%b %d %Y",
    "%d-%b-%Y",
)
"""How days are written that can be only one."""


def iso_day(text: str) -> str:
    """Return a day as ISO has it, "" where it is none, or may be two."""
    english = in_english(pl.Series([text.strip()])).item()
    for pattern in _DAYS:
        try:
            return datetime.strptime(english, pattern).date().isoformat()  # noqa: DTZ007 - a day
        except ValueError:
            continue
    return ""


def moments(day: str, clock: str) -> list[datetime]:
    """Return the moments that a day and a clock may be: two, where day and month may change."""
    time = _clock(clock)
    if time is None:
        return []
    iso = iso_day(day)
    if iso:
        return [datetime.fromisoformat(f"{iso} {time}")]
    found = []
    for pattern in _TWO_WAYS:
        try:
            of_day = datetime.strptime(day, pattern).date()  # noqa: DTZ007 - of a wall
        except ValueError:
            continue
        found.append(datetime.fromisoformat(f"{of_day} {time}"))
    return list(dict.fromkeys(found))


def as_start(text: str) -> str:
    """Return a moment that was typed as a start is written, the text itself where it is none."""
    clock = CLOCK.search(text)
    day = iso_day((text[: clock.start()] if clock else text).strip(" ,T"))
    time = _clock(clock[1]) if clock else "00:00:00"
    return f"{day} {time}" if day and time else text


def _clock(text: str) -> str | None:
    english = in_english(pl.Series([text])).item().upper()
    spaced = re.sub(r"\s?([AP]M)", r" \1", english)
    for pattern in _CLOCKS:
        try:
            return datetime.strptime(spaced, pattern).time().isoformat()  # noqa: DTZ007
        except ValueError:
            continue
    return None
