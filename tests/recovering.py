"""A gap cut into a made-up record, filled by what the procedure chooses for itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.filling.candidates import (
    Companion,
    candidates,
    ranked,
    surely_better,
    why_not,
)
from gezeiten.domain.steps.filling.hidden import is_enough, learnt_from
from gezeiten.domain.steps.filling.scales import scale_of
from gezeiten.domain.steps.filling.unrest import unrest_of
from tests.made_records import STEP_MS, made

LENGTHS = (6, 36, 144, 432)


@dataclass(frozen=True)
class Recovered:
    """hour: of the day at which the gap began (UTC); unrest: how far what is irregular moved within
    it; is_few: few stretches were known, so that the band says "at least"; says_better: it was said
    to do better than the straight line; unrest_said: what is said of unrest beside it."""

    kind: str
    inside: np.ndarray
    errors: Values
    by_line: Values
    promised: float
    by_line_promised: float
    hour: int
    unrest: float
    is_few: bool
    says_better: bool
    unrest_said: str = ""

    @property
    def is_better(self) -> bool:
        """Whether it did better than the straight line."""
        return float((self.errors**2).mean()) < float((self.by_line**2).mean())


def recovered(
    kind: str, length: int, seed: int, after: Literal["", "highest", "lowest"] = ""
) -> Recovered | None:
    """Return how a gap of so many readings was filled, None where nothing could.

    Args:
        after: the gap begins right after one of the 1 % highest or lowest readings, "": anywhere.
    """
    its = made(kind, seed)
    rng = np.random.default_rng([seed, length])
    n = len(its.series)
    first = int(rng.integers(n // 3, 2 * n // 3 - length))
    if after:
        places = _extremes(its.series.values, length, after)
        if not len(places):
            return None
        first = int(rng.choice(places)) + 1
    times = its.series.times_utc_ms
    gap = Gap(int(times[first]), int(times[first + length]), STEP_MS)
    keep = np.ones(len(times), np.bool_)
    keep[first : first + length] = False
    truth, whole = its.series.values[first : first + length], its.series.part(keep)
    unrest = unrest_of(whole, gap, scale_of(its.quantity).forward(whole.values))
    series, span = whole, (int(times[0]), int(times[-1]) + 1)
    for span in learnt_from(gap) if unrest is None else ():
        series = whole.between(*span)
        if is_enough(series, gap):
            break
    if why_not(series, gap, its.quantity):
        return None
    there = its.companion.between(span[0] - 7 * 3_600_000, span[1] + 7 * 3_600_000)
    companions = [Companion("neighbour", there, its.other)]
    listed = list(candidates(series, gap, its.quantity, companions, seed, unrest))
    best = ranked(listed)[0]
    line = next(one for one in listed if one.kind == "line")
    inside = (truth >= best.low) & (truth <= best.high)
    moved = its.unrest[first : first + length]
    return Recovered(
        best.kind, inside, best.fill.values - truth, line.fill.values - truth, best.rmse, line.rmse,
        int(gap.start_ms // 3_600_000 % 24), float(np.ptp(moved)), best.is_worded,
        surely_better(best, line), best.unrest,
    )  # fmt: skip


def _extremes(values: Values, length: int, after: str) -> np.ndarray:
    """Return the places of the 1 % highest or lowest readings, ends of the record left out."""
    low, high = np.quantile(values, (0.01, 0.99))
    places = np.flatnonzero(values >= high if after == "highest" else values <= low)
    n = len(values)
    return places[(places > n // 10) & (places < n - n // 10 - length)]
