"""Names: mission names from a pattern, and which names a file system would refuse."""

from __future__ import annotations

import re
from datetime import datetime

USUAL_PATTERN = "{point} {season} {year}"
_SEASONS = ("winter", "spring", "summer", "autumn")
_RESERVED = frozenset(
    ["CON", "PRN", "AUX", "NUL", *(f"{n}{i}" for n in ("COM", "LPT") for i in range(1, 10))]
)
_REFUSED = re.compile(r'[/\\:*?"<>|]')
_UNSEEN = re.compile(
    "[\x00-\x1f\x7f-\x9f\u00ad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff\ufff9-\ufffb]"
)
"""Control signs, signs without width, and marks that turn the direction of what follows."""
_NAMELESS = "unnamed"


def season(moment: datetime) -> str:
    """Return the meteorological season of a day (northern): December begins winter."""
    return _SEASONS[moment.month % 12 // 3]


def mission_name(
    pattern: str, moment: datetime, *, site: str, point: str, serial: str, model: str, mission: int
) -> str:
    """Return a name of a pattern like "{point} {season} {year}"; an unknown word in braces stays.

    The winter that begins in December is named by both of its years, as 2026/27 is.
    """
    year = str(moment.year)
    if moment.month == 12 and "{season}" in pattern:
        year = f"{moment.year}-{(moment.year + 1) % 100:02d}"
    elif moment.month < 3 and "{season}" in pattern:
        year = f"{moment.year - 1}-{moment.year % 100:02d}"
    values = {
        "site": site,
        "point": point,
        "serial": serial,
        "model": model,
        "year": year,
        "month": f"{moment.month:02d}",
        "day": f"{moment.day:02d}",
        "season": season(moment),
        "mission": str(mission),
    }
    named = re.sub(r"\{(\w+)\}", lambda hit: values.get(hit[1], hit[0]), pattern)
    return " ".join(named.split())


def name_fault(text: str) -> str:
    """Return why a name cannot become part of a file name, as a sentence; "" when it can.

    The strictest of the usual file systems decides, because files are handed on.
    """
    if _UNSEEN.search(text):
        shown = _UNSEEN.sub("", text)[:30]
        return f"“{shown}” contains invisible characters; type it again."
    refused = _REFUSED.search(text)
    if refused:
        return f"“{refused[0]}” is not allowed in a file name; remove it from “{text[:30]}”."
    bare = text.strip()
    if bare.endswith("."):
        return f"“{bare[:30]}” ends with a dot, which file systems do not allow; remove it."
    if bare.split(".")[0].upper() in _RESERVED:
        return f"“{bare[:30]}” is a name reserved by some file systems; add a word."
    return ""


def clean_name(text: str, longest: int) -> str:
    """Return a name that came from elsewhere without what no name can have: signs that cannot be
    seen, those of markup and paths, a dot at its end; cut to so many bytes of UTF-8. A good name is
    returned as it is."""
    bare = " ".join(_REFUSED.sub(" ", _UNSEEN.sub(" ", text)).split())
    bare = bare.encode(errors="ignore")[:longest].decode(errors="ignore").strip().rstrip(". ")
    return bare if bare and not name_fault(bare) else f"{bare} {_NAMELESS}".strip()
