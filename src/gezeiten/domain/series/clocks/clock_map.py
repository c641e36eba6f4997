"""What time it was when a logger's clock showed some other: instants of readings put right.

Source: docs/calculations.md, "Clocks".
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from gezeiten.domain.series.timeline import EVER_MS, Span, Times

_LEAST_RATE, _MOST_RATE = 0.5, 2.0
_MOST_PAIRS = 500
_ROUNDED_MS = 2
_BEYOND_MS = 10**9


@dataclass(frozen=True, slots=True)
class ClockMap:
    """shown_ms, true_ms: what the clock showed and what time it was then (UTC ms), both rising.

    Linear between pairs, at the rate of the two nearest beyond them; of a single pair a shift. A
    map without pairs changes nothing. Rounded to whole milliseconds. rate_beyond: true time for
    each unit of time that it showed after its last pair, None: that of the two nearest.
    """

    shown_ms: tuple[int, ...] = ()
    true_ms: tuple[int, ...] = ()
    rate_beyond: float | None = None

    def __bool__(self) -> bool:
        return bool(self.shown_ms)

    @property
    def pairs(self) -> tuple[tuple[int, int], ...]:
        """What it showed and what time it was then."""
        return tuple(zip(self.shown_ms, self.true_ms, strict=True))

    @property
    def moves_ms(self) -> tuple[int, int]:
        """By how much it moves what was written at its first and at its last pair."""
        return (self.true_ms[0] - self.shown_ms[0], self.true_ms[-1] - self.shown_ms[-1])

    def corrected_times(self, times_ms: Times) -> Times:
        """Return what time it was, int64 (n,), when the clock showed some instants."""
        return _through(*self._lines, times_ms)

    @property
    def _lines(self) -> tuple[tuple[int, ...], tuple[int, ...]]:
        """Its pairs, with one more that says how it goes on beyond them."""
        if self.rate_beyond is None or not self.shown_ms:
            return self.shown_ms, self.true_ms
        further_ms = round(_BEYOND_MS * self.rate_beyond)
        return (
            (*self.shown_ms, self.shown_ms[-1] + _BEYOND_MS),
            (*self.true_ms, self.true_ms[-1] + further_ms),
        )

    def shown(self, times_ms: Times) -> Times:
        """Return what the clock showed, int64 (n,), at some instants of true time."""
        shown, true = self._lines
        return _through(true, shown, times_ms)

    def corrected_instant(self, at_ms: int) -> int:
        """Return what time it was when the clock showed an instant; ends of time stay."""
        if not self or abs(at_ms) >= EVER_MS:
            return at_ms
        return int(self.corrected_times(np.array([at_ms], np.int64))[0])

    def shown_at(self, at_ms: int) -> int:
        """Return what the clock showed at an instant, to a millisecond; ends of time stay."""
        if not self or abs(at_ms) >= EVER_MS:
            return at_ms
        return int(self.shown(np.array([at_ms], np.int64))[0])

    def corrected_span(self, span: Span) -> Span:
        """Return a stretch of true time in which all lies that lies in one by the clock."""
        if not self:
            return span
        a, b = map(self.corrected_instant, span)
        return (a - _ROUNDED_MS, b + _ROUNDED_MS)

    def shown_span(self, span: Span) -> Span:
        """Return a stretch by the clock in which all lies that lies in one of true time."""
        if not self:
            return span
        a, b = map(self.shown_at, span)
        return (a - _ROUNDED_MS, b + _ROUNDED_MS)


RIGHT = ClockMap()
"""The map of a clock that nobody put right."""


def clock_map(pairs: Iterable[Iterable[int]], rate_beyond: float | None = None) -> ClockMap:
    """Return the map of pairs (shown, true), going on at a rate beyond the last one.

    Raises:
        ValueError: they do not rise together, or at a rate that no clock has.
    """
    listed = sorted((int(shown), int(true)) for shown, true in pairs)
    if not 1 <= len(listed) <= _MOST_PAIRS:
        raise ValueError(f"a clock correction has 1 to {_MOST_PAIRS} pairs")
    for (shown, true), (later, later_true) in pairwise(listed):
        rate = (later_true - true) / (later - shown) if later > shown else 0.0
        if not _LEAST_RATE <= rate <= _MOST_RATE:
            raise ValueError("between two of the times the clock would run impossibly fast or slow")
    if rate_beyond is not None and not _LEAST_RATE <= rate_beyond <= _MOST_RATE:
        raise ValueError("the clock would run impossibly fast or slow")
    return ClockMap(tuple(one[0] for one in listed), tuple(one[1] for one in listed), rate_beyond)


def _through(given: tuple[int, ...], wanted: tuple[int, ...], times_ms: Times) -> Times:
    if not given:
        return times_ms
    if len(given) == 1:
        shifted: Times = times_ms + np.int64(wanted[0] - given[0])
        return shifted
    its, others = np.array(given, np.int64), np.array(wanted, np.int64)
    at = np.clip(its.searchsorted(times_ms, side="right") - 1, 0, len(its) - 2)
    # differences are exact in float64, instants would be too, their products not
    rate = (others[1:] - others[:-1]) / (its[1:] - its[:-1])
    moved: Times = others[at] + np.rint((times_ms - its[at]) * rate[at]).astype(np.int64)
    return moved
