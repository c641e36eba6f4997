"""What time it was when a logger's clock showed some other: instants of readings put right.

Source: docs/calculations.md, "Clocks".
"""

from __future__ import annotations

import math
from bisect import bisect_right
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

    def true(self, times_ms: Times) -> Times:
        """Return what time it was, int64 (n,), when the clock showed some instants."""
        return _through(*self._lines, times_ms)

    @property
    def _lines(self) -> tuple[tuple[int, ...], tuple[int, ...]]:
        """Its pairs, with one more that says how it goes on beyond them."""
        if self.rate_beyond is None or not self.shown_ms:
            return self.shown_ms, self.true_ms
        further_ms = round(_BEYOND_MS * self.rate_beyond)
        return ((*self.shown_ms, self.shown_ms[-1] + _BEYOND_MS),
                (*self.true_ms, self.true_ms[-1] + further_ms))  # fmt: skip

    def shown(self, times_ms: Times) -> Times:
        """Return what the clock showed, int64 (n,), at some instants of true time."""
        shown, true = self._lines
        return _through(true, shown, times_ms)

    def true_at(self, at_ms: int) -> int:
        """Return what time it was when the clock showed an instant; ends of time stay."""
        if not self or abs(at_ms) >= EVER_MS:
            return at_ms
        return int(self.true(np.array([at_ms], np.int64))[0])

    def shown_at(self, at_ms: int) -> int:
        """Return what the clock showed at an instant, to a millisecond; ends of time stay."""
        if not self or abs(at_ms) >= EVER_MS:
            return at_ms
        return int(self.shown(np.array([at_ms], np.int64))[0])

    def true_span(self, span: Span) -> Span:
        """Return a stretch of true time in which all lies that lies in one by the clock."""
        if not self:
            return span
        a, b = map(self.true_at, span)
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
        raise ValueError(f"a clock is put right by 1 to {_MOST_PAIRS} pairs")
    for (shown, true), (later, later_true) in pairwise(listed):
        rate = (later_true - true) / (later - shown) if later > shown else 0.0
        if not _LEAST_RATE <= rate <= _MOST_RATE:
            raise ValueError("no clock runs so fast or so slow between two of the instants")
    if rate_beyond is not None and not _LEAST_RATE <= rate_beyond <= _MOST_RATE:
        raise ValueError("no clock runs so fast or so slow")
    return ClockMap(tuple(one[0] for one in listed), tuple(one[1] for one in listed), rate_beyond)


@dataclass(frozen=True, slots=True)
class ClockSureness:
    """How sure the instants are that a map puts right (k = 2). us_ms: at each of its pairs, (): at
    worst `u_ms` at and between all; u_ms: at worst between two; drift_ppm: by how much it grows
    beyond them, in millionths of the time since, None where that was not said."""

    u_ms: int
    us_ms: tuple[int, ...] = ()
    drift_ppm: float | None = None


USUAL_DRIFT_PPM = 2000 / 86.4
"""Of a clock of which nothing else is known: 2 s a day."""


def clock_u_ms(clock: ClockMap, sure: ClockSureness, at_ms: int) -> float:
    """Return how sure an instant is (k = 2, ms) that a map put right; at_ms: in true time.

    Between two pairs what both are sure to is interpolated, and a bend added that is largest in the
    middle; beyond them it grows by the drift of the clock and, where no rate was said with them,
    by how far the two nearest can tell it. Source: docs/calculations.md, "Clocks".
    """
    true_ms = clock.true_ms
    us_ms = sure.us_ms or (sure.u_ms,) * len(true_ms)
    if not true_ms or len(us_ms) != len(true_ms):
        return float(sure.u_ms)
    if true_ms[0] <= at_ms <= true_ms[-1]:
        return _u_between(true_ms, us_ms, at_ms, sure) if sure.us_ms else float(sure.u_ms)
    at = 0 if at_ms < true_ms[0] else -1
    ppm = USUAL_DRIFT_PPM if sure.drift_ppm is None else sure.drift_ppm
    if sure.drift_ppm is None and len(true_ms) > 1:
        length_ms = abs(true_ms[at] - true_ms[1 if at == 0 else -2])
        ppm = math.hypot(ppm, 1e6 * math.sqrt(2) * sure.u_ms / length_ms)
    return math.hypot(us_ms[at], 1e-6 * ppm * abs(at_ms - true_ms[at]))


def _u_between(
    true_ms: tuple[int, ...], us_ms: tuple[int, ...], at_ms: int, sure: ClockSureness
) -> float:
    after = min(max(bisect_right(true_ms, at_ms), 1), len(true_ms) - 1)
    length_ms = true_ms[after] - true_ms[after - 1] if len(true_ms) > 1 else 0
    if length_ms == 0:
        return float(us_ms[0])
    part = (at_ms - true_ms[after - 1]) / length_ms
    ends = math.hypot(us_ms[after - 1] * (1 - part), us_ms[after] * part)
    return math.hypot(ends, 2 * bend_ms(length_ms, part))


OUTDOORS_PPM = 10.0
"""How far the rate of a clock in changing temperature may be from that between two contacts."""


def bend_ms(length_ms: int, part: float) -> float:
    """Return the standard uncertainty, ms, by which a clock may run otherwise between two contacts.

    Args:
        length_ms: of the time between them; part: how much of it had passed, 0 to 1.
    """
    return 4 * part * (1 - part) * OUTDOORS_PPM * 1e-6 * length_ms


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
