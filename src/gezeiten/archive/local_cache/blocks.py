"""Packing readings into blocks with what is known of them without reading them, and back."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any, TypeAlias
from zlib import crc32

import msgspec
import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.local_cache.cutting import BlockRange, Column
from gezeiten.archive.store.packing import (
    UncompressedReadings,
    all_compressed,
    compressed,
    decode_readings,
    decode_times,
    decompressed,
    encode_readings,
    encode_times,
    plain_readings,
)
from gezeiten.domain.series.drawing.cells import Cells, ends_of_cells, extremes_of, firsts_of_cells
from gezeiten.domain.series.runs import Runs, runs_from_gaps
from gezeiten.domain.series.series import gaps_after
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
    known = np.isfinite(values)
    known = values if known.all() else values[known]
    if not len(known):
        return Summary(0, None, None, None)
    return Summary(len(known), float(known.min()), float(known.max()), float(known.sum()))


class Instants:
    """When the readings of a block were due, and what follows from that alone. It is found once and
    serves all channels of a mission, which were mostly read together."""

    def __init__(
        self, numbers: NDArray[np.int64], times: Times, intervals: NDArray[np.int64]
    ) -> None:
        """numbers, times: as of `Column`; intervals: in force at each, int64 (n,)."""
        self.numbers, self.times, self.intervals = numbers, times, intervals

    def are(self, numbers: NDArray[np.int64], times: Times, intervals: NDArray[np.int64]) -> bool:
        """Whether they are these."""
        mine = self.numbers, self.times, self.intervals
        return all(map(_are_same, mine, (numbers, times, intervals)))

    def subset(self, which: NDArray[np.bool_]) -> Instants:
        """Return some of them."""
        return Instants(self.numbers[which], self.times[which], self.intervals[which])

    @cached_property
    def step_ms(self) -> int | None:
        """Their distance where they are evenly spaced; 0 of a single one."""
        if len(self.times) < 2:
            return 0
        step = int(self.times[1]) - int(self.times[0])
        return step if bool((np.diff(self.times) == step).all()) else None

    @cached_property
    def packed_times(self) -> bytes | None:
        """They themselves, None where the step says it all."""
        return None if self.step_ms is not None else encode_times(self.times)

    @cached_property
    def packed_numbers(self) -> bytes | None:
        """The numbers of the readings, None where they follow each other or are all 0."""
        is_unbroken = int(self.numbers[-1]) - int(self.numbers[0]) in (0, len(self.numbers) - 1)
        return None if is_unbroken else encode_times(self.numbers)

    @cached_property
    def _gaps(self) -> NDArray[np.intp]:
        return gaps_after(self.times, self.intervals)

    @cached_property
    def runs(self) -> tuple[int | None, int | None, int | None, bytes | None]:
        """The columns that tell the runs: where they begin and end, the last interval, and they
        themselves where there is more than one."""
        runs = runs_from_gaps(self.times, self.intervals, self._gaps)
        if not len(runs):
            return (None, None, None, None)
        ends = int(runs.starts_ms[0]), int(runs.ends_ms[-1]), int(runs.interval_ms[-1])
        return (*ends, _run_bytes(runs) if len(runs) > 1 else None)

    @cached_property
    def cell_firsts(self) -> NDArray[np.int64]:
        """The first reading of each cell."""
        return firsts_of_cells(len(self.times), self._gaps)

    @cached_property
    def cells(self) -> bytes:
        """The cells, all but their extremes."""
        firsts = self.cell_firsts
        ends = ends_of_cells(len(self.times), firsts)
        begins, lasts = self.times[firsts], ends - 1
        whole = (
            np.diff(begins, prepend=0),
            self.times[lasts] - begins,
            self.intervals[lasts],
            ends - firsts,
        )
        return encode_times(np.concatenate(whole))


def _are_same(a: NDArray[np.int64], b: NDArray[np.int64]) -> bool:
    if a.shape != b.shape:
        return False
    where, its = a.__array_interface__, b.__array_interface__
    is_one = where["data"] == its["data"] and where["strides"] == its["strides"]
    return is_one or bool((a == b).all())


@dataclass(frozen=True, slots=True)
class BlockPiece:
    """Readings that make a block, with what is known of their instants."""

    cut: BlockRange
    column: Column
    instants: Instants


class BlockCutter:
    """Makes pieces of channel after channel: the instants of one serve the next where they are the
    same."""

    def __init__(self) -> None:
        self._instants: dict[BlockRange, Instants] = {}

    def of(self, cut: BlockRange, column: Column, intervals: NDArray[np.int64]) -> BlockPiece:
        """Return readings, at least one, as a piece. intervals: in force at each, int64 (n,)."""
        its = column.numbers, column.times, intervals
        known = self._instants.get(cut)
        if known is None or not known.are(*its):
            known = self._instants[cut] = Instants(*its)
        return BlockPiece(cut, column, known)


@dataclass(frozen=True, slots=True)
class PackedBlock:
    """What a block holds, by the names of its columns; see `archive/local_cache/tables.py`."""

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
HEAD: tuple[str, ...] = tuple(
    name for name in PackedBlock.__slots__ if name not in (*BODY, "cells")
)


@dataclass(frozen=True, slots=True)
class _Draft:
    """A block whose readings, and the extremes of its cells, wait to be compressed. instants:
    of the readings that have a value."""

    piece: BlockPiece
    instants: Instants
    facts: Summary
    readings: UncompressedReadings
    extremes: UncompressedReadings


def pack_all(pieces: Sequence[BlockPiece], pool: ThreadPoolExecutor) -> Iterable[PackedBlock]:
    """Return blocks of readings, at least one in each. Many are compressed beside what is done
    until somebody looks at them."""
    drafts = [_drafted(piece) for piece in pieces]
    plains = [plain.data for draft in drafts for plain in (draft.readings, draft.extremes)]
    if len(pieces) < _MANY:
        return _packed(drafts, partial(all_compressed, plains))
    return _packed(drafts, pool.submit(all_compressed, plains).result)


def _drafted(piece: BlockPiece) -> _Draft:
    values, held = _with_values(piece.column.values, piece.instants)
    readings = plain_readings(piece.column.values)
    return _Draft(piece, held, summary(values), readings, plain_readings(_extremes(values, held)))


def _packed(drafts: list[_Draft], compressing: Callable[[], list[bytes]]) -> Iterator[PackedBlock]:
    done = compressing()
    for one, readings, extremes in zip(drafts, done[0::2], done[1::2], strict=True):
        cut, column, instants = one.piece.cut, one.piece.column, one.piece.instants
        number, start_ms, end_ms = column.numbers[0], int(column.times[0]), int(column.times[-1])
        data, step_ms, times = (
            one.readings.header + readings,
            instants.step_ms,
            instants.packed_times,
        )
        facts, cells = one.facts, _cells(one.instants, one.extremes.header + extremes)
        yield PackedBlock(
            cut.first,
            cut.width,
            len(column),
            int(number),
            start_ms,
            step_ms or 0,
            end_ms,
            facts.valid,
            facts.low,
            facts.high,
            facts.total,
            *one.instants.runs,
            crc32(data, crc32(times or f"{start_ms} {step_ms}".encode())),
            cells,
            data,
            instants.packed_numbers,
            times,
        )


Coverage: TypeAlias = tuple[int | None, int | None, int | None, bytes | None, bytes]


def packed_coverage(values: Values, instants: Instants) -> Coverage:
    """Return the columns that tell the runs of a block, and its cells.

    values: (n,), NaN for "no value"; such readings are in neither.
    """
    values, held = _with_values(values, instants)
    return (*held.runs, _cells(held, encode_readings(_extremes(values, held))))


def _with_values(values: Values, instants: Instants) -> tuple[Values, Instants]:
    known = np.isfinite(values)
    return (values, instants) if known.all() else (values[known], instants.subset(known))


def _extremes(values: Values, instants: Instants) -> Values:
    return np.concatenate(extremes_of(values, instants.cell_firsts))


def _cells(instants: Instants, extremes: bytes) -> bytes:
    return msgspec.msgpack.encode((len(instants.cell_firsts), instants.cells, extremes))


def _run_bytes(runs: Runs) -> bytes:
    return compressed(runs.as_table().astype("<i8").tobytes())


_WHOLE_PARTS = 4


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


_DAMAGED_CELLS = "The summaries of a block are damaged; gezeiten verify --rebuild restores them."


def unpacked_runs(data: bytes) -> NDArray[np.int64]:
    """Return runs as int64 (n, 3); see `domain/series/runs.py`.

    Raises:
        ArchiveDamagedError: they are damaged.
    """
    try:
        table = np.frombuffer(decompressed(data), "<i8").reshape(-1, 3)
    except ValueError as exc:
        raise ArchiveDamagedError(
            "The coverage of a block is damaged; gezeiten verify --rebuild restores it."
        ) from exc
    return table.astype(np.int64)


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
