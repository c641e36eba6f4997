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
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from itertools import pairwise, repeat
from typing import Any, TypeAlias

import cbor2
import numpy as np
from numpy.typing import NDArray

from gezeiten.domain.base.untrusted import (
    LONGEST_INTERVAL_MS,
    bounded_int,
    finite,
    instant_ms,
    shallow,
)
from gezeiten.domain.series.coverage import Range, merged
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.errors import LoggerAnswerError
from gezeiten.link.files.mission_blocks import (
    COUNT_TYPES,
    CRC,
    UINT32,
    FileChannel,
    ReadingBlock,
    block_bytes_of,
    decode_block,
    usual_blocks,
)

FORMAT = 1
FORMAT_WITH_STEPS = 2
"""Of missions whose interval changes: every block also says when each reading was due."""
SERIAL = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,39}")
"""What a serial may look like: it becomes part of file names."""
_MOST_AHEAD = 256
"""So many blocks are looked at in one go at most: a megabyte of four channels."""


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
        return block_bytes_of(self.channels, bool(self.step_ms))


@dataclass(slots=True)
class MissionFile:
    """A decoded file. damaged: byte offsets of parts that could not be read."""

    header: Header
    blocks: list[ReadingBlock] = field(default_factory=list)
    events: list[tuple[int, str]] = field(default_factory=list)
    trailer: dict[str, Any] | None = None
    damaged: list[int] = field(default_factory=list)

    @property
    def ranges(self) -> list[Range]:
        """Numbers of all readings that came, joined where they meet."""
        return merged(_runs(self.blocks))

    def readings(self, wanted: Range) -> tuple[Times, list[Values]]:
        """Return times (UTC ms, shape (n,)) and one value array a channel; NaN is "no value".

        Only readings inside `wanted` that the file holds; of doubled ones the first.
        """
        _, times, values = self.numbered(wanted)
        return times, values

    def numbered(self, wanted: Range) -> tuple[NDArray[np.int64], Times, list[Values]]:
        """Return reading numbers (shape (n,)) beside what `readings` returns."""
        parts = [part for block in self.blocks if len((part := block.subset(wanted)).counts[0])]
        runs = _runs(parts)
        index = _joined(np.arange(*run, dtype=np.int64) for run in runs)
        steps = _joined(part.due for part in parts) if self.header.step_ms else index
        keep: Any = slice(None)
        if any(a[1] > b[0] for a, b in pairwise(runs)):  # doubled, or out of their order
            index, keep = np.unique(index, return_index=True)
        counts = zip(*(part.counts for part in parts), strict=True) if parts else repeat(())
        with ThreadPoolExecutor(2) as both:
            values = list(both.map(partial(_values, keep), self.header.channels, counts))
        step_ms = self.header.step_ms or self.header.interval_ms
        return index, self.header.first_ms + steps[keep] * step_ms, values


def _joined(parts: Iterable[NDArray[np.int64]]) -> NDArray[np.int64]:
    return np.concatenate([np.empty(0, np.int64), *parts])


def _runs(blocks: list[ReadingBlock]) -> list[Range]:
    """Return the numbers of blocks, in their order; those that follow each other as one."""
    runs: list[Range] = []
    for first, end in (block.range for block in blocks):
        if runs and runs[-1][1] == first:
            runs[-1] = (runs[-1][0], end)
        else:
            runs.append((first, end))
    return runs


def _values(keep: Any, channel: FileChannel, parts: Sequence[NDArray[Any]]) -> Values:
    counts = np.concatenate(parts or [np.empty(0, np.int64)])[keep]
    values: Values = np.divide(counts, float(channel.divisor), dtype=np.float64)
    if channel.offset:
        values += channel.offset
    missing = counts == channel.missing_count
    if missing.any():
        values[missing] = np.nan
    return values


# -- writing -------------------------------------------------------------------------------------
def sealed(content: dict[str, Any]) -> bytes:
    """Return [24(h'cbor map'), crc32] with the check sum over the map's bytes."""
    body = cbor2.dumps(content)
    return b"\x82" + cbor2.dumps(cbor2.CBORTag(24, body)) + CRC.pack(UINT32, zlib.crc32(body))


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
        return [(bounded_int(ms), str(text)) for ms, text in content.get("events", [])]
    except (TypeError, ValueError):
        return None


# -- reading -------------------------------------------------------------------------------------
def decode_sealed(data: bytes, at: int = 0) -> tuple[dict[str, Any], int] | None:
    """Return (map, next offset) of the sealed item at an offset; None when it is damaged."""
    try:
        if data[at] != 0x82 or data[at + 1 : at + 3] != b"\xd8\x18":
            return None
        length, body_at = _byte_string_header(data, at + 3)
        end = body_at + length
        body = data[body_at:end]
        marker, crc = CRC.unpack(data[end : end + CRC.size])
        if len(body) != length or marker != UINT32 or zlib.crc32(body) != crc:
            return None
        content = cbor2.loads(body)
    except (IndexError, struct.error, ValueError, cbor2.CBORDecodeError):
        return None
    return (content, end + CRC.size) if isinstance(content, dict) else None


def _byte_string_header(data: bytes, at: int) -> tuple[int, int]:
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
        step_ms = bounded_int(content.get("step_ms", 0))
        expected = FORMAT_WITH_STEPS if step_ms else FORMAT
        if content["kind"] != "header" or content["format"] != expected:
            raise ValueError(f"kind {content['kind']}, format {content['format']}")
        channels = tuple(
            FileChannel(str(key), str(unit), str(kind), bounded_int(divisor), finite(offset))
            for key, unit, kind, divisor, offset in content["channels"]
        )
        header = Header(
            str(content["serial"]),
            str(content["model"]),
            str(content["firmware"]),
            bounded_int(content["mission"]),
            instant_ms(content["launched_ms"]),
            instant_ms(content["first_ms"]),
            bounded_int(content["interval_ms"]),
            channels,
            shallow(dict(content["plan"])),
            step_ms,
        )
        if not SERIAL.fullmatch(header.serial):
            raise ValueError("an invalid serial")
        if not channels or header.interval_ms <= 0 or any(c.divisor == 0 for c in channels):
            raise ValueError("no channels, or an interval or divisor of 0")
        if header.interval_ms > LONGEST_INTERVAL_MS:
            raise ValueError("an interval of more than a year")
        if step_ms < 0 or (step_ms and header.interval_ms % step_ms):
            raise ValueError("steps that do not divide the interval")
        if any(c.count_type not in COUNT_TYPES for c in channels):
            raise ValueError("unknown kind of count")
    except (KeyError, TypeError, ValueError, OverflowError) as exc:
        raise LoggerAnswerError(
            f"The mission's header cannot be read ({exc}); offload it again; if that "
            "does not help, take the logger out of use."
        ) from exc
    return header


HeaderReader: TypeAlias = Callable[[dict[str, Any]], Header]


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
        usual = [] if with_steps else usual_blocks(channels, data, at, ahead)
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
