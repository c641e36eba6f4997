"""Which stretch Trends shows of which record, while it loads and after; no Qt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gezeiten.domain.series.timeline import DAY_MS, Span

LENGTHS = ((1, "1 d"), (7, "1 w"), (14, "2 w"), (30, "1 m"), (0, "all"))
"""Stretches that are offered, in days (0: all there is), with their names."""
USUAL_DAYS = 14


@dataclass(slots=True)
class TrendsView:
    """whole: from the first to the last reading of the points shown, None without any; remembered:
    the stretch to show once it has loaded; is_loading: another one is on its way; wanted_days:
    asked for meanwhile."""

    extent: Span | None = None
    remembered: Span | None = None
    is_loading: bool = False
    wanted_days: int | None = None

    def set_loading(self, view: Span | None) -> None:
        """Something is loaded; view: what is shown and shall stay, None where another one is
        wanted or nothing is shown."""
        if view is not None and self.remembered is None:
            self.remembered = view
        self.is_loading = True

    def set_target(self, span: Span | None) -> None:
        """A stretch is wanted, to be seen in its surroundings; None: whatever was shown."""
        self.remembered = surroundings_of(span) if span else None

    def loaded(self, whole: Span | None) -> Span | None:
        """What was loaded reaches so far; return the stretch to show of it."""
        self.extent, self.is_loading = whole, False
        if whole is None:
            return None
        view = first_view(self.remembered, whole)
        self.remembered = None
        return view

    def failed(self) -> None:
        """Nothing was loaded."""
        self.is_loading = False

    def last_days(self, days: int) -> Span | None:
        """Return the last days of the record (0: all of it); None while it loads: `waiting_days`
        says it then."""
        if self.is_loading:
            self.wanted_days = days
        if self.extent is None or self.is_loading:
            return None
        start, end = self.extent
        return (max(end - days * DAY_MS, start) if days else start, end)

    def waiting_days(self) -> int | None:
        """Return what was asked for while it loaded, once."""
        wanted, self.wanted_days = self.wanted_days, None
        return wanted

    def lengths_of(self, span: Span) -> list[int]:
        """Return which of `LENGTHS` a stretch has."""
        if self.extent is None:
            return []
        length, whole = ((b - a) / DAY_MS for a, b in (span, self.extent))
        return [days for days, _ in LENGTHS if abs(length - (days or whole)) < 0.01 * length]

    def contains(self, mark: Span | None) -> bool:
        """Whether a marked stretch lies in the record."""
        if mark is None or self.extent is None:
            return True
        return mark[1] > self.extent[0] and mark[0] < self.extent[1]


def first_view(stored: Span | None, whole: Span) -> Span:
    """The stretch shown first: the one that was shown, or the last days that there are."""
    if stored is None or stored[1] < whole[0] or stored[0] > whole[1]:
        return (max(whole[1] - USUAL_DAYS * DAY_MS, whole[0]), whole[1])
    return stored


def surroundings_of(span: Span) -> Span:
    """A stretch with as much again on each side as lets it be seen in its surroundings."""
    room = max(round((span[1] - span[0]) * 0.8), DAY_MS // 8)
    return (span[0] - room, span[1] + room)


def title(names: Sequence[tuple[str, str]]) -> str:
    """Return how points are called above their picture: one by its full name, several by their
    own. names: full and own name of each."""
    return names[0][0] if len(names) == 1 else ", ".join(own for _, own in names)
