"""By which pattern times are written: a date, a clock, an offset, as a few lines have them.

A few odd lines (a repeated head, a note) do not change what all others say.
"""

from __future__ import annotations

import re
from datetime import datetime
from functools import cache

from gezeiten.domain.base.untrusted import EARLIEST_MS, LATEST_MS
from gezeiten.domain.series.timeline import from_ms
from gezeiten.exchange.text.times.wall_clock import WEEKDAY
from gezeiten.exchange.text.times.zone_names import offset_hours

_MOST_ODD = 0.05
"""Of the lines looked at, so many may say something else."""
_SOME = 4
"""Of so many lines or more, one may."""
_FIRST_YEAR, _LAST_YEAR = (from_ms(at_ms).year for at_ms in (EARLIEST_MS, LATEST_MS - 1))
OFFSET = re.compile(r"(Z|[+-]\d\d:?\d\d)$")
_NO_SIGN = re.compile(r"[0-9A-Za-z]")
_DATES = {
    "ymd": ("%Y-%m-%d", "%Y/%m/%d", "%Y.%m.%d", "%Y%m%d"),
    "named": (
        "%d-%b-%Y",
        "%d %b %Y",
        "%d. %b %Y",
        "%d/%b/%Y",
        "%d.%b.%Y",
        "%d-%b-%y",
        "%b %d, %Y",
        "%b %d %Y",
        "%b-%d-%Y",
        "%Y-%b-%d",
        "%Y %b %d",
        "%d%b%Y",
    ),
    "dmy": ("%d.%m.%Y", "%d/%m/%Y", "%d-%m-%Y", "%d.%m.%y", "%d/%m/%y", "%d-%m-%y"),
    "mdy": ("%m/%d/%Y", "%m-%d-%Y", "%m/%d/%y", "%m-%d-%y"),  # nobody writes it with points
    "doy": ("%Y-%j", "%Y/%j", "%Y %j", "%Y%j"),
}
YEARLESS = {
    "named": ("%Y %d. %b", "%Y %d %b", "%Y %d-%b", "%Y %b %d", "%Y %b-%d"),
    "dmy": ("%Y %d.%m.", "%Y %d.%m", "%Y %d/%m", "%Y %d-%m"),
    "mdy": ("%Y %m/%d", "%Y %m-%d"),
}
"""Days without their year, which is put in front."""
_CLOCKS = (
    "%H:%M:%S",
    "%H:%M",
    "%H:%M:%S%.f",
    "%I:%M:%S %p",
    "%I:%M %p",
    "%H%M",
    "%H.%M.%S",
    "%H%M%S",
    "%H.%M",
    "%Hh%M",
    "%I:%M:%S%p",
    "%I:%M%p",
    "%H",
)
_BEFORE_HOURS = {"%Y%m%d": ("", " ", "T"), "%Y%j": ("", " ", "T")}
"""An hour alone stands right behind a day only where that has no signs between its parts."""


def are_few(odd: int, count: int) -> bool:
    """Whether so few lines say something else that the others tell what is meant."""
    return count > 0 and odd <= max(_MOST_ODD * count, 1 if count >= _SOME else 0)


def patterns_of(texts: list[str], dates: dict[str, tuple[str, ...]] = _DATES) -> dict[str, str]:
    """Return by order of the date ("ymd", "dmy", ...) the pattern that the texts follow."""
    before = "%a " if _start_with_weekdays(texts) else ""
    behind = " %Z" if _end_with_zones(texts) else ""
    plain = [_unwrapped(text, before + behind) for text in texts]
    found: dict[str, str] = {}
    for order, its in dates.items():
        for date in its:
            pattern = _with_clock(date, plain)
            if pattern is not None:
                found[order] = before + pattern + behind
                break
    return found


def _start_with_weekdays(texts: list[str]) -> bool:
    named = sum(text != without_weekday(text) for text in texts)
    return bool(texts) and are_few(len(texts) - named, len(texts))


def without_weekday(text: str) -> str:
    """Return a time without the day of the week in front of it."""
    return re.sub(WEEKDAY, "", text) if text[:1].isalpha() else text


def _end_with_zones(texts: list[str]) -> bool:
    def is_zone(text: str) -> bool:
        last = text.rpartition(" ")[2]
        return last[:1].isalpha() and len(last) > 1 and offset_hours(last) is not None

    return bool(texts) and are_few(len(texts) - sum(map(is_zone, texts)), len(texts))


def _unwrapped(text: str, pattern: str) -> str:
    """Return a time without its day of the week and its zone's name, where the pattern has them."""
    if "%a" in pattern:
        text = without_weekday(text)
    return text.rpartition(" ")[0] if "%Z" in pattern else text


def _with_clock(date: str, texts: list[str]) -> str | None:
    """Return the whole pattern of texts with such a date, None where they have another."""
    samples = texts[:3]
    signs = {_signs(text) for text in samples}
    signs |= {_signs(OFFSET.sub("", text)) for text in samples}
    by_signs = _by_signs(date)
    tried = sorted(one for sign in signs for one in by_signs.get(sign, ()))
    for _, pattern in tried:
        if any(follows(text, pattern) for text in samples):
            odd = sum(not follows(text, pattern) for text in texts)
            if are_few(odd, len(texts)):
                return pattern
    return None


def _signs(text: str) -> str:
    """Return the signs between the parts of a time."""
    return _NO_SIGN.sub("", text.strip())


@cache
def _by_signs(date: str) -> dict[str, list[tuple[int, str]]]:
    """Return patterns by the signs between their parts, with their places in the order in which
    they are tried: of thousands of patterns some can be those of a text."""
    found: dict[str, list[tuple[int, str]]] = {}
    for i, pattern in enumerate(_with_clocks(date)):
        found.setdefault(_signs_of_pattern(pattern), []).append((i, pattern))
    return found


@cache
def _with_clocks(date: str) -> tuple[str, ...]:
    made = [date]
    for separator in (" ", "T", "", ", ", "  ", ":"):
        for clock in _CLOCKS:
            if clock == "%H" and separator not in _BEFORE_HOURS.get(date, (" ", "T")):
                continue
            made += [f"{date}{separator}{clock}{offset}" for offset in ("", "%z", " %z")]
    made += [f"{clock} {date}" for clock in _CLOCKS if clock not in ("%H%M", "%H")]
    return tuple(made)


def follows(text: str, pattern: str) -> bool:
    """Whether a text is written by a pattern (of polars; Python has another sign for fractions)."""
    text, pattern = _unwrapped(text, pattern), pattern.removeprefix("%a ").removesuffix(" %Z")
    plain = OFFSET.sub("", text.strip()).rstrip() if "%z" in pattern else text.strip()
    if _signs_of_pattern(pattern) != _NO_SIGN.sub("", plain):
        return False  # cheaper than trying; there are thousands of patterns
    if not _has_all_digits(text, pattern):
        return False
    if "%y" in pattern and re.search(r"\d{4}", text.split(" ")[0]):
        return False
    if "%H%M" in pattern and not re.search(r"\d{4}$|\d{6}$", text):
        return False
    shown = text[:-1] + "+0000" if "%z" in pattern and text.endswith("Z") else text
    if "%.f" in pattern:
        if "." not in shown:
            return False
        shown = (
            re.sub(r"\.\d+", "", shown, count=1)
            if not shown.count(".") > 1
            else re.sub(r"(\d{2}:\d{2}:\d{2})\.\d+", r"\1", shown)
        )
    try:
        moment = datetime.strptime(shown.strip(), pattern.replace("%.f", ""))  # noqa: DTZ007 - form
    except ValueError:
        return False
    # hhmm beside a small number looks like a year and a day of it
    return "%Y" not in pattern or _FIRST_YEAR <= moment.year <= _LAST_YEAR


_DIGITS = {"Y": 4, "j": 3, "m": 2, "d": 2, "H": 2, "M": 2, "S": 2}


def _has_all_digits(text: str, pattern: str) -> bool:
    """Whether what stands without signs between its parts has all its digits: 2024030110 is no
    20240301 01:10."""
    run = re.match(r"(?:%[YjmdHMS]){2,}", pattern)
    if run is None:
        return True
    found = re.match(r"(?:19|20)\d+", text)
    return found is not None and len(found[0]) == sum(_DIGITS[sign] for sign in run[0][1::2])


@cache
def _signs_of_pattern(pattern: str) -> str:
    """Return the signs between the parts of a pattern: "-- ::" of "%Y-%m-%d %H:%M:%S"."""
    bare = pattern.replace("%z", "").rstrip().replace("%.f", ".")
    return re.sub(r"%[A-Za-z]|T|h", "", bare)


def moment_of(text: str, pattern: str) -> datetime | None:
    """Return what a time means by a pattern, None where it is not written so."""
    text, pattern = _unwrapped(text, pattern), pattern.removeprefix("%a ").removesuffix(" %Z")
    plain = re.sub(r"(\d{2}:\d{2}:\d{2})\.\d+", r"\1", text).strip()
    try:
        return datetime.strptime(plain, pattern.replace("%.f", ""))  # noqa: DTZ007 - form only
    except ValueError:
        return None
