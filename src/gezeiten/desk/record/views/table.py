"""Readings as a table: any series over any stretch, one row an instant, in an order of choice.

Nothing here knows a screen. Rows are numbers and positions; words are made when they are shown.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.deployments import sources
from gezeiten.desk.record.views.records import extent, limits_at, read_around
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.limits.limits import InForce, sides_at
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series import Series, all_instants
from gezeiten.domain.series.statistics.figures import Statistics, daily_numbers
from gezeiten.domain.series.timeline import DAY_MS, Span, Times

Only = Literal["all", "outside", "mended"]
Mark = Literal["", "above", "below"]
_MARKS: tuple[Mark, ...] = ("", "above", "below")
_NONE = -1


@dataclass(frozen=True, slots=True)
class TableColumn:
    """A series in a table. marks: 1 above, 2 below a limit in force then, else 0, uint8 (n,)."""

    point: PointPlace
    key: str
    unit: str
    series: Series
    limits: tuple[InForce, ...]
    marks: NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Cell:
    """What a series has at an instant: value, quality code, which side of a limit it is on."""

    value: float
    quality: int
    mark: Mark


@dataclass(slots=True)
class ReadingsTable:
    """All instants of some series in a stretch, and which of them are shown in which order.

    times_utc_ms: every instant, int64 (n,), increasing; at: for each column the place of its
    reading at each instant, -1 without one, int64 (n,); shown: rows shown, as places in
    times_utc_ms.
    """

    span: Span
    zone: str
    columns: tuple[TableColumn, ...]
    times_utc_ms: Times
    at: tuple[NDArray[np.int64], ...]
    shown: NDArray[np.int64] = field(init=False)
    only: Only = "all"
    order: tuple[int, bool] = (_NONE, False)

    def __post_init__(self) -> None:
        self.shown = np.arange(len(self.times_utc_ms), dtype=np.int64)

    def __len__(self) -> int:
        return len(self.shown)

    # -- asking --------------------------------------------------------------------------------
    def time_ms(self, row: int) -> int:
        """Return the instant of a row shown, UTC ms."""
        return int(self.times_utc_ms[self.shown[row]])

    def cell(self, row: int, column: int) -> Cell | None:
        """Return what a series has in a row shown, None where it has no reading then."""
        place = int(self.at[column][self.shown[row]])
        if place == _NONE:
            return None
        one = self.columns[column]
        return Cell(
            float(one.series.values[place]),
            int(one.series.quality[place]),
            _MARKS[int(one.marks[place])],
        )

    def row_of(self, at_ms: int) -> int | None:
        """Return the row shown whose instant is nearest to one, None where none is shown."""
        if not len(self.shown):
            return None
        return int(np.abs(self.times_utc_ms[self.shown] - at_ms).argmin())

    def extreme(self, column: int, *, highest: bool) -> int | None:
        """Return the row shown in which a series is highest or lowest; of equal ones the earliest
        instant."""
        places = self.at[column][self.shown]
        rows = np.flatnonzero(places != _NONE)
        if not len(rows):
            return None
        values = self.columns[column].series.values[places[rows]]
        best = rows[values == (values.max() if highest else values.min())]
        return int(best[self.shown[best].argmin()])

    def days(self, column: int) -> list[tuple[date, Statistics]]:
        """Return the figures of a series for each local day of the stretch that has readings."""
        one = self.columns[column]
        averages = quantity(one.key).averages
        rows = daily_numbers(one.series, self.span, self.zone, one.limits, averages=averages)
        return [(row.day, row.numbers) for row in rows if row.numbers.n]

    # -- choosing ------------------------------------------------------------------------------
    def show_only(self, only: Only) -> None:
        """Show all rows, those with a value outside its limits, or with an estimated one."""
        self.only = only
        self._arrange()

    def sort_by(self, column: int, *, descending: bool) -> None:
        """Order rows by the values of a series (-1: by time); rows without one come last."""
        self.order = (column, descending)
        self._arrange()

    def _arrange(self) -> None:
        rows = np.flatnonzero(self._filter_mask())
        column, descending = self.order
        if column == _NONE:
            self.shown = rows[::-1].copy() if descending else rows
            return
        places = self.at[column][rows]
        known = places != _NONE
        values = self.columns[column].series.values[places[known]]
        by_value = np.argsort(-values if descending else values, kind="stable")
        self.shown = np.concatenate([rows[known][by_value], rows[~known]])

    def _filter_mask(self) -> NDArray[np.bool_]:
        if self.only == "all":
            return np.ones(len(self.times_utc_ms), np.bool_)
        wanted = np.zeros(len(self.times_utc_ms), np.bool_)
        for one, at in zip(self.columns, self.at, strict=True):
            has = at != _NONE
            which = one.marks > 0 if self.only == "outside" else one.series.estimated
            wanted[has] |= which[at[has]]
        return wanted


def readings_table(
    desk: Workspace, selected: Sequence[tuple[PointPlace, str]], span: Span
) -> ReadingsTable:
    """Return the readings of some series, by point and key, in [start, end)."""
    limits: dict[int, dict[str, tuple[InForce, ...]]] = {}
    columns = []
    for point, key in selected:
        if point.id not in limits:
            limits[point.id] = limits_at(desk, point.id)
        series = read_around(desk, point.id, key, span, tolerant=True).between(*span)
        its = limits[point.id].get(key, ())
        unit = next((place.unit for place in point.channels if place.channel == key), "")
        marks = sides_at(series.times_utc_ms, series.values, its, point.zone)
        columns.append(TableColumn(point, key, unit, series, its, marks))
    zone = selected[0][0].zone if selected else "UTC"
    return table_of(tuple(columns), span, zone)


def table_of(columns: tuple[TableColumn, ...], span: Span, zone: str) -> ReadingsTable:
    """Return the table of these columns."""
    times = all_instants(column.series for column in columns)
    at = []
    for column in columns:
        places = np.full(len(times), _NONE, np.int64)
        places[times.searchsorted(column.series.times_utc_ms)] = np.arange(len(column.series))
        at.append(places)
    return ReadingsTable(span, zone, columns, times, tuple(at))


@dataclass(frozen=True, slots=True)
class LastReadings:
    """The series that a source feeds, and a stretch of them to look at."""

    series: tuple[tuple[PointPlace, str], ...]
    span: Span


def latest_readings(desk: Workspace, serial: str, span: Span | None = None) -> LastReadings | None:
    """Return what a source brought last: a stretch (both ends included), by default the last day
    that is kept of it. None where nothing of it is kept."""
    assigned = [
        deployment for deployment in sources(desk, serial=serial).deployments if deployment.series
    ]
    if not assigned:
        return None
    last = max(assigned, key=lambda one: one.start_ms)
    series = tuple((last.point, key) for key in last.series)
    if span is None:
        whole = extent(desk, last.point.id, list(last.series))
        if whole is None:
            return None
        span = (whole[1] - DAY_MS, whole[1])
    return LastReadings(series, (span[0], span[1] + 1))
