"""CSV by hand: rows, columns, marks and codes of a small table."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from gezeiten.domain.limits.limits import InForce, LimitRule, constant_limits
from gezeiten.domain.quantities.quantities import own_quantity, set_own_quantities
from gezeiten.domain.series.series import empty_series, make_series
from gezeiten.errors import SurroundingsError
from gezeiten.exchange import csv_out
from gezeiten.exchange.csv_description import Origin, described, description
from gezeiten.exchange.csv_out import CsvChannel, CsvPeriod, CsvTable, count_readings, write_csv
from tests.conftest import series_of

RULES = (LimitRule("air_temperature", "above", 20.0), LimitRule("air_temperature", "below", 5.0))


def table(**change: object) -> CsvTable:
    made = {
        "site": "Alte Lotsenwacht",
        "point": "Textile store",
        "zone": "Europe/Berlin",
        "channels": (
            CsvChannel(
                "air_temperature",
                "°C",
                series_of([0, 10, 20], [4.0, 20.0, 20.5], estimated=(1,)),
                constant_limits(RULES),
            ),
            CsvChannel("relative_humidity", "%", series_of([0, 20, 30], [50.0, 51.25, 52.0])),
        ),
        "periods": (CsvPeriod(0, "D-2041", 12),),
    }
    return CsvTable(**{**made, **change})  # type: ignore[arg-type]


def rows_of(path: Path) -> list[dict[str, str]]:
    with path.open(newline="", encoding="utf-8") as lines:
        return list(csv.DictReader(lines))


def test_one_row_an_instant_with_units_in_the_head(tmp_path: Path) -> None:
    assert write_csv(table(), tmp_path / "a.csv") == 4
    rows = rows_of(tmp_path / "a.csv")
    assert [row["time_utc"] for row in rows] == [
        "1970-01-01T00:00:00Z",
        "1970-01-01T00:10:00Z",
        "1970-01-01T00:20:00Z",
        "1970-01-01T00:30:00Z",
    ]
    assert rows[0]["time_local"] == "1970-01-01T01:00:00+01:00"
    assert list(rows[0])[6:9] == [
        "Air temperature [°C]",
        "Air temperature quality",
        "Air temperature limit",
    ]


def test_codes_and_marks_stand_beside_each_value(tmp_path: Path) -> None:
    write_csv(table(), tmp_path / "a.csv")
    rows = rows_of(tmp_path / "a.csv")
    marks = [row["Air temperature limit"] for row in rows]
    assert marks == ["below", "", "above", ""]  # equal to the limit is inside
    codes = [row["Air temperature quality"] for row in rows]
    assert codes == ["good", "estimate", "good", "missing"]
    assert [row["Air temperature [°C]"] for row in rows] == ["4", "20", "20.5", ""]
    assert [row["Relative humidity [%]"] for row in rows] == ["50", "", "51.25", "52"]


def test_limits_and_loggers_change_when_they_did(tmp_path: Path) -> None:
    stretches = (
        CsvPeriod(0, "D-2041", 12),
        CsvPeriod(15 * 60_000, "D-2044", 3),
    )
    limits = (InForce(RULES, 0, 15 * 60_000),)
    air = CsvChannel(
        "air_temperature", "°C", series_of([0, 10, 20, 30], [4.0, 6.0, 21.0, 3]), limits
    )
    write_csv(table(periods=stretches, channels=(air,)), tmp_path / "a.csv")
    rows = rows_of(tmp_path / "a.csv")
    assert [row["logger"] for row in rows] == ["D-2041", "D-2041", "D-2044", "D-2044"]
    assert [row["mission"] for row in rows] == ["12", "12", "3", "3"]
    assert [row["Air temperature limit"] for row in rows] == ["below", "", "", ""]


def test_readings_before_any_mission_name_none(tmp_path: Path) -> None:
    write_csv(table(periods=(CsvPeriod(10**9, "D-1", 1),)), tmp_path / "a.csv")
    assert {row["logger"] for row in rows_of(tmp_path / "a.csv")} == {""}


@pytest.mark.parametrize("name", ['Store "A", upper', "Zeile\nzwei", "Ωμέγα 🌊", "a;b"])
def test_any_name_reads_back(tmp_path: Path, name: str) -> None:
    write_csv(table(point=name), tmp_path / "a.csv")
    assert {row["point"] for row in rows_of(tmp_path / "a.csv")} == {name}


def test_an_empty_channel_is_a_column_of_missing(tmp_path: Path) -> None:
    channels = (
        CsvChannel("air_temperature", "°C", series_of([0], [4.0])),
        CsvChannel("relative_humidity", "%", empty_series()),
    )
    assert write_csv(table(channels=channels), tmp_path / "a.csv") == 1
    [row] = rows_of(tmp_path / "a.csv")
    assert row["Relative humidity quality"] == "missing"


def test_counting_counts_readings_and_their_values(tmp_path: Path) -> None:
    write_csv(table(), tmp_path / "a.csv")
    text = (tmp_path / "a.csv").read_text(encoding="utf-8")
    (tmp_path / "b.csv").write_text(text.replace("20.5,", ","), encoding="utf-8", newline="")
    assert count_readings(tmp_path / "b.csv") == (4, 5)


def test_values_stand_as_they_were_recorded(tmp_path: Path) -> None:
    values = np.array([101.3254, -0.0004, 1e-7, 12_000_000.0, -0.0])
    channels = (CsvChannel("air_pressure", "kPa", series_of([0, 10, 20, 30, 40], values.tolist())),)
    write_csv(table(channels=channels), tmp_path / "a.csv")
    shown = [row["Air pressure [kPa]"] for row in rows_of(tmp_path / "a.csv")]
    assert shown == ["101.3254", "-0.0004", "0.0000001", "12000000", "0"]


def test_what_is_empty_is_written_one_way(tmp_path: Path) -> None:
    write_csv(table(), tmp_path / "a.csv")
    assert b'""' not in (tmp_path / "a.csv").read_bytes()


@pytest.mark.parametrize("name", ["=1+1", "+49 40", "-cmd", "@sum", "\tx", "\rx"])
def test_no_name_is_a_formula(tmp_path: Path, name: str) -> None:
    write_csv(table(site=name, point=name), tmp_path / "a.csv")
    for row in rows_of(tmp_path / "a.csv"):
        assert row["site"] == row["point"] == "'" + name


def test_the_description_names_every_column_as_the_file_does(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    write_csv(table(), path)
    head = "Entry 12 of the chain 5f: 3b"
    told = json.loads(description("a.csv", table(), Origin(0, "JA", "ab" * 32, 4, head)))
    assert described(path).name == "a.csv-metadata.json"  # where W3C looks for it
    assert told["url"] == "a.csv"
    columns = told["tableSchema"]["columns"]
    assert [column["titles"] for column in columns] == list(rows_of(path)[0])
    assert len({column["name"] for column in columns}) == len(columns)
    assert told["notes"] == [
        {"sha256": "ab" * 32, "readings": 4, "zone": "Europe/Berlin", "logbook": head}
    ]


@pytest.mark.parametrize("name", ['=HYPERLINK("x")', "+1", "-a", "@sum", "\tx"])
def test_an_own_name_above_a_column_is_no_formula(tmp_path: Path, name: str) -> None:
    facts = {
        "name": name,
        "symbol": "x",
        "unit": "m",
        "decimals": 2,
        "range": [0, 9],
        "averages": "plain",
        "stamp": "instant",
        "dose": False,
        "kinetic": False,
    }
    set_own_quantities([own_quantity("own_depth", facts)])
    try:
        csv_channel = CsvChannel("own_depth", "m", series_of([0, 10], [1.0, 2.0]))
        write_csv(table(channels=(csv_channel,)), tmp_path / "a.csv")
        with (tmp_path / "a.csv").open(newline="", encoding="utf-8") as lines:
            heads = next(csv.reader(lines))
        assert heads[6:9] == [f"'{name} [m]", f"'{name} quality", f"'{name} limit"]
        assert count_readings(tmp_path / "a.csv") == (2, 2)
    finally:
        set_own_quantities([])


@pytest.mark.parametrize(
    ("part", "spoil"),
    [
        ("_digits", lambda plain: lambda values: plain(np.round(values))),
        (
            "_instants",
            lambda plain: lambda times, zone, after="": plain(times // 1_000 * 1_000, zone, after),
        ),
    ],
)
def test_a_file_that_holds_something_else_than_was_sent_is_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, part: str, spoil: Any
) -> None:
    times = np.array([1_000, 2_250, 3_000], np.int64)
    air = CsvChannel("air_temperature", "°C", make_series(times, np.array([4.0, 20.5, 7.0]), 1_000))
    assert write_csv(table(channels=(air,)), tmp_path / "whole.csv") == 3
    monkeypatch.setattr(csv_out, part, spoil(getattr(csv_out, part)))
    with pytest.raises(SurroundingsError, match="other readings after writing"):
        write_csv(table(channels=(air,)), tmp_path / "spoilt.csv")
