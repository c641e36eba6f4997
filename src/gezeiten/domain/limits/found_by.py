"""By what the excursions of a point were found, but for its readings: which mission fed which
series with which limits, and the limits that were set; and where two such states differ."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple

from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.timeline import EVER_MS, Span

_FORM = 1


class Judged(NamedTuple):
    """A stretch [start_ms, end_ms) of a series, UTC ms, that limits judge. mission: the id of the
    one that feeds it, "" where the limit was set for the series; rules: a digest of the limits."""

    series: str
    mission: str
    start_ms: int
    end_ms: int
    rules: str


def judged(series: str, mission: str, span: Span, rules: tuple[LimitRule, ...]) -> Judged:
    """Return a stretch of a series with what judges it."""
    return Judged(series, mission, *span, _digest(rules))


@lru_cache(256)
def _digest(rules: tuple[LimitRule, ...]) -> str:
    """Plans are few, for however many missions."""
    told = json.dumps([rule.as_dict() for rule in rules], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()[:24]


@dataclass(frozen=True, slots=True)
class FoundBy:
    """zone: of the site, whose days and weeks count."""

    zone: str
    stretches: frozenset[Judged]

    def text(self) -> str:
        """Return it as it is kept; `found_by` reads it back."""
        return json.dumps([_FORM, self.zone, sorted(self.stretches)], separators=(",", ":"))


def found_by(text: str) -> FoundBy | None:
    """Return what was kept; None for nothing, or what another version kept."""
    try:
        form, zone, rows = json.loads(text)
        return FoundBy(str(zone), _stretches(rows)) if form == _FORM else None
    except (TypeError, ValueError):
        return None


def _stretches(rows: Iterable[Any]) -> frozenset[Judged]:
    return frozenset(
        Judged(str(series), str(mission), int(start_ms), int(end_ms), str(rules))
        for series, mission, start_ms, end_ms, rules in rows
    )


def where_different(before: FoundBy | None, now: FoundBy) -> Span | None:
    """Return the hull of where excursions may be others by what they are found by alone, None for
    nowhere: where a mission began, ended otherwise or went, and where a limit is another one."""
    if before is None or before.zone != now.zone:
        return (-EVER_MS, EVER_MS)
    gone = _by_what(before.stretches - now.stretches)
    fresh = _by_what(now.stretches - before.stretches)
    spans = [
        span
        for key in gone.keys() | fresh.keys()
        for span in _apart(gone.get(key, []), fresh.get(key, []))
    ]
    if not spans:
        return None
    return (min(start for start, _ in spans), max(end for _, end in spans))


def _by_what(stretches: Iterable[Judged]) -> dict[tuple[str, str, str], list[Span]]:
    found: dict[tuple[str, str, str], list[Span]] = {}
    for one in stretches:
        span = (one.start_ms, one.end_ms)
        found.setdefault((one.series, one.mission, one.rules), []).append(span)
    return found


def _apart(before: list[Span], now: list[Span]) -> list[Span]:
    """Return what is in one of two lists of stretches alone; of several, all of them."""
    if len(before) != 1 or len(now) != 1:
        return before + now
    [(was_from, was_until)], [(is_from, is_until)] = before, now
    both = ((was_from, is_from), (was_until, is_until))
    return [(min(pair), max(pair)) for pair in both if pair[0] != pair[1]]
