"""The table of readings: rows of several series, chosen and sorted, as worked out by hand."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.desk.record.views.table import ReadingsTable, TableColumn, table_of
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.limits.limits import InForce, LimitRule, sides_at
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from tests.conftest import series_of

POINT = PointPlace(1, 1, "Shore", "Well", "Europe/Berlin", "D-1", 0, ())
WARM = InForce((LimitRule("air_temperature", "above", 20.0),), 0, HOUR_MS)
COLD = InForce((LimitRule("air_temperature", "below", 10.0),), HOUR_MS, 2**62)


def column(series: Series, *limits: InForce) -> TableColumn:
    return TableColumn(
        POINT,
        "air_temperature",
        "°C",
        series,
        limits,
        sides_at(series.times_utc_ms, series.values, limits, "UTC"),
    )


def table() -> ReadingsTable:
    air = series_of([0, 10, 20, 70, 80], [21.0, 20.0, 19.0, 21.0, 9.0], estimated=(2,))
    other = series_of([10, 80, 90], [5.0, 7.0, 6.0])
    return table_of((column(air, WARM, COLD), column(other)), (0, DAY_MS), "Europe/Berlin")


def minutes(readings_table: ReadingsTable) -> list[int]:
    return [readings_table.time_ms(row) // 60_000 for row in range(len(readings_table))]


def test_a_row_is_an_instant_of_any_series_judged_by_the_limits_of_then() -> None:
    made = table()
    assert minutes(made) == [0, 10, 20, 70, 80, 90]
    marks = [cell.mark if (cell := made.cell(row, 0)) else None for row in range(6)]
    assert marks == ["above", "", "", "", "below", None]
    assert [made.cell(row, 1) is not None for row in range(6)] == [0, 1, 0, 0, 1, 1]


def test_only_what_is_outside_or_mended() -> None:
    made = table()
    made.show_only("outside")
    assert minutes(made) == [0, 80]
    made.show_only("mended")
    assert minutes(made) == [20]


def test_sorted_by_value_rows_without_one_come_last() -> None:
    made = table()
    made.sort_by(0, descending=True)
    assert minutes(made) == [0, 70, 10, 20, 80, 90]
    made.sort_by(1, descending=False)
    assert minutes(made)[:3] == [10, 90, 80]
    made.show_only("outside")
    assert minutes(made) == [80, 0]
    made.sort_by(-1, descending=True)
    assert minutes(made) == [80, 0]


def test_an_instant_and_an_extreme_are_found_among_the_rows_shown() -> None:
    made = table()
    assert made.row_of(14 * 60_000) == 1
    assert made.extreme(0, highest=True) == 0
    assert made.extreme(1, highest=False) == 1
    made.sort_by(0, descending=False)
    assert minutes(made)[made.extreme(0, highest=True) or 0] == 0  # the earlier of two
    made.show_only("mended")
    assert made.extreme(1, highest=True) is None
    assert table_of((), (0, 1), "UTC").row_of(5) is None


def test_days_are_those_of_the_site() -> None:
    series = series_of([0, 22 * 60, 23 * 60 + 30], [1.0, 2.0, 3.0], interval_min=60)
    made = table_of((column(series),), (0, 2 * DAY_MS), "Europe/Berlin")
    days = made.days(0)
    assert [(day.isoformat(), figures.n) for day, figures in days] == [
        ("1970-01-01", 2),
        ("1970-01-02", 1),
    ]


VALUES = st.lists(st.integers(-5, 5).map(float), min_size=1, max_size=40)


@given(VALUES, st.booleans(), st.sampled_from(["all", "outside"]))
def test_sorting_and_choosing_lose_and_invent_no_row(
    values: list[float], descending: bool, only: str
) -> None:
    series = series_of(list(range(len(values))), values)
    zero = InForce((LimitRule("air_temperature", "above", 0.0),), 0, 2**62)
    made = table_of((column(series, zero),), (0, DAY_MS), "UTC")
    made.show_only(only)  # type: ignore[arg-type]
    made.sort_by(0, descending=descending)
    shown = [made.cell(row, 0).value for row in range(len(made))]  # type: ignore[union-attr]
    wanted = [value for value in values if only == "all" or value > 0]
    assert shown == sorted(wanted, reverse=descending)
    assert len(set(np.asarray(made.shown).tolist())) == len(made)
