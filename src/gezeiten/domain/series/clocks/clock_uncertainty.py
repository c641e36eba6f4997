"""How uncertain instants are that a clock map puts right: at contacts, between and beyond them.

Source: docs/calculations.md, "Clocks".
"""

from __future__ import annotations

import math
from bisect import bisect_right
from dataclasses import dataclass

from gezeiten.domain.series.clocks.clock_map import ClockMap

USUAL_DRIFT_PPM = 2000 / 86.4
"""Of a clock of which nothing else is known: 2 s a day."""
OUTDOORS_PPM = 10.0
"""How far the rate of a clock in changing temperature may be from that between two contacts."""


@dataclass(frozen=True, slots=True)
class ClockUncertainty:
    """U (k = 2) of the instants that a map puts right. us_ms: at each of its pairs, (): at worst
    `u_ms` at and between all; u_ms: at worst between two; drift_ppm: by how much it grows beyond
    them, in millionths of the time since, None where that was not said."""

    u_ms: int
    us_ms: tuple[int, ...] = ()
    drift_ppm: float | None = None


def clock_u_ms(clock: ClockMap, uncertainty: ClockUncertainty, at_ms: int) -> float:
    """Return U (k = 2), ms, of an instant that a map put right; at_ms: in true time.

    Between two pairs that of both is interpolated, and a bend added that is largest in the middle;
    beyond them it grows by the drift of the clock and, where no rate was said with them, by how far
    the two nearest can tell it.
    """
    true_ms, worst_ms = clock.true_ms, float(uncertainty.u_ms)
    us_ms = uncertainty.us_ms or (uncertainty.u_ms,) * len(true_ms)
    if not true_ms or len(us_ms) != len(true_ms):
        return worst_ms
    if true_ms[0] <= at_ms <= true_ms[-1]:
        return _between_pairs(true_ms, us_ms, at_ms) if uncertainty.us_ms else worst_ms
    at = 0 if at_ms < true_ms[0] else -1
    ppm = USUAL_DRIFT_PPM if uncertainty.drift_ppm is None else uncertainty.drift_ppm
    if uncertainty.drift_ppm is None and len(true_ms) > 1:
        length_ms = abs(true_ms[at] - true_ms[1 if at == 0 else -2])
        ppm = math.hypot(ppm, 1e6 * math.sqrt(2) * worst_ms / length_ms)
    return math.hypot(us_ms[at], 1e-6 * ppm * abs(at_ms - true_ms[at]))


def _between_pairs(true_ms: tuple[int, ...], us_ms: tuple[int, ...], at_ms: int) -> float:
    if len(true_ms) == 1:
        return float(us_ms[0])
    after = min(max(bisect_right(true_ms, at_ms), 1), len(true_ms) - 1)
    length_ms = true_ms[after] - true_ms[after - 1]
    part = (at_ms - true_ms[after - 1]) / length_ms
    return 2 * standard_between_ms(us_ms[after - 1] / 2, us_ms[after] / 2, length_ms, part)


def standard_between_ms(u_a_ms: float, u_b_ms: float, length_ms: int, part: float) -> float:
    """Return the standard uncertainty, ms, of an instant between two contacts: that of both, and of
    a rate that changed with temperature.

    Args:
        u_a_ms, u_b_ms: standard uncertainty at both; length_ms: of the time between them; part: how
            much of it had passed, 0 to 1.
    """
    bend_ms = 4 * part * (1 - part) * OUTDOORS_PPM * 1e-6 * length_ms
    return math.hypot(u_a_ms * (1 - part), u_b_ms * part, bend_ms)
