"""Packing readings into blocks with summaries, and back."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.here.cutting import Column, Cut
from gezeiten.archive.store.packing import (
    decode_times,
    decode_values,
    encode_times,
    encode_values,
)
from gezeiten.domain.timeline import Times, Values


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
    data: bytes
    numbers: bytes | None
    times: bytes | None

    def as_row(self) -> dict[str, Any]:
        """Return it as a row's columns."""
        return {name: getattr(self, name) for name in self.__slots__}


_MANY = 8
PACKED: tuple[str, ...] = tuple(Packed.__slots__)


def pack(cut: Cut, column: Column) -> Packed:
    """Return the readings that lie in a block, at least one."""
    facts = summary(column.values)
    count, number, start_ms = len(column), int(column.numbers[0]), int(column.times[0])
    step_ms = _even_step(column.times)
    is_unbroken = int(column.numbers[-1]) - number in (0, count - 1)  # a text's are all 0
    return Packed(
        cut.first, cut.width, count, number, start_ms, step_ms or 0, int(column.times[-1]),
        facts.valid, facts.low, facts.high, facts.total, encode_values(column.values),
        None if is_unbroken else encode_times(column.numbers),
        None if step_ms is not None else encode_times(column.times),
    )  # fmt: skip


def pack_all(parts: Sequence[tuple[Cut, Column]]) -> list[Packed]:
    """Return blocks of readings; many are packed by two processors at once."""
    if len(parts) < _MANY:
        return [pack(*part) for part in parts]
    with ThreadPoolExecutor(2) as both:  # compressing lets other threads run
        return list(both.map(pack, *zip(*parts, strict=True)))


def unpack(block: Any, *, is_text: bool) -> Column:
    """Return the readings of a block: of what has the columns of `Packed`.

    Raises:
        ArchiveDamagedError: its bytes are damaged.
    """
    count = block.count
    return Column(
        _numbers(block, is_text=is_text),
        block.start_ms + np.arange(count, dtype=np.int64) * block.step_ms
        if block.times is None
        else decode_times(block.times, count),
        decode_values(block.data, count),
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
