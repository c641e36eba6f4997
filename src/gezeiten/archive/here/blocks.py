"""Packing readings into blocks with what is known of them without reading them, and back."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, TypeAlias
from zlib import crc32

import msgspec
import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.here.cutting import Column, Cut
from gezeiten.archive.store.packing import (
    compressed,
    decode_readings,
    decode_times,
    decompressed,
    encode_readings,
    encode_times,
)
from gezeiten.domain.series.cells import Cells, cells_of
from gezeiten.domain.series.runs import Runs, runs_of
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.errors import ArchiveDamagedError


@dataclass(frozen=True, slots=True)
class Summary:
    """Over the values that are no NaN; None where there are none."""

    valid: int
    low: float | None
    high: float | None
    total: float | None


def summary(values: Values) -> Summary:
    """Return the summary of a block's values."""
    known = values[np.isfinite(values)]
    if not len(known):
        return Summary(0, None, None, None)
    return Summary(len(known), float(known.min()), float(known.max()), float(known.sum()))


@dataclass(frozen=True, slots=True)
class Piece:
    """Readings that make a block, with the interval in force at each, int64 (n,)."""

    cut: Cut
    column: Column
    intervals: NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Packed:
    """What a block holds, by the names of its columns; see `archive/here/tables.py`."""

    first: int
    width: int
    count: int
    number: int
    start_ms: int
    step_ms: int
    end_ms: int
    valid: int
    low: float | None
    high: float | None
    total: float | None
    held_ms: int | None
    held_until_ms: int | None
    until_interval_ms: int | None
    runs: bytes | None
    stamp: int
    cells: bytes
    data: bytes
    numbers: bytes | None
    times: bytes | None

    def head(self) -> dict[str, Any]:
        """Return what is known without reading, as a row's columns."""
        return {name: getattr(self, name) for name in HEAD}

    def summaries(self) -> dict[str, Any]:
        """Return the cells, as a row's columns."""
        return {"cells": self.cells}

    def body(self) -> dict[str, Any]:
        """Return the readings, as a row's columns."""
        return {name: getattr(self, name) for name in BODY}


_MANY = 8
BODY = ("data", "numbers", "times")
HEAD: tuple[str, ...] = tuple(name for name in Packed.__slots__ if name not in (*BODY, "cells"))


def pack(piece: Piece) -> Packed:
    """Return the readings that lie in a block, at least one."""
    cut, column = piece.cut, piece.column
    facts = summary(column.values)
    count, number, start_ms = len(column), int(column.numbers[0]), int(column.times[0])
    step_ms = _even_step(column.times)
    is_unbroken = int(column.numbers[-1]) - number in (0, count - 1)  # a text's are all 0
    held_ms, until_ms, interval_ms, runs, cells = packed_coverage(piece)
    data = encode_readings(column.values)
    times = None if step_ms is not None else encode_times(column.times)
    stamp = crc32(data, crc32(times or f"{start_ms} {step_ms}".encode()))
    return Packed(
        cut.first, cut.width, count, number, start_ms, step_ms or 0, int(column.times[-1]),
        facts.valid, facts.low, facts.high, facts.total, held_ms, until_ms,
        interval_ms, runs, stamp, cells, data,
        None if is_unbroken else encode_times(column.numbers),
        times,
    )  # fmt: skip


Coverage: TypeAlias = tuple[int | None, int | None, int | None, bytes | None, bytes]


def packed_coverage(piece: Piece) -> Coverage:
    """Return the columns that tell the runs of a block, and its cells."""
    times, values, intervals = piece.column.times, piece.column.values, piece.intervals
    known = np.isfinite(values)
    if not known.all():
        times, values, intervals = times[known], values[known], intervals[known]
    cells = _packed_cells(cells_of(times, values, intervals))
    runs = runs_of(times, intervals)
    if not len(runs):
        return (None, None, None, None, cells)
    ends = int(runs.first_ms[0]), int(runs.last_ms[-1]), int(runs.interval_ms[-1])
    return (*ends, _run_bytes(runs) if len(runs) > 1 else None, cells)


def _run_bytes(runs: Runs) -> bytes:
    return compressed(runs.as_table().astype("<i8").tobytes())


_WHOLE_PARTS = 4


def _packed_cells(cells: Cells) -> bytes:
    whole = (np.diff(cells.first_ms, prepend=0), cells.last_ms - cells.first_ms,
             cells.interval_ms, cells.count)  # fmt: skip
    extremes = np.concatenate((cells.low, cells.high))
    packed = (len(cells), encode_times(np.concatenate(whole)), encode_readings(extremes))
    return msgspec.msgpack.encode(packed)


def unpacked_cells(data: bytes) -> Cells:
    """Return the cells of a block.

    Raises:
        ArchiveDamagedError: they are damaged.
    """
    try:
        count, whole, extremes = msgspec.msgpack.decode(data, type=tuple[int, bytes, bytes])
    except msgspec.MsgspecError as exc:
        raise ArchiveDamagedError(_DAMAGED_CELLS) from exc
    steps, length, interval, many = decode_times(whole, _WHOLE_PARTS * count).reshape(-1, count)
    low, high = decode_readings(extremes, 2 * count).reshape(2, -1)
    first = np.cumsum(steps)
    return Cells(first, first + length, interval, low, high, many)


_DAMAGED_CELLS = "The summaries of a block are damaged; gezeiten verify --rebuild makes them anew."


def unpacked_runs(data: bytes) -> NDArray[np.int64]:
    """Return runs as int64 (n, 3); see `domain/series/runs.py`.

    Raises:
        ArchiveDamagedError: they are damaged.
    """
    try:
        table = np.frombuffer(decompressed(data), "<i8").reshape(-1, 3)
    except ValueError as exc:
        raise ArchiveDamagedError(
            "The coverage of a block is damaged; gezeiten verify --rebuild makes it anew."
        ) from exc
    return table.astype(np.int64)


def pack_all(pieces: Sequence[Piece], pool: ThreadPoolExecutor) -> Iterable[Packed]:
    """Return blocks of readings; many are packed meanwhile (compressing lets other threads run)."""
    if len(pieces) < _MANY:
        return [pack(piece) for piece in pieces]
    return pool.map(pack, pieces)


def unpack(block: Any, *, is_text: bool) -> Column:
    """Return the readings of a block: of what has the columns of `tables.READING`.

    Raises:
        ArchiveDamagedError: its bytes are damaged.
    """
    count = block.count
    return Column(
        _numbers(block, is_text=is_text),
        block.start_ms + np.arange(count, dtype=np.int64) * block.step_ms
        if block.times is None
        else decode_times(block.times, count),
        decode_readings(block.data, count),
    )


def _numbers(block: Any, *, is_text: bool) -> NDArray[np.int64]:
    if is_text:
        return np.zeros(block.count, np.int64)
    if block.numbers is not None:
        return decode_times(block.numbers, block.count)
    return np.arange(block.number, block.number + block.count, dtype=np.int64)


def _even_step(times: Times) -> int | None:
    """Return the distance of evenly spaced instants, None where they are not; 0 of a single one."""
    if len(times) < 2:
        return 0
    step = int(times[1]) - int(times[0])
    return step if bool((np.diff(times) == step).all()) else None
