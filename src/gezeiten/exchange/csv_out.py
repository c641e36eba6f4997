"""CSV of a point's record: RFC 4180, one row an instant, units in the head, read back and counted.

Columns: site, point, logger, mission, time_utc, time_local, then for each channel its value with
the unit in the name, its quality code and its limit mark ("above", "below" or empty). Values stand
as they were recorded, to the last digit; what is empty is nothing between two commas.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits import InForce
from gezeiten.domain.quality import Quality
from gezeiten.domain.quantities import quantity
from gezeiten.domain.series import Series
from gezeiten.domain.timeline import Times, Values
from gezeiten.errors import SurroundingsError

if TYPE_CHECKING:
    import polars as pl

FIXED = ("site", "point", "logger", "mission", "time_utc", "time_local")


@dataclass(frozen=True, slots=True)
class CsvStretch:
    """The logger at the point from start_ms on (until the next stretch begins), and its mission."""

    start_ms: int
    serial: str
    mission: int


@dataclass(frozen=True, slots=True)
class CsvChannel:
    """A series: its key, unit and readings, and the limits on it by when they were in force."""

    key: str
    unit: str
    series: Series
    limits: tuple[InForce, ...] = ()


@dataclass(frozen=True, slots=True)
class CsvTable:
    """What goes into the file."""

    site: str
    point: str
    zone: str
    channels: tuple[CsvChannel, ...]
    stretches: tuple[CsvStretch, ...]


ROWS_AT_ONCE = 65_536
"""Rows of the file that are made and written together, so that no file fills the memory."""


def write_csv(table: CsvTable, path: Path) -> int:
    """Write the file, read it back, and return how many readings it holds.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    times = _all_times(table)
    with path.open("wb") as out:
        for start in range(0, len(times), ROWS_AT_ONCE) or [0]:
            frame = _frame(table, times[start : start + ROWS_AT_ONCE])
            frame.write_csv(out, line_terminator="\r\n", null_value="", include_header=start == 0)
    expected = len(times), sum(len(channel.series) for channel in table.channels)
    found = count_readings(path)
    if found != expected:
        raise SurroundingsError(
            f"{path} holds {found[0]} readings with {found[1]} values after writing, "
            f"{expected[0]} with {expected[1]} were sent; write it again."
        )
    return expected[0]


def _frame(table: CsvTable, times: Times) -> pl.DataFrame:
    """Return rows of the file, all of them text."""
    # a slow import that only an export needs
    import polars as pl

    columns: dict[str, pl.Series | pl.Expr] = {
        "site": pl.repeat(plain(table.site), len(times), eager=True),
        "point": pl.repeat(plain(table.point), len(times), eager=True),
        **_stretch_columns(table, times),
        "time_utc": _instants(times, "UTC"),
        "time_local": _instants(times, table.zone),
    }
    for channel in table.channels:
        columns.update(_channel_columns(table, times, channel))
    return pl.DataFrame(columns)


def _instants(times: Times, zone: str) -> pl.Series:
    """Return instants as ISO 8601 in a zone, milliseconds only where there are any."""
    import polars as pl

    offset = "Z" if zone == "UTC" else "%:z"
    at = pl.from_epoch(pl.Series(times), "ms").dt.replace_time_zone("UTC")
    local = at.dt.convert_time_zone(zone)
    text = local.dt.to_string(f"%Y-%m-%dT%H:%M:%S{offset}")
    exact = times % 1000 != 0
    if not exact.any():
        return text
    return text.zip_with(~pl.Series(exact), local.dt.to_string(f"%Y-%m-%dT%H:%M:%S%.3f{offset}"))


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


def _all_times(table: CsvTable) -> Times:
    parts = [channel.series.times_utc_ms for channel in table.channels]
    return np.unique(np.concatenate(parts)) if parts else np.empty(0, np.int64)


def _stretch_columns(table: CsvTable, times: Times) -> dict[str, pl.Series]:
    import polars as pl

    starts = np.array([stretch.start_ms for stretch in table.stretches], np.int64)
    at = pl.Series(np.searchsorted(starts, times, side="right"))  # 0: before the first
    loggers = [None, *(plain(stretch.serial) for stretch in table.stretches)]
    missions = [None, *(str(stretch.mission) for stretch in table.stretches)]
    return {
        "logger": pl.Series(loggers, dtype=pl.String).gather(at),
        "mission": pl.Series(missions, dtype=pl.String).gather(at),
    }


def _channel_columns(table: CsvTable, times: Times, channel: CsvChannel) -> dict[str, pl.Series]:
    import polars as pl

    if not len(times):
        return {title: pl.Series([], dtype=pl.String)
                for title in channel_titles(channel.key, channel.unit)}  # fmt: skip
    part = channel.series.between(int(times[0]), int(times[-1]) + 1)
    at = np.zeros(len(times), np.int64)  # 0: nothing there
    at[times.searchsorted(part.times_utc_ms)] = np.arange(1, len(part) + 1)
    rows = pl.Series(at)
    nothing = pl.Series([None], dtype=pl.String)
    codes = pl.Series([Quality(code).word for code in range(len(Quality))])
    words = pl.concat([pl.Series([Quality.MISSING.word]), codes.gather(part.quality)])
    marks = pl.Series([None, "above", "below"], dtype=pl.String)
    sides = _limit_marks(table.zone, channel.limits, part)
    columns = (
        pl.concat([nothing, _digits(part.values)]).gather(rows),
        words.gather(rows),
        pl.concat([nothing, marks.gather(sides)]).gather(rows),
    )
    return dict(zip(channel_titles(channel.key, channel.unit), columns, strict=True))


def channel_titles(key: str, unit: str) -> tuple[str, str, str]:
    """Return how the columns of a channel are called: its value, its quality, its limit mark."""
    name, unit = quantity(key).name, plain(unit)
    return f"{name} [{unit}]", f"{name} quality", f"{name} limit"


def _limit_marks(zone: str, limits: tuple[InForce, ...], part: Series) -> NDArray[np.uint32]:
    """Return 1 for readings above a limit in force then, 2 for those below one, else 0."""
    marks = np.zeros(len(part), np.uint32)
    for stretch in limits:
        a, b = part.times_utc_ms.searchsorted((stretch.start_ms, stretch.end_ms))
        readings = part.times_utc_ms[a:b], part.values[a:b]
        for rule in stretch.rules:
            marks[a:b][rule.outside_at(*readings, zone)] = 1 if rule.side == "above" else 2
    return marks


def count_readings(path: Path) -> tuple[int, int]:
    """Return how many readings (rows) and values (cells that are not empty) a CSV of ours holds."""
    import polars as pl

    with path.open(newline="", encoding="utf-8") as lines:
        head = next(csv.reader(lines), [])
    titles = [head[column] for column in range(len(FIXED), len(head), 3)]
    told = (
        pl.scan_csv(path, infer_schema=False)
        .select(pl.len(), *(pl.col(title).count() for title in titles))
        .collect(engine="streaming")
        .row(0)
    )
    return int(told[0]), sum(told[1:])
