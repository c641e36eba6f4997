"""What is kept of a mission: ranges of reading numbers, and what is still missing.

A range is [first, end) of reading numbers counted from the mission's first due reading.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeAlias

Range: TypeAlias = tuple[int, int]


def merged(ranges: Iterable[Range]) -> list[Range]:
    """Return the union of ranges, in order, touching ones joined, empty ones dropped."""
    joined: list[Range] = []
    for first, end in sorted(r for r in ranges if r[1] > r[0]):
        if joined and first <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], end))
        else:
            joined.append((first, end))
    return joined


def missing(whole: Range, stored: Iterable[Range]) -> list[Range]:
    """Return the parts of `whole` that are in none of `kept`, in order."""
    open_parts: list[Range] = []
    at = whole[0]
    for first, end in merged(stored):
        open_parts.append((at, min(first, whole[1])))
        at = max(at, end)
    open_parts.append((at, whole[1]))
    return [part for part in open_parts if part[1] > part[0]]


def numbers_between(first_ms: int, interval_ms: int, start_ms: int, end_ms: int) -> Range:
    """Return the numbers of evenly spaced readings due from start to end, both included.

    Reading i is due at first_ms + i x interval_ms; numbers may lie before or beyond the mission.
    """
    first = -(-(start_ms - first_ms) // interval_ms)
    return (first, max((end_ms - first_ms) // interval_ms + 1, first))


def within(part: Range, whole: Range) -> Range:
    """Return what of `part` lies in `whole`, empty where nothing does."""
    first = max(part[0], whole[0])
    return (first, max(min(part[1], whole[1]), first))


def size(ranges: Iterable[Range]) -> int:
    """Return how many readings the ranges hold together; they must not overlap."""
    return sum(end - first for first, end in ranges)
