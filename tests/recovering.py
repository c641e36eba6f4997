"""A gap cut into a made-up record, filled by what the procedure chooses for itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.corrections.suspicion import SUSPICIONS
from gezeiten.domain.steps.filling.candidates import (
    Companion,
    candidates,
    estimate_refusal,
    is_significantly_better,
    ranked,
)
from gezeiten.domain.steps.filling.hidden_periods import has_enough_training_data, training_spans
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
    truth, whole = its.series.values[first : first + length], its.series.subset(keep)
    unrest = unrest_of(whole, gap, scale_of(its.quantity).forward(whole.values))
    series, span = whole, (int(times[0]), int(times[-1]) + 1)
    for span in training_spans(gap) if unrest is None else ():
        series = whole.between(*span)
        if has_enough_training_data(series, gap):
            break
    if estimate_refusal(series, gap, its.quantity):
        return None
    there = its.companion.between(span[0] - 7 * 3_600_000, span[1] + 7 * 3_600_000)
    companions = [Companion("neighbour", there, its.other)]
    listed = list(candidates(series, gap, its.quantity, companions, seed, unrest))
    best = ranked(listed)[0]
    line = next(one for one in listed if one.kind == "line")
    inside = (truth >= best.low) & (truth <= best.high)
    moved = its.unrest[first : first + length]
    return Recovered(
        best.kind,
        inside,
        best.fill.values - truth,
        line.fill.values - truth,
        best.rmse,
        line.rmse,
        int(gap.start_ms // 3_600_000 % 24),
        float(np.ptp(moved)),
        best.is_worded,
        is_significantly_better(best, line),
        best.unrest,
    )


def _extremes(values: Values, length: int, after: str) -> np.ndarray:
    """Return the places of the 1 % highest or lowest readings, ends of the record left out."""
    low, high = np.quantile(values, (0.01, 0.99))
    places = np.flatnonzero(values >= high if after == "highest" else values <= low)
    n = len(values)
    return places[(places > n // 10) & (places < n - n // 10 - length)]


SPIKED = ("tide", "room", "store", "level", "humidity", "river")
"""Kinds of record in which spikes are looked for; dust comes in bursts."""


@dataclass(frozen=True)
class Spiked:
    """What a rule found of spikes that were put into a record: found of how many, and how many
    other readings it caught."""

    found: int
    of: int
    besides: int


def spikes_found(kind: str, seed: int) -> Spiked:
    """Put twenty spikes of one or two readings, ten times as large as the noise, into a record and
    look for them by the number that is proposed. The noise: of what a reading differs from the mean
    of its neighbours, 1.4826 MAD over the root of 1.5; at least that of rounding."""
    its = made(kind, seed)
    rng = np.random.default_rng([seed, 77])
    values, n = its.series.values.copy(), len(its.series)
    between = values[1:-1] - (values[:-2] + values[2:]) / 2
    noise = 1.4826 * float(np.median(np.abs(between))) / np.sqrt(1.5)
    noise = max(noise, 10.0**-its.quantity.decimals / np.sqrt(12))
    is_spike = np.zeros(n, np.bool_)
    for at in rng.choice(np.arange(20, n - 20, 12), 20, replace=False):
        many = 1 + int(rng.uniform() < 0.25)
        values[at : at + many] += 10 * noise * rng.choice((-1, 1))
        is_spike[at : at + many] = True
    values = np.clip(values, its.quantity.low, its.quantity.high)
    series = replace(its.series, values=np.round(values, its.quantity.decimals))
    rule = SUSPICIONS["spikes"]
    caught = rule.catches(series, rule.usual(series, its.quantity), its.quantity)
    return Spiked(
        int((caught & is_spike).sum()), int(is_spike.sum()), int((caught & ~is_spike).sum())
    )
