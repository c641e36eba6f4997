"""Names of excursions in sentences."""

from __future__ import annotations

from gezeiten.desk.record.excursion_book import BookedExcursion
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.ui.format.i18n import counted, day_and_time


def excursion_name(event: BookedExcursion) -> str:
    """Return what an excursion is called beside others: its point, quantity and begin."""
    begin = day_and_time(event.start_ms, event.point.zone)
    return f"{event.point.name} · {quantity(event.rule.channel).name} · {begin}"


def short_name(event: BookedExcursion) -> str:
    """Return what it is called where there is little room: its point and begin."""
    return f"{event.point.name} · {day_and_time(event.start_ms, event.point.zone)}"


def listed(lines: list[str], most: int) -> str:
    """Return lines one below the other, the last ones counted where there are too many."""
    shown = lines if len(lines) <= most else lines[: most - 1]
    if len(shown) < len(lines):
        shown = [*shown, counted(len(lines) - len(shown), "and %n more", "and %n more")]
    return "\n".join(shown)
