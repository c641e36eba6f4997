"""A series day by day: its figures, degree days of a temperature, the index of fine dust; looked at
and handed over as a table."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from gezeiten.archive.files.atomic_files import write_atomic
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import extent, read_around
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series_keys import channel_of, is_derived
from gezeiten.domain.series.statistics.day_figures import (
    BEYOND,
    DegreeRule,
    IndexDay,
    degree_days,
    index_days,
)
from gezeiten.domain.series.statistics.figures import DayNumbers, daily_numbers
from gezeiten.domain.series.timeline import DAY_MS, Span, from_ms, midnight_ms
from gezeiten.errors import CancelledError, InputError

MOST_DAYS = 1100
_AT_ONCE_MS = 32 * DAY_MS
INDEXED = "pm25"
"""The quantity that has an index."""


@dataclass(frozen=True, slots=True)
class DailyRecord:
    """A series day by day. degrees: of each day, () without a rule; index: of fine dust, () else;
    is_regulatory: it was measured as mass, not calculated from counts."""

    days: tuple[DayNumbers, ...]
    degrees: tuple[float, ...]
    index: tuple[IndexDay, ...]
    is_regulatory: bool


def day_by_day(
    desk: Workspace,
    point: PointPlace,
    series: str,
    span: Span,
    rule: DegreeRule | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> DailyRecord:
    """Return the figures of each local day of a stretch, a month read at a time.

    Raises:
        InputError: there is no reading, or there are too many days.
        CancelledError: as wished.
        ArchiveDamagedError: readings are damaged.
    """
    whole = extent(desk, point.id, [series])
    if whole is None:
        raise InputError(f"{quantity(series).name} of {point.full_name} has no reading yet.")
    span = (max(span[0], whole[0]), min(span[1], whole[1] + 1))
    if span[1] - span[0] > MOST_DAYS * DAY_MS:
        raise InputError(
            "Daily statistics show up to three years at once; choose a shorter period."
        )
    its, days, degrees = quantity(channel_of(series)), list[DayNumbers](), list[float]()
    index: list[IndexDay] = []
    begin = span[0]
    while begin < span[1]:
        if cancelled():
            raise CancelledError("Cancelled.")
        # whole days: a part ends at midnight
        following = from_ms(min(begin + _AT_ONCE_MS, span[1]), point.zone).date()
        end = midnight_ms(following, point.zone) if begin + _AT_ONCE_MS < span[1] else span[1]
        read = read_around(desk, point.id, series, (begin - DAY_MS, end + DAY_MS))
        part = daily_numbers(read, (begin, end), point.zone, averages=its.averages)
        days += part
        if rule is not None and its.unit == "°C":
            degrees += degree_days(read, part, rule)
        if its.key == INDEXED:
            index += index_days(read, part[0].day, part[-1].day, point.zone)
        begin = end
    with desk.archive.reading() as session:
        root = layout(session).root_of(point.id, series)
    is_mass = not is_derived(series) or channel_of(root) == INDEXED
    return DailyRecord(tuple(days), tuple(degrees), tuple(index), is_mass)


def write_days(daily_record: DailyRecord, unit: str, target: Path) -> None:
    """Write what is shown as CSV (RFC 4180), whole or not at all.

    Raises:
        SurroundingsError: it cannot be written there.
    """
    heads = [
        "day",
        "held_percent",
        "readings",
        *(f"{name}_{unit}" for name in ("mean", "lowest", "highest")),
    ]
    heads += ["degree_days_K_d"] if daily_record.degrees else []
    name = "index" if daily_record.is_regulatory else "index_like"
    heads += ["hours", "mean_of_hours_ug_m3", name] if daily_record.index else []
    rows = [heads]
    for i, one in enumerate(daily_record.days):
        its = one.numbers
        row = [f"{one.day:%Y-%m-%d}", f"{100 * its.coverage:.1f}", str(its.n)]
        row += [_figure(value) for value in (its.mean, its.lowest, its.highest)]
        row += [_figure(daily_record.degrees[i])] if daily_record.degrees else []
        if daily_record.index:
            that = daily_record.index[i]
            index = "" if that.index is None else str(that.index)
            row += [
                str(that.hours),
                _figure(that.mean_ug_m3),
                "beyond" if that.index == BEYOND else index,
            ]
        rows.append(row)
    text = io.StringIO(newline="")
    csv.writer(text, lineterminator="\r\n").writerows(rows)
    with translated(target.parent):
        write_atomic(target, text.getvalue())


def _figure(value: float) -> str:
    return f"{value:.6g}" if math.isfinite(value) else ""
