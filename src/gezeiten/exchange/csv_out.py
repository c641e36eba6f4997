"""CSV of a point's record: RFC 4180, one row an instant, units in the head, read back and counted.

Columns: site, point, logger, mission, time_utc, time_local, then for each channel its value with
the unit in the name, its quality code and its limit mark ("above", "below" or empty). Values stand
as they were recorded, to the last digit; what is empty is nothing between two commas.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.limits import InForce
from gezeiten.domain.quality import Quality
from gezeiten.domain.quantities import quantity
from gezeiten.domain.series import Series
from gezeiten.domain.timeline import Times, iso_local, iso_utc
from gezeiten.errors import SurroundingsError

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


def write_csv(table: CsvTable, path: Path) -> int:
    """Write the file, read it back, and return how many readings it holds.

    Raises:
        SurroundingsError: what was read back is not what was written.
        OSError: the disk.
    """
    # a slow import that only an export needs
    import polars as pl

    times = _all_times(table)
    columns: dict[str, object] = {
        "site": [plain(table.site)] * len(times),
        "point": [plain(table.point)] * len(times),
        **_stretch_columns(table, times),
        "time_utc": [iso_utc(int(t)) for t in times],
        "time_local": [iso_local(int(t), table.zone) for t in times],
    }
    for channel in table.channels:
        columns.update(_channel_columns(table, times, channel))
    frame = pl.DataFrame(columns, strict=False)
    text = frame.write_csv(line_terminator="\r\n", null_value="")
    path.write_bytes(text.encode())
    expected = len(times), sum(len(channel.series) for channel in table.channels)
    found = count_readings(path)
    if found != expected:
        raise SurroundingsError(
            f"{path} holds {found[0]} readings with {found[1]} values after writing, "
            f"{expected[0]} with {expected[1]} were sent; write it again."
        )
    return expected[0]


def plain(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula: one that begins like a formula gets
    an apostrophe in front. Source: OWASP, "CSV Injection"."""
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t", "\r")) else text


def _digits(value: float) -> str:
    """Return the shortest digits that read back as the same number, without a power of ten."""
    text = repr(float(value) + 0.0)  # minus nothing is nothing
    if "e" in text:
        return np.format_float_positional(value, trim="-")
    return text.removesuffix(".0")


def _all_times(table: CsvTable) -> Times:
    parts = [channel.series.times_utc_ms for channel in table.channels]
    return np.unique(np.concatenate(parts)) if parts else np.empty(0, np.int64)


def _stretch_columns(table: CsvTable, times: Times) -> dict[str, object]:
    starts = np.array([stretch.start_ms for stretch in table.stretches], np.int64)
    at = np.searchsorted(starts, times, side="right") - 1
    known = [table.stretches[i] if i >= 0 else None for i in at]
    return {
        "logger": [plain(stretch.serial) if stretch else None for stretch in known],
        "mission": [stretch.mission if stretch else None for stretch in known],
    }


def _channel_columns(table: CsvTable, times: Times, channel: CsvChannel) -> dict[str, object]:
    series = channel.series
    at = np.searchsorted(times, series.times_utc_ms)
    values: list[str | None] = [None] * len(times)
    codes = [Quality.MISSING.word] * len(times)
    marks: list[str | None] = [None] * len(times)
    limit = _limit_marks(table.zone, channel)
    for i, value, code, mark in zip(at, series.values, series.quality, limit, strict=True):
        values[i] = _digits(value)
        codes[i] = Quality(int(code)).word
        marks[i] = mark or None
    return dict(zip(channel_titles(channel.key, channel.unit), (values, codes, marks), strict=True))


def channel_titles(key: str, unit: str) -> tuple[str, str, str]:
    """Return how the columns of a channel are called: its value, its quality, its limit mark."""
    name, unit = quantity(key).name, plain(unit)
    return f"{name} [{unit}]", f"{name} quality", f"{name} limit"


def _limit_marks(zone: str, channel: CsvChannel) -> NDArray[np.str_]:
    series = channel.series
    marks = np.full(len(series), "", dtype="<U5")
    for stretch in channel.limits:
        a, b = series.times_utc_ms.searchsorted((stretch.start_ms, stretch.end_ms))
        part = series.times_utc_ms[a:b], series.values[a:b]
        for rule in stretch.rules:
            marks[a:b][rule.outside_at(*part, zone)] = rule.side
    return marks


def count_readings(path: Path) -> tuple[int, int]:
    """Return how many readings (rows) and values (cells that are not empty) a CSV of ours holds."""
    with path.open(newline="", encoding="utf-8") as lines:
        rows = csv.reader(lines)
        head = next(rows, [])
        value_columns = range(len(FIXED), len(head), 3)
        filled = [sum(row[column] != "" for column in value_columns) for row in rows]
        return len(filled), sum(filled)
