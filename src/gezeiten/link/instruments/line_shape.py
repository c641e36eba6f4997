"""What an instrument's line holds: the numbers in it, and the pattern that finds those again which
somebody chose by clicking."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

_WITH_POINT = re.compile(r"(?<![\d.])\d+\.\d+(?![\d.])")
_ANY = r"[-+]?\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?"


def _number(line: str) -> re.Pattern[str]:
    """Return what a number is in a line: its decimal sign is a comma only where no number has a
    point and something else stands between columns."""
    has_other_signs = re.search(r"[;\s=|]", line) is not None
    sign = "," if has_other_signs and not _WITH_POINT.search(line) else r"\."
    return re.compile(
        rf"(?<![\w{sign}])[-+]?\d+(?:{sign}\d+)?(?:[eE][-+]?\d+)?(?!\w)"
        rf"|(?<=[A-Za-z=:#])[-+]?\d+{sign}\d+"
    )


@dataclass(frozen=True, slots=True)
class Part:
    """A number in a line. before: the words right in front of it, "" without."""

    text: str
    start: int
    end: int
    before: str


def numbers_in(line: str) -> list[Part]:
    """Return the numbers of a line, in their order."""
    parts, at = [], 0
    for found in _number(line).finditer(line):
        between = line[at : found.start()]
        words = re.findall(r"[^\W\d_][\w./%°]*", between)
        parts.append(Part(found[0], found.start(), found.end(), words[-1] if words else ""))
        at = found.end()
    return parts


def pattern_for(line: str, selected: Mapping[int, str]) -> str:
    """Return a regular expression that finds numbers of lines like this one.

    Args:
        selected: by place of a number in `numbers_in`, the name of its group.
    """
    parts = numbers_in(line)
    pieces, at = ["^"], 0
    for place, part in enumerate(parts):
        pieces.append(_literal(line[at : part.start]))
        name = selected.get(place, "")
        pieces.append(f"(?P<{name}>{_ANY})" if name else f"{_ANY}")
        at = part.end
        if place >= max(selected, default=0):
            break
    return "".join(pieces)


def _literal(text: str) -> str:
    """Return what stands between numbers, with any number of blanks where there are some."""
    return r"\s*".join(re.escape(piece) for piece in re.split(r"\s+", text))
