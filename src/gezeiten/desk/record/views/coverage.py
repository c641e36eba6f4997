"""Coverage of a series by day, month and year: looked at, and handed over as a table."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from datetime import date
from pathlib import Path

from gezeiten.archive.files.atomic_files import write_atomic
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import extent, read_around
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.statistics.calendar import (
    CoveredTime,
    covered_days,
    months,
    total,
    years,
)
from gezeiten.domain.series.timeline import Span, from_ms, midnight_ms
from gezeiten.errors import CancelledError, InputError

Days = list[tuple[date, CoveredTime]]


def coverage_of(
    desk: Workspace, point: PointPlace, series: str, cancelled: Callable[[], bool] = lambda: False
) -> Days:
    """Return how much of each local day is held, from the first reading due to the last there is; a
    month is read at a time.

    Raises:
        InputError: there is no reading.
        CancelledError: as wished.
        ArchiveDamagedError: readings are damaged.
    """
    due = _due(desk, point, series)
    found: Days = []
    begin = due[0]
    while begin < due[1]:
        if cancelled():
            raise CancelledError("Cancelled.")
        end = min(_next_month_ms(begin, point.zone), due[1])
        part = read_around(desk, point.id, series, (begin, end), tolerant=True)
        found += covered_days(part, (begin, end), point.zone)
        begin = end
    return found


def _due(desk: Workspace, point: PointPlace, series: str) -> Span:
    """Return from when to when readings were due: from the first mission's first one on."""
    whole = extent(desk, point.id, [series])
    if whole is None:
        raise InputError(f"{quantity(series).name} of {point.full_name} has no reading yet.")
    with desk.archive.reading() as session:
        made = layout(session)
        assignments = made.of_series(point.id, made.root_of(point.id, series))
    first = min(
        (feed.start_ms for feed in assignments if feed.deployment.stay.is_logger), default=whole[0]
    )
    return (min(max(first, 0), whole[0]), whole[1] + 1)


def _next_month_ms(at_ms: int, zone: str) -> int:
    day = from_ms(at_ms, zone).date()
    following = date(day.year + day.month // 12, day.month % 12 + 1, 1)
    return midnight_ms(following, zone)


def write_coverage(days: Days, target: Path) -> None:
    """Write coverage by day, month, year and in all as CSV (RFC 4180), whole or not at all.

    Raises:
        SurroundingsError: it cannot be written there.
    """
    rows: list[list[str]] = [["period", "held_percent", "estimated_percent", "suspect_percent"]]
    for listed, pattern in ((days, "%Y-%m-%d"), (months(days), "%Y-%m"), (years(days), "%Y")):
        rows += [_row(f"{day:{pattern}}", one) for day, one in listed]
    rows.append(_row("all", total(one for _, one in days)))
    text = io.StringIO(newline="")
    csv.writer(text, lineterminator="\r\n").writerows(rows)
    with translated(target.parent):
        write_atomic(target, text.getvalue())


def _row(period: str, covered_time: CoveredTime) -> list[str]:
    suspect = covered_time.suspect_ms / covered_time.length_ms if covered_time.length_ms else 0.0
    return [
        period,
        *(
            f"{100 * share:.2f}"
            for share in (covered_time.share, covered_time.estimated_share, suspect)
        ),
    ]
