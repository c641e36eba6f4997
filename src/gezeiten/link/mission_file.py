"""The mission file: a CBOR sequence that is readable while incomplete and damaged block by block.

    header   [24(h'map'), crc32]                    one, first
    block    [first, count, [arrays], pad, crc32]   any number, all of one length
    events   [24(h'map'), crc32]
    trailer  [24(h'map'), crc32]

docs/mission-file.md describes it well enough to write a reader; change both together.
Numbers inside blocks have a fixed width, so block k begins at header + k x block length.
"""

from __future__ import annotations

import re
import struct
import zlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, TypeAlias

import cbor2
import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.plan.models import LoggerModel
from gezeiten.domain.series.coverage import Range, merged
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.domain.untrusted import LONGEST_INTERVAL_MS, instant_ms, shallow
from gezeiten.errors import LoggerAnswerError

FORMAT = 1
FORMAT_WITH_STEPS = 2
"""Of missions whose interval changes: every block also says when each reading was due."""
READINGS_PER_BLOCK = 240
SERIAL = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,39}")
"""What a serial may look like: it becomes part of file names."""
_TAGS = {"int16": 77, "int32": 78}  # RFC 8746: little-endian signed
_DTYPES: dict[str, np.dtype[Any]] = {"int16": np.dtype("<i2"), "int32": np.dtype("<i4")}
_BLOCK_HEAD = struct.Struct(">B B I B I")  # array(5), uint32 first, uint32 count
_STEPS_TAG = 70  # RFC 8746: little-endian uint32
_STEPS_DTYPE = np.dtype("<u4")
_CRC = struct.Struct(">BI")
_UINT32 = 0x1A
_MOST_AHEAD = 256
"""So many blocks are looked at in one go at most: a megabyte of four channels."""


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
        return int(np.iinfo(_DTYPES[self.count_type]).min)


@dataclass(frozen=True, slots=True)
class Header:
    """What the logger says of the mission. Instants are UTC ms by the logger's clock.

    step_ms: 0 where every reading is one interval after the one before; else blocks carry, for
    each reading, after how many steps from the first one it was due.
    """

    serial: str
    model: str
    firmware: str
    mission: int
    launched_ms: int
    first_ms: int
    interval_ms: int
    channels: tuple[FileChannel, ...]
    plan: dict[str, Any]
    step_ms: int = 0

    @property
    def block_bytes(self) -> int:
        """Length of every block of this mission."""
        return _block_bytes(self.channels, bool(self.step_ms))


@dataclass(frozen=True, slots=True)
class Block:
    """Readings [first, first + n) as counts; one array a channel, shape (n,).

    steps: shape (n,), when each was due; None where the interval never changes.
    """

    first: int
    counts: tuple[NDArray[np.int64], ...]
    steps: NDArray[np.int64] | None = None

    @property
    def range(self) -> Range:
        """Numbers of its readings, [first, end)."""
        return (self.first, self.first + len(self.counts[0]))

    @property
    def due(self) -> NDArray[np.int64]:
        """After how many intervals, or steps, from the first reading each was due."""
        return np.arange(*self.range, dtype=np.int64) if self.steps is None else self.steps

    def part(self, wanted: Range) -> Block:
        """Return its readings within [first, end)."""
        first, end = self.range
        if wanted[0] <= first and end <= wanted[1]:
            return self
        its = slice(max(wanted[0] - first, 0), max(wanted[1] - first, 0))
        steps = None if self.steps is None else self.steps[its]
        return Block(max(first, wanted[0]), tuple(one[its] for one in self.counts), steps)


@dataclass(slots=True)
class MissionFile:
    """A decoded file. damaged: byte offsets of parts that could not be read."""

    header: Header
    blocks: list[Block] = field(default_factory=list)
    events: list[tuple[int, str]] = field(default_factory=list)
    trailer: dict[str, Any] | None = None
    damaged: list[int] = field(default_factory=list)

    @property
    def ranges(self) -> list[Range]:
        """Numbers of all readings that came, joined where they meet."""
        return merged(block.range for block in self.blocks)

    def readings(self, wanted: Range) -> tuple[Times, list[Values]]:
        """Return times (UTC ms, shape (n,)) and one value array a channel; NaN is "no value".

        Only readings inside `wanted` that the file holds; of doubled ones the first.
        """
        _, times, values = self.numbered(wanted)
        return times, values

    def numbered(self, wanted: Range) -> tuple[NDArray[np.int64], Times, list[Values]]:
        """Return reading numbers (shape (n,)) beside what `readings` returns."""
        parts = [part for block in self.blocks if len((part := block.part(wanted)).counts[0])]
        index = _joined(np.arange(*run, dtype=np.int64) for run in _runs(parts))
        steps = index
        if self.header.step_ms:
            steps = _joined(part.due for part in parts)
        keep: Any = slice(None)
        if bool((np.diff(index) <= 0).any()):  # doubled, or out of their order
            index, keep = np.unique(index, return_index=True)
        values = [
            _values(channel, _joined(part.counts[i] for part in parts)[keep])
            for i, channel in enumerate(self.header.channels)
        ]
        step_ms = self.header.step_ms or self.header.interval_ms
        return index, self.header.first_ms + steps[keep] * step_ms, values


def _joined(parts: Iterable[NDArray[np.int64]]) -> NDArray[np.int64]:
    return np.concatenate([np.empty(0, np.int64), *parts])


def _runs(blocks: list[Block]) -> list[Range]:
    """Return the numbers of blocks, in their order; those that follow each other as one."""
    runs: list[Range] = []
    for first, end in (block.range for block in blocks):
        if runs and runs[-1][1] == first:
            runs[-1] = (runs[-1][0], end)
        else:
            runs.append((first, end))
    return runs


def _values(channel: FileChannel, counts: NDArray[np.int64]) -> Values:
    values = counts / channel.divisor + channel.offset
    values[counts == channel.missing_count] = np.nan
    return values


def file_channels(
    model: LoggerModel, keys: tuple[str, ...], units: dict[str, str]
) -> tuple[FileChannel, ...]:
    """Return the channels of a plan in the model's order."""
    return tuple(
        FileChannel(spec.key, units[spec.key], spec.count_type, spec.divisor, spec.offset)
        for spec in model.channels
        if spec.key in keys
    )


# -- writing -------------------------------------------------------------------------------------
def sealed(content: dict[str, Any]) -> bytes:
    """Return [24(h'cbor map'), crc32] with the check sum over the map's bytes."""
    body = cbor2.dumps(content)
    return b"\x82" + cbor2.dumps(cbor2.CBORTag(24, body)) + _CRC.pack(_UINT32, zlib.crc32(body))


def encode_header(header: Header, more: dict[str, Any] | None = None) -> bytes:
    """Return the header item, always of even length (Modbus files count in 16-bit registers).

    more: fields beside the usual ones, or in place of them.
    """
    content: dict[str, Any] = {
        "kind": "header",
        "format": FORMAT_WITH_STEPS if header.step_ms else FORMAT,
        "serial": header.serial,
        "model": header.model,
        "firmware": header.firmware,
        "mission": header.mission,
        "launched_ms": header.launched_ms,
        "first_ms": header.first_ms,
        "interval_ms": header.interval_ms,
        "channels": [[c.key, c.unit, c.count_type, c.divisor, c.offset] for c in header.channels],
        "plan": header.plan,
        "pad": "",
    }
    if header.step_ms:
        content["step_ms"] = header.step_ms
    content |= more or {}
    item = sealed(content)
    if len(item) % 2:
        content["pad"] = " "
        item = sealed(content)
    return item


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
    body = bytearray(_BLOCK_HEAD.pack(0x85, _UINT32, first, _UINT32, count))
    body += cbor2.dumps([None] * (len(channels) + (steps is not None)))[:1]
    if steps is not None:
        due = np.zeros(READINGS_PER_BLOCK, _STEPS_DTYPE)
        due[:count] = steps
        body += cbor2.dumps(cbor2.CBORTag(_STEPS_TAG, due.tobytes()))
    for i, channel in enumerate(channels):
        column = np.full(READINGS_PER_BLOCK, channel.missing_count, _DTYPES[channel.count_type])
        if counts:
            column[:count] = counts[i]
        body += cbor2.dumps(cbor2.CBORTag(_TAGS[channel.count_type], column.tobytes()))
    # the pad, an empty or one-byte string, makes the whole length even
    body += b"\x40" if (len(body) + 1 + _CRC.size) % 2 == 0 else b"\x41\x00"
    return bytes(body) + _CRC.pack(_UINT32, zlib.crc32(body))


@lru_cache(maxsize=64)
def _block_bytes(channels: tuple[FileChannel, ...], with_steps: bool) -> int:
    """Return the length of blocks of these channels; asked for at every read of a stand-in."""
    return len(encode_block(channels, 0, [], np.empty(0, np.int64) if with_steps else None))


def encode_tail(events: list[tuple[int, str]], trailer: dict[str, Any]) -> bytes:
    """Return the event list and the trailer."""
    listed = [[at_ms, text] for at_ms, text in events]
    return sealed({"kind": "events", "events": listed}) + sealed({"kind": "trailer", **trailer})


def decode_tail(data: bytes) -> tuple[list[tuple[int, str]], dict[str, Any]]:
    """Return event list and trailer of `encode_tail`; what is damaged comes back empty."""
    events: list[tuple[int, str]] = []
    trailer: dict[str, Any] = {}
    at = 0
    while (item := decode_sealed(data, at)) is not None:
        content, at = item
        if content.get("kind") == "events":
            events = _events(content) or []
        elif content.get("kind") == "trailer":
            trailer = content
    return events, trailer


def _events(content: dict[str, Any]) -> list[tuple[int, str]] | None:
    """Return the events of their map, None when it makes no sense."""
    try:
        return [(int(ms), str(text)) for ms, text in content.get("events", [])]
    except (TypeError, ValueError):
        return None


# -- reading -------------------------------------------------------------------------------------
def decode_sealed(data: bytes, at: int = 0) -> tuple[dict[str, Any], int] | None:
    """Return (map, next offset) of the sealed item at an offset; None when it is damaged."""
    try:
        if data[at] != 0x82 or data[at + 1 : at + 3] != b"\xd8\x18":
            return None
        length, body_at = _byte_string_head(data, at + 3)
        end = body_at + length
        body = data[body_at:end]
        marker, crc = _CRC.unpack(data[end : end + _CRC.size])
        if len(body) != length or marker != _UINT32 or zlib.crc32(body) != crc:
            return None
        content = cbor2.loads(body)
    except (IndexError, struct.error, ValueError, cbor2.CBORDecodeError):
        return None
    return (content, end + _CRC.size) if isinstance(content, dict) else None


def _byte_string_head(data: bytes, at: int) -> tuple[int, int]:
    """Return (length, offset of the bytes) of a definite byte string."""
    head = data[at]
    if not 0x40 <= head <= 0x5A:
        raise ValueError("no byte string")
    if head < 0x58:
        return head - 0x40, at + 1
    width = 1 << (head - 0x58)
    return int.from_bytes(data[at + 1 : at + 1 + width], "big"), at + 1 + width


def header_of(content: dict[str, Any]) -> Header:
    """Return the header of its map.

    Raises:
        LoggerAnswerError: a field is missing, of another kind or beyond reason.
    """
    try:
        step_ms = int(content.get("step_ms", 0))
        expected = FORMAT_WITH_STEPS if step_ms else FORMAT
        if content["kind"] != "header" or content["format"] != expected:
            raise ValueError(f"kind {content['kind']}, format {content['format']}")
        channels = tuple(
            FileChannel(str(key), str(unit), str(kind), int(divisor), float(offset))
            for key, unit, kind, divisor, offset in content["channels"]
        )
        header = Header(
            str(content["serial"]),
            str(content["model"]),
            str(content["firmware"]),
            int(content["mission"]),
            instant_ms(content["launched_ms"]),
            instant_ms(content["first_ms"]),
            int(content["interval_ms"]),
            channels,
            shallow(dict(content["plan"])),
            step_ms,
        )
        if not SERIAL.fullmatch(header.serial):
            raise ValueError("a serial that is none")
        if not channels or header.interval_ms <= 0 or any(c.divisor == 0 for c in channels):
            raise ValueError("no channels, or an interval or divisor of nothing")
        if header.interval_ms > LONGEST_INTERVAL_MS:
            raise ValueError("an interval of more than a year")
        if step_ms < 0 or (step_ms and header.interval_ms % step_ms):
            raise ValueError("steps that do not divide the interval")
        if any(c.count_type not in _DTYPES for c in channels):
            raise ValueError("unknown kind of count")
    except (KeyError, TypeError, ValueError, OverflowError) as exc:
        raise LoggerAnswerError(
            f"The mission's header makes no sense ({exc}); offload it again, then keep the "
            "logger aside."
        ) from exc
    return header


HeaderReader: TypeAlias = Callable[[dict[str, Any]], Header]


def decode_block(
    channels: tuple[FileChannel, ...], data: bytes, *, with_steps: bool = False
) -> Block | None:
    """Return the block in `data` (exactly one block long), or None when it is damaged."""
    try:
        if not _is_sound(data):
            return None
        usual = [] if with_steps else _usual_blocks(channels, data)
        if usual and len(data) == _block_bytes(channels, with_steps=False):
            return usual[0]
        first, count, arrays = cbor2.loads(data)[:3]
        if not 0 <= count <= READINGS_PER_BLOCK or len(arrays) != len(channels) + with_steps:
            return None
        steps = _steps(arrays.pop(0), count) if with_steps else None
        columns = tuple(
            np.frombuffer(array.value, _DTYPES[channel.count_type])[:count].astype(np.int64)
            for channel, array in zip(channels, arrays, strict=True)
        )
    except (struct.error, ValueError, TypeError, AttributeError, cbor2.CBORDecodeError):
        return None
    if not all(len(column) == count for column in columns):
        return None
    return Block(int(first), columns, steps)


@lru_cache(maxsize=16)
def _layout(channels: tuple[FileChannel, ...]) -> tuple[bytes, tuple[tuple[int, int], ...]]:
    """Return the bytes of an empty block and where in it the bytes of each column stand."""
    empty = encode_block(channels, 0, [])
    at = _BLOCK_HEAD.size + 1
    columns = []
    for channel in channels:
        size = READINGS_PER_BLOCK * _DTYPES[channel.count_type].itemsize
        at += len(cbor2.dumps(cbor2.CBORTag(_TAGS[channel.count_type], bytes(size)))) - size
        columns.append((at, at + size))
        at += size
    return empty, tuple(columns)


def _usual_blocks(
    channels: tuple[FileChannel, ...], data: bytes, at: int = 0, most: int = 1
) -> list[Block]:
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
        _column(rows, _DTYPES[channel.count_type], start, end)
        for channel, (start, end) in zip(channels, columns, strict=True)
    ]
    found = []
    for i, (_, _, first, _, count) in enumerate(heads):
        whole = data[at + i * length : at + (i + 1) * length]
        if not is_usual[i] or count > READINGS_PER_BLOCK or not _is_sound(whole):
            break
        found.append(Block(first, tuple(column[i, :count] for column in counts)))
    return found


def _column(
    rows: NDArray[np.uint8], dtype: np.dtype[Any], start: int, end: int
) -> NDArray[np.int64]:
    return np.ascontiguousarray(rows[:, start:end]).view(dtype).astype(np.int64)


def _is_sound(block: bytes) -> bool:
    """Whether the check sum at the end of a block is that of what stands before it."""
    crc_at = len(block) - _CRC.size
    marker, crc = _CRC.unpack_from(block, crc_at)
    return bool(marker == _UINT32 and zlib.crc32(memoryview(block)[:crc_at]) == crc)


def _steps(array: Any, count: int) -> NDArray[np.int64]:
    """Return when the readings of a block were due.

    Raises:
        ValueError: they do not increase, so they cannot be.
    """
    steps = np.frombuffer(array.value, _STEPS_DTYPE)[:count].astype(np.int64)
    if len(steps) != count or bool((np.diff(steps) <= 0).any()):
        raise ValueError("steps of a block do not increase")
    return steps


def decode_mission_file(data: bytes, header: HeaderReader = header_of) -> MissionFile:
    """Return everything readable in the bytes of a mission file, whole or not.

    header: reads the map of the first item.

    Raises:
        LoggerAnswerError: the header itself cannot be read; nothing after it has a meaning.
    """
    start = decode_sealed(data)
    if start is None:
        raise LoggerAnswerError("The mission file's header is damaged; offload the mission again.")
    content, at = start
    mission = MissionFile(header(content))
    length = mission.header.block_bytes
    channels, with_steps = mission.header.channels, bool(mission.header.step_ms)
    ahead = 1
    while at < len(data):
        usual = [] if with_steps else _usual_blocks(channels, data, at, ahead)
        if usual:
            mission.blocks += usual
            at += len(usual) * length
            ahead = min(2 * ahead, _MOST_AHEAD) if len(usual) == ahead else 1
            continue
        part = data[at : at + length]
        block = decode_block(channels, part, with_steps=with_steps)
        if block is not None:
            mission.blocks.append(block)
            at += length
            continue
        item = decode_sealed(data, at)
        if item is None:
            mission.damaged.append(at)
            at += length
            continue
        content, following = item
        if content.get("kind") == "events":
            events = _events(content)
            if events is None:
                mission.damaged.append(at)
            else:
                mission.events = events
        elif content.get("kind") == "trailer":
            mission.trailer = content
        at = following
    return mission
