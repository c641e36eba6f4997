"""CSV of a point's record: RFC 4180, one row an instant, units in the head, read back and compared.

Columns: site, point, logger, mission, time_utc, time_local, then for each channel its value with
the unit in the name, its quality code and its limit mark ("above", "below" or empty). Values stand
as they were recorded, to the last digit; what is empty is nothing between two commas.
"""

from __future__ import annotations

import csv
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits.limits import InForce, sides_at
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, all_instants
from gezeiten.domain.series.timeline import DAY_MS, Times, Values, utc_offsets_ms
from gezeiten.errors import SurroundingsError

if TYPE_CHECKING:
    import polars as pl

FIXED = ("site", "point", "logger", "mission", "time_utc", "time_local")


@dataclass(frozen=True, slots=True)
class CsvPeriod:
    """The logger at the point from start_ms on (until the next stretch begins), and its mission."""

    start_ms: int
    serial: str
    mission: int


@dataclass(frozen=True, slots=True)
class CsvChannel:
    """A series: its key, unit and readings, and the limits on it by when they were in force.
    formula_text: it is calculated and corrected, "" where it is as recorded."""

    key: str
    unit: str
    series: Series
    limits: tuple[InForce, ...] = ()
    formula_text: str = ""


@dataclass(frozen=True, slots=True)
class CsvTable:
    """What goes into the file."""

    site: str
    point: str
    zone: str
    channels: tuple[CsvChannel, ...]
    periods: tuple[CsvPeriod, ...]


ROWS_AT_ONCE = 65_536
"""Rows of the file that are made and written together, so that no file fills the memory."""


def write_csv(table: CsvTable, path: Path) -> int:
    """Write the file, read it back, and return how many readings it holds.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    times = all_instants(channel.series for channel in table.channels)
    with path.open("wb") as out:
        out.write((",".join(quoted(title) for title in _titles(table)) + "\r\n").encode())
        for start in range(0, len(times), ROWS_AT_ONCE):
            out.write(_lines(table, times[start : start + ROWS_AT_ONCE]))
    _compare(path, table, times)
    return len(times)


def _compare(path: Path, table: CsvTable, times: Times) -> None:
    """Read a file back and compare every instant and value, bit by bit, with what was sent."""
    expected = len(times), sum(len(channel.series) for channel in table.channels)
    found = count_readings(path)
    if found != expected:
        raise SurroundingsError(
            f"{path} contains {found[0]} readings with {found[1]} values after writing, "
            f"but {expected[0]} with {expected[1]} were exported; export it again."
        )
    written, *columns = _read_back(path, len(table.channels))
    is_same = np.array_equal(written, times)
    for channel, values in zip(table.channels, columns, strict=True):
        rows = times.searchsorted(channel.series.times_utc_ms)
        is_same = is_same and np.array_equal(values[rows], channel.series.values)
    if not is_same:
        raise SurroundingsError(
            f"{path} contains other readings after writing than were exported; export it again."
        )


def _read_back(path: Path, channels: int) -> list[NDArray[Any]]:
    """Return the instants of a file of ours, UTC ms int64 (n,), and the values of each channel,
    float64 (n,), NaN where a cell is empty."""
    import polars as pl

    instant = pl.col(f"{FIXED.index('time_utc')}").str.strip_suffix("Z")
    places = range(len(FIXED), len(FIXED) + 3 * channels, 3)
    frame = (
        _scanned(path)
        .select(
            instant.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f", time_unit="ms").dt.epoch("ms"),
            *(pl.col(f"{place}").cast(pl.Float64) for place in places),
        )
        .collect(engine="streaming")
    )
    return [column.to_numpy() for column in frame]


def _titles(table: CsvTable) -> list[str]:
    """Return what stands above the columns."""
    of_channels = [channel_titles(channel.key, channel.unit) for channel in table.channels]
    return [*FIXED, *(title for titles in of_channels for title in titles)]


def _lines(table: CsvTable, times: Times) -> bytes:
    """Return rows of the file, put together column by column; what is empty is nothing between two
    commas."""
    # a slow import that only an export needs
    import polars as pl

    parts = [
        _origin_cells(table, times),
        *_instants(times, "UTC", ","),
        *_instants(times, table.zone),
    ]
    for channel in table.channels:
        parts += _readings(table.zone, times, channel)
    lines = pl.select(pl.concat_str(parts)).to_series().str.join("\r\n")
    return f"{lines[0]}\r\n".encode()


def quoted(text: str) -> str:
    """Return a text that somebody typed as it stands in a CSV (RFC 4180)."""
    if not set(text) & set('",\r\n'):
        return text
    doubled = text.replace('"', '""')
    return f'"{doubled}"'


def _instants(times: Times, zone: str, after: str = "") -> list[pl.Series]:
    """Return instants as ISO 8601 in a zone, milliseconds only where there are any: in parts, days,
    times of day and offsets, of each of which there are few."""
    import polars as pl

    offsets = np.zeros(len(times), np.int64) if zone == "UTC" else utc_offsets_ms(times, zone)
    local = times + offsets
    day = local // DAY_MS
    second, ms = np.divmod((local - day * DAY_MS).astype(np.int32), np.int32(1000))
    parts = [_each(day, _day_text), _times_of_day().gather(pl.Series(second))]
    if ms.any():
        parts.append(_each(ms, lambda rest: f".{rest:03}" if rest else ""))
    end = "Z" if zone == "UTC" else ""
    return [*parts, _each(offsets, lambda offset: (end or _offset_text(offset)) + after)]


def _each(numbers: NDArray[np.integer[Any]], text_of: Callable[[int], str]) -> pl.Series:
    """Return the text of each number, made once for those that are the same."""
    import polars as pl

    if len(numbers) and numbers[0] == numbers[-1] and (numbers == numbers[0]).all():
        return pl.repeat(text_of(int(numbers[0])), len(numbers), dtype=pl.String, eager=True)
    changes = np.flatnonzero(np.diff(numbers, prepend=numbers[:1]))
    if len(changes) * 8 < len(numbers):  # long runs of the same
        firsts = np.append(0, changes)
        texts = [text_of(number) for number in numbers[firsts].tolist()]
        at = np.repeat(np.arange(len(firsts)), np.diff(np.append(firsts, len(numbers))))
    else:
        different, at = np.unique(numbers, return_inverse=True)
        texts = [text_of(number) for number in different.tolist()]
    return pl.Series(texts, dtype=pl.String).gather(pl.Series(at))


@cache
def _times_of_day() -> pl.Series:
    """Every second of a day, as text."""
    import polars as pl

    return pl.Series([f"{s // 3600:02}:{s // 60 % 60:02}:{s % 60:02}" for s in range(86_400)])


def _day_text(days: int) -> str:
    return f"{date(1970, 1, 1) + timedelta(days=days)}T"


def _offset_text(offset_ms: int) -> str:
    sign, seconds = "-" if offset_ms < 0 else "+", abs(offset_ms) // 1000
    rest = f":{seconds % 60:02}" if seconds % 60 else ""
    return f"{sign}{seconds // 3600:02}:{seconds // 60 % 60:02}{rest}"


def plain(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula: one that begins like a formula gets
    an apostrophe in front. Source: OWASP, "CSV Injection"."""
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t", "\r")) else text


def _digits(values: Values) -> pl.Series:
    """Return for each value the shortest digits that read back as the same number, without a power
    of ten."""
    import polars as pl

    text = pl.Series(values + 0.0).cast(pl.String).str.strip_suffix(".0")  # minus nothing is none
    powers = text.str.contains("e", literal=True)
    if not powers.any():
        return text
    plainly = [np.format_float_positional(value, trim="-") for value in values[powers.to_numpy()]]
    return text.scatter(np.flatnonzero(powers.to_numpy()), plainly)


def _origin_cells(table: CsvTable, times: Times) -> pl.Series:
    """Return the first four cells of each row: site, point, logger and mission."""
    starts = np.array([span.start_ms for span in table.periods], np.int64)
    at = np.searchsorted(starts, times, side="right") - 1  # -1: before the first

    def text(number: int) -> str:
        one = table.periods[number] if number >= 0 else None
        origin = [plain(one.serial), str(one.mission)] if one else ["", ""]
        cells = [plain(table.site), plain(table.point), *origin]
        return ",".join(map(quoted, cells)) + ","

    return _each(at, text)


def _readings(zone: str, times: Times, channel: CsvChannel) -> list[pl.Series]:
    """Return the cells of a series, each with the comma before it: its values, and the rest."""
    import polars as pl

    part = channel.series.between(int(times[0]), int(times[-1]) + 1)
    rows = None  # each reading has a row of its own, and there is no other
    if len(part) != len(times):
        at = np.zeros(len(times), np.int64)  # 0: nothing there
        at[times.searchsorted(part.times_utc_ms)] = np.arange(1, len(part) + 1)
        rows = pl.Series(at)
    sides = sides_at(part.times_utc_ms, part.values, channel.limits, zone)
    rest = _each(part.quality.astype(np.int64) * len(_SIDES) + sides, _rest)
    comma = pl.repeat(",", len(times), eager=True)
    return [
        comma,
        _in_rows(_digits(part.values), rows, ""),
        _in_rows(rest, rows, _rest(Quality.MISSING * len(_SIDES))),
    ]


_SIDES = ("", "above", "below")


def _rest(code: int) -> str:
    """Return the cells of quality and limit."""
    quality, side = divmod(code, len(_SIDES))
    return f",{Quality(quality).file_code},{_SIDES[side]}"


def _in_rows(column: pl.Series, rows: pl.Series | None, otherwise: str) -> pl.Series:
    """Return a column of readings in the rows of a file. rows: the number of the reading of each
    row, from 1 on, 0 for none; None where they are the same."""
    import polars as pl

    if rows is None:
        return column
    return pl.concat([pl.Series([otherwise], dtype=pl.String), column]).gather(rows)


def channel_titles(key: str, unit: str) -> tuple[str, str, str]:
    """Return how the columns of a channel are called: its value, its quality, its limit mark."""
    name, unit = plain(quantity(key).name), plain(unit)
    return f"{name} [{unit}]", f"{name} quality", f"{name} limit"


def count_readings(path: Path) -> tuple[int, int]:
    """Return how many readings (rows) and values (cells that are not empty) a CSV of ours holds."""
    import polars as pl

    with path.open(newline="", encoding="utf-8") as lines:
        head = next(csv.reader(lines), [])
    places = range(len(FIXED), len(head), 3)
    counted = (
        _scanned(path)
        .select(pl.len(), *(pl.col(f"{place}").count() for place in places))
        .collect(engine="streaming")
        .row(0)
    )
    return int(counted[0]), sum(counted[1:])


def _scanned(path: Path) -> pl.LazyFrame:
    """Return a file of ours as text, its columns called by their places: a name may hold signs of
    quotation, which polars leaves doubled."""
    import polars as pl

    return pl.scan_csv(
        path,
        infer_schema=False,
        with_column_names=lambda names: [f"{i}" for i in range(len(names))],
    )
