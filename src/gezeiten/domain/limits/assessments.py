"""Assessments of excursions: each holds for what it was made about, however that is found again.

Source: docs/calculations.md, "Assessments".
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gezeiten.domain.series.timeline import Span

CHANGED_PART = 0.1
"""An excursion whose length differs by more than this part is another one than was assessed."""


@dataclass(frozen=True, slots=True)
class AssessedExcursion:
    """An excursion as it was seen. Instants UTC ms; extreme and dose in the channel's unit, dose
    times hours; measured, estimated: readings outside."""

    start_ms: int
    end_ms: int
    alarm_ms: int
    extreme: float
    extreme_ms: int
    dose: float
    measured: int
    estimated: int

    @property
    def span(self) -> Span:
        """From its begin to its end."""
        return (self.start_ms, self.end_ms)

    def has_changed(self, now: AssessedExcursion, *, is_above: bool) -> bool:
        """Whether what is found now is more, or much less, than what was assessed: its length
        differs by more than a tenth, or its extreme lies further out.

        is_above: the excursion lies above its limit.
        """
        length_ms = self.end_ms - self.start_ms
        differs_ms = abs(now.end_ms - now.start_ms - length_ms)
        further = now.extreme > self.extreme if is_above else now.extreme < self.extreme
        return differs_ms > CHANGED_PART * length_ms or further


def matched(found: Sequence[Span], assessed: Sequence[Span]) -> list[int | None]:
    """Return for each excursion found which assessment holds for it, None: it is to assess.

    An assessment holds for the one that it overlaps longest, the earlier of two alike; where two
    assessments lie on one excursion, the one that overlaps it longer holds and the other for none.
    """
    holds: list[int | None] = [None] * len(found)
    held_ms = [0] * len(found)
    for number, span in enumerate(assessed):
        overlaps = [min(end, span[1]) - max(start, span[0]) for start, end in found]
        most = max(overlaps, default=0)
        if most <= 0:
            continue
        at = overlaps.index(most)
        if most > held_ms[at]:
            holds[at], held_ms[at] = number, most
    return holds
