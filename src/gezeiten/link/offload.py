"""Offloading: the blocks that are wanted, written to disk as they come, checked one by one.

What arrives goes at once into an incoming file (header, blocks, tail), so a cut at any byte
leaves a file that is itself a readable mission file; the next contact asks for the rest.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from gezeiten.domain.series.coverage import Range, merged
from gezeiten.errors import (
    CancelledError,
    DeviceError,
    LoggerAnswerError,
    LoggerBusyError,
)
from gezeiten.link.files.mission_blocks import READINGS_PER_BLOCK, decode_block
from gezeiten.link.files.mission_file import Header, HeaderReader, decode_sealed, header_of
from gezeiten.link.session import DirectoryEntry, LoggerSession
from gezeiten.link.transfer import INCOMING, UNWATCHED, Meter, Watch, lock_incoming

ASKS_PER_BLOCK = 3
_MOST_IN_VAIN = 256
"""Blocks; where not one of so many is good, what sends there is no logger, or its cable is none."""


@dataclass(slots=True)
class Transfer:
    """What was received. damaged: ranges of blocks that stayed damaged; error: why it ended early.

    The incoming file stays locked until `release`, so that no other process takes it in (or
    writes it) meanwhile; when this process dies, the lock goes with it.
    """

    path: Path
    header: Header
    lock: int
    received: list[Range] = field(default_factory=list)
    damaged: list[Range] = field(default_factory=list)
    error: DeviceError | CancelledError | None = None

    def release(self) -> None:
        """Close and unlock the incoming file."""
        os.close(self.lock)


def needed_blocks(wanted: list[Range], held: Range) -> list[range]:
    """Return the numbers of the blocks that hold any wanted reading still in memory, neighbours as
    one range: a logger may claim more of them than memory takes."""
    held_parts = [(max(first, held[0]), min(end, held[1])) for first, end in wanted]
    runs = merged(
        (first // READINGS_PER_BLOCK, (end - 1) // READINGS_PER_BLOCK + 1)
        for first, end in held_parts
        if end > first
    )
    return [range(*run) for run in runs]


def offload(
    session: LoggerSession,
    entry: DirectoryEntry,
    wanted: list[Range],
    folder: Path,
    watch: Watch = UNWATCHED,
    route: str = "network",
    *,
    read_header: HeaderReader = header_of,
    suffix: str = INCOMING,
) -> Transfer:
    """Take the wanted readings of a mission into an incoming file in `folder`.

    read_header, suffix: for files that are built as a mission is, but are none.

    A line that breaks or a cancel ends the transfer early; `Transfer.error` says so and the
    file holds what came. Only a header that cannot be read raises.

    Raises:
        DeviceError: nothing usable came at all, or another program is offloading this mission.
        OSError: the disk; translated where the archive takes over.
    """
    raw_header, header = _read_header(session, entry, read_header)
    path = folder / f"{header.serial}-{header.mission}-{header.launched_ms}.{route}{suffix}"
    lock = lock_incoming(path)
    if lock is None:
        raise LoggerBusyError(
            f"{header.serial} is being offloaded by another window or program; wait for it."
        )
    transfer = Transfer(path, header, lock)
    try:
        with path.open("wb") as out:
            out.write(raw_header)
            try:
                _fetch_blocks(session, entry, wanted, transfer, out, watch)
                # the tail comes last: it may know of more readings than came, never of fewer
                out.write(session.read_enveloped(entry.tail_file))
            except (DeviceError, CancelledError) as exc:
                transfer.error = exc
            out.flush()
            os.fsync(out.fileno())
    except BaseException:
        transfer.release()  # a full disk: or this window would lock itself out
        raise
    return transfer


def _read_header(
    session: LoggerSession, entry: DirectoryEntry, read_header: HeaderReader
) -> tuple[bytes, Header]:
    for _ in range(ASKS_PER_BLOCK):
        raw = session.read_file(entry.file, 0, entry.header_bytes)
        item = decode_sealed(raw)
        if item is not None and item[1] == len(raw):
            header = read_header(item[0])
            if header.block_bytes != entry.block_bytes or header.mission != entry.mission:
                raise LoggerAnswerError(
                    f"Directory and header of mission {entry.mission} on {session.name} disagree; "
                    "contact the logger and offload again."
                )
            return raw, header
    raise LoggerAnswerError(
        f"The header of mission {entry.mission} on {session.name} arrives damaged; "
        "check cable and plug, then offload again."
    )


def _fetch_blocks(
    session: LoggerSession,
    entry: DirectoryEntry,
    wanted: list[Range],
    transfer: Transfer,
    out: BinaryIO,
    watch: Watch,
) -> None:
    runs = needed_blocks(wanted, entry.numbers_in_memory)
    meter = Meter(
        watch,
        sum(map(len, runs)) * entry.block_bytes,
        sum(_readings_from(run, entry) for run in runs),
        "Offloading was cancelled; the readings received so far are saved.",
        session.limit_bytes_per_s,
    )
    meter.settled(0)  # readings count when their block is good, not when its bytes come
    doubtful: list[int] = []
    for run in runs:
        start = entry.header_bytes + run.start * entry.block_bytes
        pieces = session.stream_file(entry.file, start, entry.block_bytes * len(run))
        with closing(pieces):
            for number, raw in zip(run, _complete_blocks(pieces, entry, meter), strict=False):
                if _is_intact(transfer, number, raw):
                    _write_through(out, raw)
                    meter.settled(_readings_in(number, entry))
                    continue
                doubtful.append(number)
                if len(doubtful) >= _MOST_IN_VAIN and not transfer.received:
                    raise LoggerAnswerError(
                        f"{session.name} sends only damaged blocks; check cable and plug, then "
                        "offload again."
                    )
    for number in doubtful:
        _refetch(session, entry, number, transfer, out)
        meter.settled(_readings_in(number, entry))
    meter.report()


def _complete_blocks(
    pieces: Iterator[bytes], entry: DirectoryEntry, meter: Meter
) -> Iterator[bytes]:
    """Yield blocks as soon as all their bytes are there."""
    meter.count_bytes(0)
    buffer = bytearray()
    for piece in pieces:
        buffer += piece
        meter.count_bytes(len(piece))
        while len(buffer) >= entry.block_bytes:
            yield bytes(buffer[: entry.block_bytes])
            del buffer[: entry.block_bytes]


def _is_intact(transfer: Transfer, number: int, raw: bytes) -> bool:
    """Return whether these bytes are this block, by its own check sum and number."""
    steps = bool(transfer.header.step_ms)
    block = decode_block(transfer.header.channels, raw, with_steps=steps)
    if block is None or block.first != number * READINGS_PER_BLOCK:
        return False
    transfer.received.append(block.range)
    return True


def _write_through(out: BinaryIO, raw: bytes) -> None:
    """Hand a block to the system at once: it outlives this process from here."""
    out.write(raw)
    out.flush()


def _readings_in(block: int, entry: DirectoryEntry) -> int:
    return _readings_from(range(block, block + 1), entry)


def _readings_from(run: range, entry: DirectoryEntry) -> int:
    first, end = run.start * READINGS_PER_BLOCK, run.stop * READINGS_PER_BLOCK
    return min(end, entry.readings) - max(first, entry.first_held)


def _refetch(
    session: LoggerSession,
    entry: DirectoryEntry,
    number: int,
    transfer: Transfer,
    out: BinaryIO,
) -> None:
    """Ask again for a block that came damaged; set it aside when it stays so."""
    start = entry.header_bytes + number * entry.block_bytes
    for _ in range(ASKS_PER_BLOCK - 1):
        raw = session.read_file(entry.file, start, entry.block_bytes)
        if _is_intact(transfer, number, raw):
            _write_through(out, raw)
            return
    first = number * READINGS_PER_BLOCK
    end = min(first + READINGS_PER_BLOCK, entry.readings)
    transfer.damaged.append((max(first, entry.first_held), end))
