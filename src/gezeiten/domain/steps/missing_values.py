"""Where a calculated series has no value though its first input has a reading, and why.

Source: docs/calculations.md, "Calculated series".
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import HOLD_FACTOR, Series
from gezeiten.domain.series.timeline import Times
from gezeiten.domain.steps.calculation import at_instants
from gezeiten.domain.steps.formulas.formula import Formula

NO_INPUT = -1
"""Every input has a value, the formula has none: out of its range."""


@dataclass(frozen=True, slots=True)
class MissingPeriod:
    """Readings of the first input side by side for which there is no calculated value. cause: the
    place of the first input that has no value there, `NO_INPUT` where all have one."""

    gap: Gap
    cause: int


def missing_periods(
    formula: Formula, inputs: Sequence[tuple[Series, str]], times_utc_ms: Times
) -> tuple[MissingPeriod, ...]:
    """Return where a calculated series lacks a value, oldest first.

    Args:
        inputs: by role, with the channel of each, as for `derive`.
        times_utc_ms: int64 (n,), the instants at which there is a value.
    """
    first = inputs[0][0]
    missing = first.subset(~np.isin(first.times_utc_ms, times_utc_ms))
    if not len(missing):
        return ()
    place = first.times_utc_ms.searchsorted(missing.times_utc_ms)
    cause = _causes(formula, inputs, missing.times_utc_ms)
    apart = (np.diff(place) != 1) | (np.diff(cause) != 0)
    edges = [0, *(np.flatnonzero(apart) + 1).tolist(), len(missing)]
    return tuple(MissingPeriod(_gap(missing, a, b), int(cause[a])) for a, b in pairwise(edges))


def joined(periods: Iterable[MissingPeriod]) -> list[MissingPeriod]:
    """Return lacks of several pieces, oldest first, with those that go on in the next as one."""
    found: list[MissingPeriod] = []
    for span in sorted(periods, key=lambda each: each.gap.start_ms):
        before = found[-1] if found else None
        if before is not None and before.cause == span.cause and _continues(before.gap, span.gap):
            gap = Gap(before.gap.start_ms, span.gap.end_ms, before.gap.interval_ms)
            found[-1] = MissingPeriod(gap, span.cause)
        else:
            found.append(span)
    return found


def _continues(gap: Gap, following: Gap) -> bool:
    return following.start_ms - gap.end_ms <= (HOLD_FACTOR - 1) * gap.interval_ms


def _gap(missing: Series, a: int, b: int) -> Gap:
    """Return the gap from one of the readings up to before another, the last held for its
    interval."""
    last = b - 1
    interval_ms = int(missing.interval_ms[a])
    end_ms = int(missing.times_utc_ms[last]) + int(missing.interval_ms[last])
    return Gap(int(missing.times_utc_ms[a]), end_ms, interval_ms)


def _causes(
    formula: Formula, inputs: Sequence[tuple[Series, str]], times_utc_ms: Times
) -> NDArray[np.int64]:
    cause = np.full(len(times_utc_ms), NO_INPUT, np.int64)
    for place in range(len(inputs) - 1, 0, -1):
        series, channel = inputs[place]
        averages = quantity(channel).averages
        values, _ = at_instants(series, times_utc_ms, formula.roles[place], averages)
        cause[~np.isfinite(values)] = place
    return cause
