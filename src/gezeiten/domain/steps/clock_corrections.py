"""How a clock is put right by what was measured at contacts.

Source: docs/calculations.md, "Clocks".
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from gezeiten.domain.series.clocks.clock_map import ClockMap, clock_map
from gezeiten.domain.series.clocks.clock_uncertainty import (
    USUAL_DRIFT_PPM,
    ClockUncertainty,
    standard_between_ms,
)
from gezeiten.domain.series.timeline import DAY_MS

_MOST_RATE_PPM = 200.0
_JUMP_MS = 2_000
"""Contacts that differ by this and three times what they are sure to are no jump, however near they
lie together (CALCULATIONS.md, Time)."""


@dataclass(frozen=True, slots=True)
class ClockRead:
    """The clock read once: what it showed, what time it was (UTC ms), how sure that is (standard
    uncertainty, ms)."""

    shown_ms: int
    true_ms: int
    u_ms: float


@dataclass(frozen=True, slots=True)
class ClockFit:
    """A clock put right by what was read. uncertainty: of its instants. jumps:
    instants (true time) by which it had jumped, where no clock drifts so fast: somebody has to say
    what happened."""

    clock: ClockMap
    uncertainty: ClockUncertainty
    jumps: tuple[int, ...]


def drift_between_contacts(
    reads: Sequence[ClockRead], drift_ppm: float = USUAL_DRIFT_PPM
) -> ClockFit:
    """Return a clock stretched between the contacts at which it was read.

    Between two contacts the uncertainty is greatest in the middle: that of both, and of a rate that
    changed with temperature. Beyond the last contact it goes on at the rate that was measured, as
    far as this is surer than that clocks of its model run right (`rate_beyond`).

    Args:
        drift_ppm: by how much clocks of its model run wrong (k = 2).

    Raises:
        ValueError: nothing was read, or what was read does not rise.
    """
    ordered = sorted(reads, key=lambda one: one.true_ms)
    rate = rate_beyond(ordered, drift_ppm)
    found = clock_map(((clock_read.shown_ms, clock_read.true_ms) for clock_read in ordered), rate)
    jumps, worst = [], max(clock_read.u_ms for clock_read in ordered)
    for a, b in pairwise(ordered):
        if abs(_ppm(a, b)) > _MOST_RATE_PPM and not _is_noise(a, b):
            jumps.append(b.true_ms)
        worst = max(worst, u_between_contacts_ms(a, b, 0.5))
    us_ms = tuple(math.ceil(2 * clock_read.u_ms) for clock_read in ordered)
    return ClockFit(found, ClockUncertainty(math.ceil(2 * worst), us_ms, drift_ppm), tuple(jumps))


def rate_beyond(ordered: Sequence[ClockRead], drift_ppm: float) -> float:
    """Return how much true time goes by for each unit that a clock shows after it was read last.

    The rate is measured since the latest contact that tells it to a quarter of the usual drift,
    else since the one that tells it best, never over a jump; and weighed against no drift at all by
    how sure both are (inverse variances): two contacts an hour apart say nothing of a rate.
    """
    last = ordered[-1]
    usual_ppm = drift_ppm / 2
    best_ppm, best_u_ppm = 0.0, math.inf
    for one, following in zip(ordered[-2::-1], ordered[:0:-1], strict=True):
        if abs(_ppm(one, following)) > _MOST_RATE_PPM and not _is_noise(one, following):
            break
        u_ppm = 1e6 * math.hypot(one.u_ms, last.u_ms) / (last.true_ms - one.true_ms)
        if u_ppm < best_u_ppm:
            best_ppm, best_u_ppm = _ppm(one, last), u_ppm
        if u_ppm < usual_ppm / 4:
            break
    weight = 0.0 if math.isinf(best_u_ppm) else usual_ppm**2 / (usual_ppm**2 + best_u_ppm**2)
    return 1 / (1 + 1e-6 * best_ppm * weight)


LEAST_DRIFTED_MS = 3 * DAY_MS
"""A mission that lasted so long tells how fast its clock runs: 0.5 s at its launch are 2 ppm."""
_LEAST_CLOCKS = 5
_LEAST_DRIFT_PPM = 2.0


def usual_drifts(rates_ppm: Mapping[str, Sequence[float]]) -> dict[str, float]:
    """Return by how much clocks of each model run wrong: twice the root mean square of the rates
    that were measured, jumps left out; nothing of a model of which there are fewer than five."""
    found = {}
    for model, listed in rates_ppm.items():
        known = [one for one in listed if abs(one) <= _MOST_RATE_PPM]
        if len(known) >= _LEAST_CLOCKS:
            found[model] = max(
                2 * math.sqrt(sum(r * r for r in known) / len(known)), _LEAST_DRIFT_PPM
            )
    return found


def _ppm(a: ClockRead, b: ClockRead) -> float:
    """Return by how much a clock ran fast between two contacts."""
    return 1e6 * ((b.shown_ms - a.shown_ms) / (b.true_ms - a.true_ms) - 1)


def _is_noise(a: ClockRead, b: ClockRead) -> bool:
    """Whether two contacts differ by no more than they are sure to."""
    apart_ms = (b.shown_ms - b.true_ms) - (a.shown_ms - a.true_ms)
    return abs(apart_ms) <= 3 * math.hypot(a.u_ms, b.u_ms) + _JUMP_MS


def u_between_contacts_ms(a: ClockRead, b: ClockRead, part: float) -> float:
    """Return the standard uncertainty, ms, of an instant between two contacts.

    Args:
        part: how much of the time between them had passed, 0 to 1.
    """
    return standard_between_ms(a.u_ms, b.u_ms, b.true_ms - a.true_ms, part)
