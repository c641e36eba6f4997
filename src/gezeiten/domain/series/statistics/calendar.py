"""Coverage by local day, month and year: how much of each is held by readings, and how much of that
is estimated.

Source: docs/calculations.md, "Coverage by day".
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from itertools import groupby

from gezeiten.domain.series.series import Series, clip_holds
from gezeiten.domain.series.timeline import Span, local_days


@dataclass(frozen=True, slots=True)
class CoveredTime:
    """How much of a stretch of time is held. length_ms: of it, as far as readings were due;
    covered_ms: by any reading, estimated_ms: by estimated ones among these, suspect_ms: by suspect
    ones."""

    length_ms: int
    covered_ms: int
    estimated_ms: int
    suspect_ms: int = 0

    @property
    def share(self) -> float:
        """Held of what was due, 0 to 1; 1 where nothing was due."""
        return self.covered_ms / self.length_ms if self.length_ms else 1.0

    @property
    def estimated_share(self) -> float:
        """Estimated of what was due, 0 to 1."""
        return self.estimated_ms / self.length_ms if self.length_ms else 0.0


def covered_days(series: Series, due: Span, zone: str) -> Iterator[tuple[date, CoveredTime]]:
    """Yield each local day of a stretch in which readings were due, with how much of it is held.

    Args:
        series: readings of the stretch and one beside it on either side, where there is one.
        due: from the first due instant to the last; days at its ends count as far as it reaches.
    """
    for day, span in local_days(*due, zone):
        part = (max(span[0], due[0]), min(span[1], due[1]))
        its, weights = clip_holds(series, part)
        estimated = int(weights[its.estimated].sum())
        suspect = int(weights[its.quality == 1].sum())
        yield day, CoveredTime(part[1] - part[0], int(weights.sum()), estimated, suspect)


def months(days: Iterable[tuple[date, CoveredTime]]) -> list[tuple[date, CoveredTime]]:
    """Return the months of days in order, each as its first day."""
    return _merge_days(days, lambda day: day.replace(day=1))


def years(days: Iterable[tuple[date, CoveredTime]]) -> list[tuple[date, CoveredTime]]:
    """Return the years of days in order, each as its first day."""
    return _merge_days(days, lambda day: day.replace(month=1, day=1))


def _merge_days(
    days: Iterable[tuple[date, CoveredTime]], first: Callable[[date], date]
) -> list[tuple[date, CoveredTime]]:
    return [
        (begin, total(one for _, one in its))
        for begin, its in groupby(days, key=lambda one: first(one[0]))
    ]


def total(parts: Iterable[CoveredTime]) -> CoveredTime:
    """Return all together."""
    listed = list(parts)
    return CoveredTime(
        sum(one.length_ms for one in listed),
        sum(one.covered_ms for one in listed),
        sum(one.estimated_ms for one in listed),
        sum(one.suspect_ms for one in listed),
    )
