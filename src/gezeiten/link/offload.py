"""Offloading: the blocks that are wanted, written to disk as they come, checked one by one.

What arrives goes at once into an incoming file (header, blocks, tail), so a cut at any byte
leaves a file that is itself a readable mission file; the next contact asks for the rest.
"""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from gezeiten.domain.coverage import Range
from gezeiten.errors import (
    CancelledError,
    DeviceError,
    LoggerAnswerError,
    LoggerBusyError,
)
from gezeiten.link.mission_file import (
    READINGS_PER_BLOCK,
    Header,
    decode_block,
    decode_sealed,
    header_of,
)
from gezeiten.link.session import DirectoryEntry, LoggerSession

ASKS_PER_BLOCK = 3
_BLOCKS_AT_ONCE = 8


@dataclass(frozen=True, slots=True)
class Progress:
    """Where a transfer stands; seconds_left is an honest guess from the rate so far."""

    readings: int
    of_readings: int
    bytes_per_s: float
    seconds_left: float | None


@dataclass(slots=True)
class Transfer:
    """What came. damaged: ranges whose blocks stayed damaged; error: why it ended early.

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
        """Let go of the incoming file."""
        os.close(self.lock)


def lock_incoming(path: Path) -> int | None:
    """Lock an incoming file; returns the lock's descriptor, None when another holds it."""
    lock = os.open(path, os.O_RDWR | os.O_CREAT, 0o644)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(lock)
        return None
    return lock


@dataclass(frozen=True, slots=True)
class Watch:
    """How a long act is watched and stopped from outside."""

    progress: Callable[[Progress], None] = lambda _: None
    cancelled: Callable[[], bool] = lambda: False


def wanted_blocks(wanted: list[Range], held: Range) -> list[int]:
    """Return the numbers of the blocks that hold any wanted reading still in memory."""
    blocks: set[int] = set()
    for first, end in wanted:
        first, end = max(first, held[0]), min(end, held[1])
        if end > first:
            blocks.update(range(first // READINGS_PER_BLOCK, (end - 1) // READINGS_PER_BLOCK + 1))
    return sorted(blocks)


def offload(
    session: LoggerSession,
    entry: DirectoryEntry,
    wanted: list[Range],
    folder: Path,
    watch: Watch = Watch(),
) -> Transfer:
    """Take the wanted readings of a mission into an incoming file in `folder`.

    A line that breaks or a cancel ends the transfer early; `Transfer.error` says so and the
    file holds what came. Only a header that cannot be read raises.

    Raises:
        DeviceError: nothing usable came at all, or another program is offloading this mission.
        OSError: the disk; translated where the archive takes over.
    """
    raw_header, header = _read_header(session, entry)
    path = folder / f"{header.serial}-{header.mission}-{header.launched_ms}.part"
    lock = lock_incoming(path)
    if lock is None:
        raise LoggerBusyError(
            f"{header.serial} is being offloaded by another window or program; wait for it."
        )
    transfer = Transfer(path, header, lock)
    with path.open("wb") as out:
        out.write(raw_header)
        try:
            _take_blocks(session, entry, wanted, transfer, out, watch)
            # the tail comes last: it may know of more readings than came, never of fewer
            out.write(session.read_enveloped(entry.tail_file))
        except (DeviceError, CancelledError) as exc:
            transfer.error = exc
        out.flush()
        os.fsync(out.fileno())
    return transfer


def _read_header(session: LoggerSession, entry: DirectoryEntry) -> tuple[bytes, Header]:
    for _ in range(ASKS_PER_BLOCK):
        raw = session.read_file(entry.file, 0, entry.header_bytes)
        item = decode_sealed(raw)
        if item is not None and item[1] == len(raw):
            header = header_of(item[0])
            if header.block_bytes != entry.block_bytes or header.mission != entry.mission:
                raise LoggerAnswerError(
                    f"Directory and header of mission {entry.mission} on {session.name} "
                    "disagree; read the logger's state and offload again."
                )
            return raw, header
    raise LoggerAnswerError(
        f"The header of mission {entry.mission} on {session.name} arrives damaged; "
        "check cable and plug, then offload again."
    )


def _take_blocks(
    session: LoggerSession,
    entry: DirectoryEntry,
    wanted: list[Range],
    transfer: Transfer,
    out: BinaryIO,
    watch: Watch,
) -> None:
    blocks = wanted_blocks(wanted, entry.held)
    total = sum(_readings_in(block, entry) for block in blocks)
    began = time.monotonic()
    done_bytes = done_readings = 0
    for at in range(0, len(blocks), _BLOCKS_AT_ONCE):
        if watch.cancelled():
            raise CancelledError("Offloading was stopped; what came is kept.")
        for number, raw in _ask_for(session, entry, blocks[at : at + _BLOCKS_AT_ONCE]):
            _keep_block(session, entry, number, raw, transfer, out)
            done_bytes += entry.block_bytes
            done_readings += _readings_in(number, entry)
        out.flush()
        elapsed = time.monotonic() - began
        rate = done_bytes / elapsed if elapsed > 0 else 0.0
        left = (len(blocks) * entry.block_bytes - done_bytes) / rate if rate else None
        watch.progress(Progress(done_readings, total, rate, left))


def _readings_in(block: int, entry: DirectoryEntry) -> int:
    first = block * READINGS_PER_BLOCK
    return min(first + READINGS_PER_BLOCK, entry.readings) - max(first, entry.first_held)


def _ask_for(
    session: LoggerSession, entry: DirectoryEntry, blocks: list[int]
) -> list[tuple[int, bytes]]:
    """Read neighbouring blocks in one go; return them one by one."""
    size = entry.block_bytes
    got: list[tuple[int, bytes]] = []
    runs: list[list[int]] = []
    for block in blocks:
        if runs and block == runs[-1][-1] + 1:
            runs[-1].append(block)
        else:
            runs.append([block])
    for run in runs:
        start = entry.header_bytes + run[0] * size
        data = session.read_file(entry.file, start, size * len(run))
        got.extend((block, data[i * size : (i + 1) * size]) for i, block in enumerate(run))
    return got


def _keep_block(
    session: LoggerSession,
    entry: DirectoryEntry,
    number: int,
    raw: bytes,
    transfer: Transfer,
    out: BinaryIO,
) -> None:
    """Write a block that proves right; ask again for a damaged one, then set it aside."""
    first = number * READINGS_PER_BLOCK
    for ask in range(ASKS_PER_BLOCK):
        if ask:
            start = entry.header_bytes + number * entry.block_bytes
            raw = session.read_file(entry.file, start, entry.block_bytes)
        steps = bool(transfer.header.step_ms)
        block = decode_block(transfer.header.channels, raw, with_steps=steps)
        if block is not None and block.first == first:
            out.write(raw)
            transfer.received.append(block.range)
            return
    end = min(first + READINGS_PER_BLOCK, entry.readings)
    transfer.damaged.append((max(first, entry.first_held), end))
