"""The chain of a series: corrections from what its source gave to what is in the record.

Source: docs/calculations.md, "Corrections". Nothing that was offloaded changes by it: a step that
is switched off, or taken back, leaves exactly what was before.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.quality import Quality, worst
from gezeiten.domain.series.series import Series, join_series, make_series
from gezeiten.domain.series.timeline import EVER_MS
from gezeiten.domain.steps.corrections import CORRECTIONS, CorrectionKind
from gezeiten.domain.steps.corrections.marks import MARKS, SUSPECT, TAKEN_OUT, mark_of, marked_spans


@dataclass(frozen=True, slots=True)
class Correction:
    """A step in the chain of a series (its key) of a point, in force in [start_ms, end_ms), None:
    until further notice. uid: its id; kind, version: by which; is_on: else it has no effect;
    is_stale: it was fitted to another state of the chain, see `outdated_marked`."""

    uid: str
    point: str
    series: str
    kind: str
    version: int
    start_ms: int
    end_ms: int | None
    parameters: dict[str, Any]
    reason: str
    stated_ms: int
    stated_by: str
    is_on: bool = True
    is_stale: bool = False

    @property
    def until_ms(self) -> int:
        """Its end, `EVER_MS` where it has none."""
        return EVER_MS if self.end_ms is None else self.end_ms

    @property
    def does(self) -> CorrectionKind:
        """What its kind does."""
        return CORRECTIONS[self.kind, self.version]

    def touches(self, start_ms: int, end_ms: int) -> bool:
        """Whether any of a stretch lies in it."""
        return self.start_ms < end_ms and self.until_ms > start_ms


def in_order(corrections: Sequence[Correction]) -> list[Correction]:
    """Return steps in the order of the chain: by kind, of one kind those said earlier first. What a
    newer version said, which is not known here, has no effect."""
    known = [
        correction
        for correction in corrections
        if (correction.kind, correction.version) in CORRECTIONS
    ]
    return sorted(known, key=lambda one: (one.does.order, one.stated_ms, one.uid))


def below(of: Correction, steps: Sequence[Correction]) -> list[str]:
    """Return the ids of the steps that are on and change what a step of a kind that comes later
    starts from, in its stretch."""
    return sorted(
        one.uid
        for one in in_order(steps)
        if one.is_on and one.does.order < of.does.order and one.touches(of.start_ms, of.until_ms)
    )


def outdated_marked(steps: Sequence[Correction]) -> list[Correction]:
    """Return the steps of one series with what was fitted to another state of its chain marked as
    such: it keeps its numbers, and what it makes is suspect until it is fitted anew."""
    known = [step for step in steps if (step.kind, step.version) in CORRECTIONS]
    return [
        replace(
            step,
            is_stale=step in known
            and step.does.is_fitted
            and step.parameters["below"] != below(step, known),
        )
        for step in steps
    ]


def corrected(series: Series, steps: Sequence[Correction]) -> Series:
    """Return measured readings as they stand in the record.

    Args:
        series: of one series, estimates left out (these come after all corrections).
        steps: of its chain; those that are off are passed over.

    A step that gives no finite value leaves none, as a mark "taken out" does. Of several marks on a
    reading the one said last stands: "kept" brings one back that a step before took out.
    """
    standing = [one for one in in_order(steps) if one.is_on]
    if not len(series) or not standing:
        return series
    for step in standing:
        if not mark_of(step.kind, step.parameters):
            series = _within_period(series, step)
    marks = _marks(series, standing)
    values, quality = series.values, series.quality
    if marks is not None:
        doubted = np.where(marks == _SUSPECT, np.uint8(Quality.SUSPECT), np.uint8(Quality.GOOD))
        quality = worst(quality, doubted)
        values = np.where(marks == _TAKEN_OUT, np.nan, values)
    return make_series(series.times_utc_ms, values, series.interval_ms, quality, is_in_order=True)


def _within_period(series: Series, step: Correction) -> Series:
    a, b = series.times_utc_ms.searchsorted((step.start_ms, step.until_ms))
    if a == b:
        return series
    with np.errstate(all="ignore"):
        changed = step.does.apply(
            series.subset(slice(a, b)), step.parameters, step.start_ms, step.until_ms
        )
    if step.is_stale:
        doubted = np.full(len(changed), np.uint8(Quality.SUSPECT))
        changed = replace(changed, quality=worst(changed.quality, doubted))
    if b - a == len(series):
        return changed
    return join_series([series.subset(slice(0, a)), changed, series.subset(slice(b, None))])


def _near(spans: NDArray[np.int64], series: Series) -> NDArray[np.int64]:
    """Return the stretches that reach into a series."""
    begin, end = series.times_utc_ms[[0, -1]]
    found: NDArray[np.int64] = spans[(spans[:, 1] > begin) & (spans[:, 0] <= end)]
    return found


_SUSPECT, _TAKEN_OUT = MARKS.index(SUSPECT) + 1, MARKS.index(TAKEN_OUT) + 1


def _marks(series: Series, steps: Sequence[Correction]) -> NDArray[np.uint8] | None:
    """Return what is said of each reading as its place in `MARKS` from 1 on, 0 where nothing is;
    None where nothing is said of any."""
    texts = [(one, mark_of(one.kind, one.parameters)) for one in steps]
    texts = [(one, mark) for one, mark in texts if mark]
    if not texts:
        return None
    marks = np.zeros(len(series), np.uint8)
    for step, mark in sorted(texts, key=lambda one: (one[0].stated_ms, one[0].uid)):
        spans = marked_spans(step.parameters, step.start_ms, step.until_ms)
        for a, b in series.times_utc_ms.searchsorted(_near(spans, series)):
            marks[a:b] = MARKS.index(mark) + 1
    return marks
