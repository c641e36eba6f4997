"""The basis on which the excursions of a point were found, beside its readings: which mission fed
which series under which limits; and where two such bases differ."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.timeline import EVER_MS, Span

_FORM = 2


@dataclass(frozen=True, slots=True)
class Basis:
    """zone: of the site, whose days and weeks count; lines: made by `basis_line`, of every
    series, mission and limit. They stay text until two bases differ: a point may have hundreds."""

    zone: str
    lines: frozenset[str]

    def text(self) -> str:
        """Return it as it is kept; `parse_basis` reads it back."""
        return json.dumps([_FORM, self.zone, sorted(self.lines)], separators=(",", ":"))


def basis_line(series: str, mission: str, span: Span, rules: tuple[LimitRule, ...]) -> str:
    """Return a stretch of a series that limits judge, as an entry of a basis.

    Args:
        mission: the id of the one that feeds it, "" where the limits were set for the series.
        span: [start, end), UTC ms.
    """
    return f"{span[0]} {span[1]} {_digest(rules)} {mission} {series}"


@lru_cache(256)
def _digest(rules: tuple[LimitRule, ...]) -> str:
    """Plans are few, for however many missions."""
    text = json.dumps([rule.as_dict() for rule in rules], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:24]


def parse_basis(text: str) -> Basis | None:
    """Return what was kept; None for nothing, or what another version kept."""
    try:
        form, zone, spans = json.loads(text)
        return Basis(str(zone), frozenset(spans)) if form == _FORM else None
    except (TypeError, ValueError):
        return None


def changed_span(before: Basis | None, now: Basis) -> Span | None:
    """Return the hull of where excursions may be others by their basis alone, None for nowhere:
    where a mission began, ended otherwise or went, and where a limit is another one."""
    if before is None or before.zone != now.zone:
        return (-EVER_MS, EVER_MS)
    try:
        gone = _spans_by_series(before.lines - now.lines)
    except (AttributeError, ValueError):  # what was kept is damaged
        return (-EVER_MS, EVER_MS)
    fresh = _spans_by_series(now.lines - before.lines)
    spans = [
        span
        for key in gone.keys() | fresh.keys()
        for span in _differing_spans(gone.get(key, []), fresh.get(key, []))
    ]
    if not spans:
        return None
    return (min(start for start, _ in spans), max(end for _, end in spans))


def _spans_by_series(spans: Iterable[str]) -> dict[str, list[Span]]:
    """Return the spans of stretches by series, mission and limits."""
    found: dict[str, list[Span]] = {}
    for one in spans:
        found.setdefault(one.split(" ", 2)[2], []).append(_span_of(one))
    return found


def _span_of(span: str) -> Span:
    start_ms, end_ms, _ = span.split(" ", 2)
    return int(start_ms), int(end_ms)


def _differing_spans(before: list[Span], now: list[Span]) -> list[Span]:
    """Return what is in one of two lists of stretches alone; of several, all of them."""
    if len(before) != 1 or len(now) != 1:
        return before + now
    [(was_from, was_until)], [(is_from, is_until)] = before, now
    both = ((was_from, is_from), (was_until, is_until))
    return [(min(pair), max(pair)) for pair in both if pair[0] != pair[1]]
