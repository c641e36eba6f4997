"""What is shown of a series' chain and of a step that is tried; no Qt."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from gezeiten.desk.record.statements.corrections import Chain, Effect
from gezeiten.domain.quantities.quantities import ShownUnit
from gezeiten.domain.series.drawing.peaks import thinned
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.chain import Correction
from gezeiten.domain.steps.corrections.suspicion import SuspectRule, suspect_spans
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.errors import InputError

LinkKind = Literal["source", "clock", "clock off", "calculated", "correction", "fill"]
MOST_DRAWN = 6_000
"""Readings of a trial that are drawn; of more, the extremes of stretches."""
_ARROW = re.compile(r"\s*(?:→|->|=>|>|=)\s*")


@dataclass(frozen=True, slots=True)
class Link:
    """A line of the chain: what it is, and the thing itself."""

    kind: LinkKind
    item: Any


def links(chain: Chain) -> list[Link]:
    """Return the lines of a chain from the source on."""
    found = [Link("source", feed) for feed in chain.assignments]
    found += [Link("clock", clock) for clock in chain.clocks]
    found += [Link("clock off", kept_clock) for kept_clock in chain.disabled_clocks]
    found += [Link("calculated", chain.formula_text)] if chain.formula_text else []
    found += [Link("correction", correction) for correction in chain.corrections]
    return found + [Link("fill", fill) for fill in chain.fills]


@dataclass(slots=True)
class TrialStep:
    """The step that is tried. kind: of a correction; unit: in which numbers are typed; decimals: of
    the quantity."""

    kind: str = "linear"
    unit: ShownUnit = field(default_factory=lambda: ShownUnit(""))
    decimals: int = 2

    def linear(self, offset: float, gain: float, u: float) -> dict[str, float]:
        """Return offset and gain as they apply to what is recorded, typed in the unit shown."""
        shift, factor = self.unit.offset, self.unit.factor
        return {
            "offset": (offset + gain * shift - shift) / factor,
            "gain": gain,
            "u": self.unit.recorded_difference(u),
        }

    def points(self, text: str, to_number: Callable[[str], float]) -> list[list[float]]:
        """Return the points that are typed as "0 → 0.1; 20 → 20.2", as they are recorded.

        Raises:
            InputError: they are not written so.
        """
        found = []
        for part in filter(None, (one.strip() for one in text.split(";"))):
            both = _ARROW.split(part)
            if len(both) != 2:
                raise InputError(f"“{part}” is no point; type “reading → reference”.")
            found.append([self.unit.recorded(to_number(one)) for one in both])
        return found


def correction_of(link: Link | None) -> Correction | None:
    """Return the correction of a line, None of another one."""
    return link.item if link is not None and link.kind == "correction" else None


def fill_of(link: Link | None) -> RecordStep | None:
    """Return the fill of a line, None of another one."""
    return link.item if link is not None and link.kind == "fill" else None


def drawn(effect: Effect, unit: ShownUnit) -> Series:
    """Return a trial as it is drawn, in the unit shown: of many readings the lowest and the highest
    of each stretch."""
    series = effect.after
    shown = series.values * unit.factor + unit.offset
    return thinned(
        Series(series.times_utc_ms, shown, series.quality, series.interval_ms), MOST_DRAWN
    )


def trial_span(view: Span, whole: Span | None, most_ms: int) -> Span:
    """Return the stretch in which a trial is shown: that in view, at most the last part of it, and
    where that holds nothing, the last of all."""
    if whole is not None and (view[1] <= whole[0] or view[0] >= whole[1]):
        view = whole
    return (max(view[0], view[1] - most_ms), view[1])


def number_unit(rule: SuspectRule, unit: ShownUnit) -> str:
    """Return in which unit the number of a rule is typed."""
    return {"value": unit.name, "rate": f"{unit.name}/h", "h": "h"}.get(rule.unit, "")


def number_shown(rule: SuspectRule, recorded: float, unit: ShownUnit) -> float:
    """Return the number of a rule in the unit shown."""
    return unit.shown_difference(recorded) if rule.unit in ("value", "rate") else recorded


def number_recorded(rule: SuspectRule, shown: float, unit: ShownUnit) -> float:
    """Return the number of a rule as it applies to what is recorded."""
    return unit.recorded_difference(shown) if rule.unit in ("value", "rate") else shown


def changed_spans(effect: Effect) -> tuple[list[Span], list[Span]]:
    """Return the stretches that a trial would take out, and those that it would make suspect, each
    to the reading behind its last; the first `_MOST_TINTED` of them."""
    before, after = effect.before, effect.after
    stays = np.isin(before.times_utc_ms, after.times_utc_ms)
    place = np.minimum(after.times_utc_ms.searchsorted(before.times_utc_ms), max(len(after) - 1, 0))
    code = after.quality[place] if len(after) else before.quality
    doubted = stays & (code == Quality.SUSPECT) & (before.quality != Quality.SUSPECT)
    return _spans(before, ~stays), _spans(before, doubted)


_MOST_TINTED = 200


def _spans(series: Series, which: Any) -> list[Span]:
    ends = np.append(series.times_utc_ms[1:], series.times_utc_ms[-1:] + 1)
    listed = suspect_spans(series, which)[:_MOST_TINTED]
    return [(begin, int(ends[series.times_utc_ms.searchsorted(end - 1)])) for begin, end in listed]
