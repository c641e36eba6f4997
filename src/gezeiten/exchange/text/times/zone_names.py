"""Time zones as texts name them: short names, offsets from UTC, names of the zone database."""

from __future__ import annotations

import re
from functools import cache
from zoneinfo import available_timezones

import polars as pl

_HOURS: dict[str, float] = {
    "utc": 0,
    "gmt": 0,
    "z": 0,
    "ut": 0,
    "wet": 0,
    "west": 1,
    "cet": 1,
    "cest": 2,
    "mez": 1,
    "mesz": 2,
    "eet": 2,
    "eest": 3,
    "msk": 3,
    "bst": 1,
    "nst": -3.5,
    "ndt": -2.5,
    "ast": -4,
    "adt": -3,
    "est": -5,
    "edt": -4,
    "cst": -6,
    "cdt": -5,
    "mst": -7,
    "mdt": -6,
    "pst": -8,
    "pdt": -7,
    "akst": -9,
    "akdt": -8,
    "hst": -10,
    "nzst": 12,
    "nzdt": 13,
    "aest": 10,
    "aedt": 11,
    "acst": 9.5,
    "acdt": 10.5,
    "awst": 8,
    "jst": 9,
    "sast": 2,
}
"""Hours east of UTC of names that many places do not share."""
_PLACES = {
    "wet": "Europe/Lisbon",
    "cet": "Europe/Berlin",
    "mez": "Europe/Berlin",
    "eet": "Europe/Helsinki",
    "est": "America/New_York",
    "cst": "America/Chicago",
    "mst": "America/Denver",
    "pst": "America/Los_Angeles",
    "ast": "America/Halifax",
    "nst": "America/St_Johns",
    "akst": "America/Anchorage",
    "aest": "Australia/Sydney",
    "acst": "Australia/Adelaide",
    "nzst": "Pacific/Auckland",
}
"""Where clocks show winter time by a name, and summer time in summer."""
_HALF = {
    3.5: "Asia/Tehran",
    4.5: "Asia/Kabul",
    5.5: "Asia/Kolkata",
    5.75: "Asia/Kathmandu",
    6.5: "Asia/Yangon",
    9.5: "Australia/Darwin",
}
"""Where clocks show such an offset the whole year."""
_OFFSET = re.compile(r"(?:utc|gmt|z)?\s{0,3}([+\-−])\s{0,3}(\d{1,2})(?::?(\d\d))?", re.IGNORECASE)
_NAMED = re.compile(r"\b[A-Z][A-Za-z_]+/[A-Z][A-Za-z_]+(?:/[A-Z][A-Za-z_]+)?\b")
_ABOUT = re.compile(
    r"\b(time ?zone|tz|zeitzone|fuseau|zona horaria|fuso orario|tijdzone|times? (?:is|are) in|"
    r"zeiten? in|all times)\b",
    re.IGNORECASE,
)
_IN_HEADER = re.compile(
    r"(?:^|[\s,(\[])((?:UTC|GMT)(?:\s{0,3}[+\-−]\s{0,3}\d{1,2}(?::?\d\d)?)?)(?:[\s,)\]]|$)"
)


def offset_hours(text: str) -> float | None:
    """Return how many hours east of UTC a name or an offset is, None where it is none."""
    bare = text.strip().strip("()[]")
    if bare.lower() in _HOURS:
        return _HOURS[bare.lower()]
    found = _OFFSET.fullmatch(bare)
    if found is None:
        return None
    hours = int(found[2]) + int(found[3] or 0) / 60
    return -hours if found[1] in "-−" else hours


def with_offsets(text: pl.Series) -> pl.Series:
    """Return times whose last word names a zone with an offset in its place, null without one."""
    word = text.str.extract(r"(\S+)\s*$", 1)
    offsets = {one: _written(offset_hours(one)) for one in word.drop_nulls().unique().to_list()}
    known = word.replace_strict(offsets, default=None, return_dtype=pl.String)
    frame = pl.DataFrame({"bare": text.str.replace(r"\s*\S+\s*$", ""), "offset": known})
    return frame.select(pl.concat_str(["bare", "offset"], separator=" "))["bare"]


def _written(hours: float | None) -> str | None:
    if hours is None:
        return None
    minutes = round(abs(hours) * 60)
    return f"{'-' if hours < 0 else '+'}{minutes // 60:02}:{minutes % 60:02}"


def zone_of_offset(hours: float) -> str:
    """Return the name of a zone that is always so far east of UTC, "" where none is known."""
    if hours == 0:
        return "UTC"
    if float(hours).is_integer():
        return f"Etc/GMT{int(-hours):+d}"  # its signs are those of west
    return _HALF.get(hours, "")


@cache
def _zone_names() -> frozenset[str]:
    return frozenset(available_timezones())


def zones_named_in(words: str) -> tuple[tuple[str, str], ...]:
    """Return the zones that words of a head may mean, each as (name, how people say it); () where
    they say none. One alone is sure; a short name may mean its offset or what clocks show there.
    """
    in_header = _IN_HEADER.search(words)
    if in_header and (_ABOUT.search(words) or len(words) < 40):
        return _by_offset(in_header[1])
    about = _ABOUT.search(words)
    if about is None:
        return ()
    rest = words[about.end() :].strip(" :=\t;,\"'")
    named = _NAMED.search(rest)
    if named and named[0] in _zone_names():
        return ((named[0], named[0]),)
    first = re.split(r"[\s,;()]+", rest)[0] if rest else ""
    for text in (rest, first):
        if offset_hours(text) is not None:
            return _by_offset(text)
    return ()


def _by_offset(text: str) -> tuple[tuple[str, str], ...]:
    hours = offset_hours(text)
    fixed = zone_of_offset(hours) if hours is not None else ""
    if not fixed:
        return ()
    assert hours is not None  # it has a zone
    always = (fixed, "UTC" if not hours else f"UTC{_written(hours)} all year")
    place = _PLACES.get(text.strip().lower(), "")
    return (always, (place, f"local time in {place}")) if place else (always,)
