"""Blocks of a mission file: so many readings of all channels, all of one length, each with its own
check sum."""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cbor2
import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.plan.models import LoggerModel
from gezeiten.domain.series.coverage import Range

CRC = struct.Struct(">BI")
UINT32 = 0x1A
READINGS_PER_BLOCK = 240
_TAGS = {"int16": 77, "int32": 78}  # RFC 8746: little-endian signed
COUNT_TYPES: dict[str, np.dtype[Any]] = {"int16": np.dtype("<i2"), "int32": np.dtype("<i4")}
_BLOCK_HEAD = struct.Struct(">B B I B I")  # array(5), uint32 first, uint32 count
_STEPS_TAG = 70  # RFC 8746: little-endian uint32
_STEPS_DTYPE = np.dtype("<u4")


@dataclass(frozen=True, slots=True)
class FileChannel:
    """A channel as the file describes it: value = counts / divisor + offset."""

    key: str
    unit: str
    count_type: str
    divisor: int
    offset: float

    @property
    def missing_count(self) -> int:
        """The count that stands for "no value": the smallest of its type."""
        return int(np.iinfo(COUNT_TYPES[self.count_type]).min)


@dataclass(frozen=True, slots=True)
class ReadingBlock:
    """Readings [first, first + n) as counts of the file's type; one array a channel, shape (n,).

    steps: shape (n,), when each was due; None where the interval never changes.
    """

    first: int
    counts: tuple[NDArray[Any], ...]
    steps: NDArray[np.int64] | None = None

    @property
    def range(self) -> Range:
        """Numbers of its readings, [first, end)."""
        return (self.first, self.first + len(self.counts[0]))

    @property
    def due(self) -> NDArray[np.int64]:
        """After how many intervals, or steps, from the first reading each was due."""
        return np.arange(*self.range, dtype=np.int64) if self.steps is None else self.steps

    def subset(self, wanted: Range) -> ReadingBlock:
        """Return its readings within [first, end)."""
        first, end = self.range
        if wanted[0] <= first and end <= wanted[1]:
            return self
        its = slice(max(wanted[0] - first, 0), max(wanted[1] - first, 0))
        steps = None if self.steps is None else self.steps[its]
        return ReadingBlock(max(first, wanted[0]), tuple(one[its] for one in self.counts), steps)


def file_channels(
    model: LoggerModel, keys: tuple[str, ...], units: dict[str, str]
) -> tuple[FileChannel, ...]:
    """Return the channels of a plan in the model's order."""
    return tuple(
        FileChannel(spec.key, units[spec.key], spec.count_type, spec.divisor, spec.offset)
        for spec in model.channels
        if spec.key in keys
    )


def encode_block(
    channels: tuple[FileChannel, ...],
    first: int,
    counts: list[NDArray[np.int64]],
    steps: NDArray[np.int64] | None = None,
) -> bytes:
    """Return one block of fixed length; arrays shorter than a block are filled with "no value".

    steps: shape (n,), when each reading was due; only for missions whose interval changes.
    """
    count = len(counts[0]) if counts else 0
    body = bytearray(_BLOCK_HEAD.pack(0x85, UINT32, first, UINT32, count))
    body += cbor2.dumps([None] * (len(channels) + (steps is not None)))[:1]
    if steps is not None:
        due = np.zeros(READINGS_PER_BLOCK, _STEPS_DTYPE)
        due[:count] = steps
        body += cbor2.dumps(cbor2.CBORTag(_STEPS_TAG, due.tobytes()))
    for i, channel in enumerate(channels):
        column = np.full(READINGS_PER_BLOCK, channel.missing_count, COUNT_TYPES[channel.count_type])
        if counts:
            column[:count] = counts[i]
        body += cbor2.dumps(cbor2.CBORTag(_TAGS[channel.count_type], column.tobytes()))
    # the pad, an empty or one-byte string, makes the whole length even
    body += b"\x40" if (len(body) + 1 + CRC.size) % 2 == 0 else b"\x41\x00"
    return bytes(body) + CRC.pack(UINT32, zlib.crc32(body))


@lru_cache(maxsize=64)
def block_bytes_of(channels: tuple[FileChannel, ...], with_steps: bool) -> int:
    """Return the length of blocks of these channels; asked for at every read of a stand-in."""
    return len(encode_block(channels, 0, [], np.empty(0, np.int64) if with_steps else None))


def decode_block(
    channels: tuple[FileChannel, ...], data: bytes, *, with_steps: bool = False
) -> ReadingBlock | None:
    """Return the block in `data` (exactly one block long), or None when it is damaged."""
    try:
        if not _is_sound(data):
            return None
        usual = [] if with_steps else usual_blocks(channels, data)
        if usual and len(data) == block_bytes_of(channels, with_steps=False):
            return usual[0]
        first, count, arrays = cbor2.loads(data)[:3]
        if not 0 <= count <= READINGS_PER_BLOCK or len(arrays) != len(channels) + with_steps:
            return None
        steps = _steps(arrays.pop(0), count) if with_steps else None
        columns = tuple(
            np.frombuffer(array.value, COUNT_TYPES[channel.count_type])[:count]
            for channel, array in zip(channels, arrays, strict=True)
        )
    except (struct.error, ValueError, TypeError, AttributeError, cbor2.CBORDecodeError):
        return None
    if not all(len(column) == count for column in columns):
        return None
    return ReadingBlock(int(first), columns, steps)


@lru_cache(maxsize=16)
def _layout(channels: tuple[FileChannel, ...]) -> tuple[bytes, tuple[tuple[int, int], ...]]:
    """Return the bytes of an empty block and where in it the bytes of each column stand."""
    empty = encode_block(channels, 0, [])
    at = _BLOCK_HEAD.size + 1
    columns = []
    for channel in channels:
        size = READINGS_PER_BLOCK * COUNT_TYPES[channel.count_type].itemsize
        at += len(cbor2.dumps(cbor2.CBORTag(_TAGS[channel.count_type], bytes(size)))) - size
        columns.append((at, at + size))
        at += size
    return empty, tuple(columns)


def usual_blocks(
    channels: tuple[FileChannel, ...], data: bytes, at: int = 0, most: int = 1
) -> list[ReadingBlock]:
    """Return the blocks from a byte on, up to so many, whose bytes between the columns are as we
    write them, without parsing CBOR: a mission of a million readings has thousands.

    The first that is another one, or is damaged, ends them; the long way reads that one.
    """
    empty, columns = _layout(channels)
    length = len(empty)
    many = min(most, (len(data) - at) // length)
    if many < 1 or data[at] != empty[0]:
        return []
    rows = np.frombuffer(data, np.uint8, many * length, at).reshape(many, length)
    usual = np.frombuffer(empty, np.uint8)
    edges = [_BLOCK_HEAD.size, *(edge for column in columns for edge in column), length - 5]
    is_usual = (rows[:, [0, 1, 6]] == usual[[0, 1, 6]]).all(axis=1)
    for a, b in zip(edges[0::2], edges[1::2], strict=True):
        is_usual &= (rows[:, a:b] == usual[a:b]).all(axis=1)
    heads = [_BLOCK_HEAD.unpack_from(data, at + i * length) for i in range(many)]
    counts = [
        _column(rows, COUNT_TYPES[channel.count_type], start, end)
        for channel, (start, end) in zip(channels, columns, strict=True)
    ]
    found = []
    for i, (_, _, first, _, count) in enumerate(heads):
        whole = data[at + i * length : at + (i + 1) * length]
        if not is_usual[i] or count > READINGS_PER_BLOCK or not _is_sound(whole):
            break
        found.append(ReadingBlock(first, tuple(column[i, :count] for column in counts)))
    return found


def _column(rows: NDArray[np.uint8], dtype: np.dtype[Any], start: int, end: int) -> NDArray[Any]:
    return np.ascontiguousarray(rows[:, start:end]).view(dtype)


def _is_sound(block: bytes) -> bool:
    """Whether the check sum at the end of a block is that of what stands before it."""
    crc_at = len(block) - CRC.size
    marker, crc = CRC.unpack_from(block, crc_at)
    return bool(marker == UINT32 and zlib.crc32(memoryview(block)[:crc_at]) == crc)


def _steps(array: Any, count: int) -> NDArray[np.int64]:
    """Return when the readings of a block were due.

    Raises:
        ValueError: they do not increase, so they cannot be.
    """
    steps = np.frombuffer(array.value, _STEPS_DTYPE)[:count].astype(np.int64)
    if len(steps) != count or bool((np.diff(steps) <= 0).any()):
        raise ValueError("steps of a block do not increase")
    return steps
