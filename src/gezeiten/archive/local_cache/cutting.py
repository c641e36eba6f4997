"""Readings cut into blocks by what they are: their numbers, or where there are none their instants.

So the blocks of a mission depend on the set of its readings, never on how they came. A logger's
block k holds the numbers [k x 16384, (k + 1) x 16384). A text's readings are cut by cells of UTC,
2^k ms wide, halved until at most 16384 readings fit.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Times, Values

READINGS_PER_BLOCK = 16_384
WIDEST_MS = 2**43
"""Of a cell of UTC: 278 years."""


@dataclass(frozen=True, slots=True)
class Column:
    """Readings of one channel of a mission. numbers: int64 (n,), of a text all 0; times: UTC ms
    int64 (n,); values: float64 (n,), NaN for "no value". Numbers of a logger increase, instants of
    a text do."""

    numbers: NDArray[np.int64]
    times: Times
    values: Values

    def __len__(self) -> int:
        return len(self.times)

    @property
    def has_values(self) -> bool:
        """Whether any reading has a value."""
        return bool(np.isfinite(self.values).any())

    def subset(self, which: slice | NDArray[np.bool_] | NDArray[np.intp]) -> Column:
        """Return some of the readings."""
        return Column(self.numbers[which], self.times[which], self.values[which])


@dataclass(frozen=True, slots=True)
class BlockRange:
    """Where a block lies: numbers or instants [first, first + width)."""

    first: int
    width: int


def text_column(times: Times, values: Values) -> Column:
    """Return readings without numbers."""
    return Column(np.zeros(len(times), np.int64), times, values)


@dataclass(frozen=True, slots=True)
class MergedReadings:
    """Readings that were kept and others that came. is_new: which of those that came, bool (n,);
    differs: whether one of them has another value than was kept of it."""

    column: Column
    is_new: NDArray[np.bool_]
    differs: bool = False


def joined(column: Column, received: Column, *, is_text: bool) -> MergedReadings:
    """Return the readings of both: of two that are the same reading the one that was kept stays,
    but for one without a value."""
    mine, its = (column.times, received.times) if is_text else (column.numbers, received.numbers)
    if not len(its):
        return MergedReadings(column, np.zeros(0, np.bool_))
    if not len(mine):
        return MergedReadings(received, np.ones(len(its), np.bool_))
    both = Column(
        np.concatenate([column.numbers, received.numbers]),
        np.concatenate([column.times, received.times]),
        np.concatenate([column.values, received.values]),
    )
    if its[0] > mine[-1]:
        return MergedReadings(both, np.ones(len(its), np.bool_))
    selected = _distinct_rows(both, is_text=is_text)
    is_new = np.zeros(len(its), np.bool_)
    is_new[selected[selected >= len(mine)] - len(mine)] = True
    stays = both.subset(selected)
    key = stays.times if is_text else stays.numbers
    its_values, values = received.values, stays.values[key.searchsorted(its)]
    differs = bool(((its_values != values) & np.isfinite(its_values)).any())
    return MergedReadings(stays, is_new, differs)


def united(columns: list[Column], *, is_text: bool) -> Column:
    """Return the readings of all; of those that are the same reading the first column's stays, but
    for one without a value."""
    both = concatenate_columns(columns)
    key = both.times if is_text else both.numbers
    if bool((key[1:] > key[:-1]).all()):
        return both
    return both.subset(_distinct_rows(both, is_text=is_text))


def concatenate_columns(columns: list[Column]) -> Column:
    """Return columns, one after the other, as one."""
    if len(columns) == 1:
        return columns[0]
    return Column(
        np.concatenate([column.numbers for column in columns] or [np.empty(0, np.int64)]),
        np.concatenate([column.times for column in columns] or [np.empty(0, np.int64)]),
        np.concatenate([column.values for column in columns] or [np.empty(0)]),
    )


def _distinct_rows(column: Column, *, is_text: bool) -> NDArray[np.intp]:
    """Return which readings stay, in order: of those that are the same the first with a value."""
    key = column.times if is_text else column.numbers
    order = np.lexsort((np.arange(len(key)), np.isnan(column.values), key))
    in_order = key[order]
    stays: NDArray[np.intp] = order[np.append(True, in_order[1:] != in_order[:-1])]
    return stays


def cut_by_number(column: Column) -> Iterator[tuple[BlockRange, Column]]:
    """Yield the blocks of a logger's readings."""
    if not len(column):
        return
    first, last = (int(column.numbers[i]) // READINGS_PER_BLOCK for i in (0, -1))
    firsts = np.arange(first, last + 2, dtype=np.int64) * READINGS_PER_BLOCK
    edges = zip(
        firsts.tolist(), pairwise(column.numbers.searchsorted(firsts).tolist()), strict=False
    )
    for its, (a, b) in edges:
        if b > a:
            yield BlockRange(its, READINGS_PER_BLOCK), column.subset(slice(a, b))


def cut_by_time(
    column: Column, cell: BlockRange | None = None
) -> Iterator[tuple[BlockRange, Column]]:
    """Yield the blocks of a text's readings, of all or of those in a cell."""
    if cell is None:
        for root in roots(column.times):
            yield from cut_by_time(inside(column, root), root)
    elif len(column) > READINGS_PER_BLOCK:
        for half in halves(cell):
            yield from cut_by_time(inside(column, half), half)
    elif len(column):
        yield cell, column


def roots(times: Times) -> list[BlockRange]:
    """Return the widest cells from the first of these instants (in order) to the last."""
    if not len(times):
        return []
    first, last = int(times[0]) // WIDEST_MS, int(times[-1]) // WIDEST_MS
    return [BlockRange(i * WIDEST_MS, WIDEST_MS) for i in range(first, last + 1)]


def halves(cell: BlockRange) -> tuple[BlockRange, BlockRange]:
    """Return both halves of a cell."""
    half = cell.width // 2
    return BlockRange(cell.first, half), BlockRange(cell.first + half, half)


def inside(column: Column, cell: BlockRange) -> Column:
    """Return the readings of a text that lie in a cell."""
    a, b = column.times.searchsorted([cell.first, cell.first + cell.width])
    return column.subset(slice(int(a), int(b)))
