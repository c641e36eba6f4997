"""Readings put into this computer's blocks: what bytes hold is joined with what is there already.

In whatever order and pieces the same bytes come, the same blocks stand in the end; where bytes
differ about one reading, those that were taken in first stand.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray
from sqlalchemy import bindparam, delete, func, insert, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.block_owner import BlockOwner, neighbouring_blocks
from gezeiten.archive.local_cache.blocks import (
    BlockCutter,
    BlockPiece,
    Instants,
    PackedBlock,
    pack_all,
    packed_coverage,
    unpack,
)
from gezeiten.archive.local_cache.changes import mission_changed
from gezeiten.archive.local_cache.cutting import (
    BlockRange,
    Column,
    concatenate_columns,
    cut_by_number,
    cut_by_time,
    halves,
    inside,
    joined,
    roots,
    text_column,
)
from gezeiten.archive.local_cache.tables import (
    PARTS,
    READING,
    Block,
    BlockBytes,
    BlockBytesRow,
    BlockCells,
)
from gezeiten.archive.store.prepared import PreparedStatement, insertion
from gezeiten.domain.series.timeline import Span, Times

_RUNS = ("held_ms", "held_until_ms", "until_interval_ms", "runs")
_COLUMNS = ("id", "first", *(column.key for column in READING))
_BLOCKS = PreparedStatement(
    select(Block.id, Block.first, *READING)
    .join(BlockBytes, BlockBytes.id == Block.id)
    .where(
        Block.mission == bindparam("its_mission"),
        Block.channel == bindparam("its_channel"),
        Block.first >= bindparam("lowest"),
        Block.first <= bindparam("highest"),
    )
    .order_by(Block.first)
)
_DELETE = [PreparedStatement(delete(part).where(part.id == bindparam("its_id"))) for part in PARTS]
_LAST_KEY = PreparedStatement(select(func.max(Block.id)))
_PLACES = PreparedStatement(
    select(Block.first, Block.count)
    .where(Block.mission == bindparam("its_mission"), Block.channel == bindparam("its_channel"))
    .order_by(Block.first)
)
_SET_RUNS = PreparedStatement(
    update(Block)
    .where(Block.id == bindparam("its_id"))
    .values({name: bindparam(f"new_{name}") for name in _RUNS})
)
_SET_CELLS = PreparedStatement(
    update(BlockCells)
    .where(BlockCells.id == bindparam("its_id"))
    .values(cells=bindparam("new_cells"))
)
_HELD = PreparedStatement(
    select(BlockBytesRow.id).where(
        BlockBytesRow.mission == bindparam("its_mission"), BlockBytesRow.raw == bindparam("its_raw")
    )
)
_NEW_HELD = insertion(BlockBytesRow.__table__, ("mission", "raw", "spans"))
_NOTHING = text_column(np.empty(0, np.int64), np.empty(0))


@dataclass(frozen=True, slots=True)
class ChannelColumn:
    """Readings of one channel, with its key and unit."""

    channel: str
    unit: str
    column: Column


def raw_key(sha256: str, reading: dict[str, Any] | None) -> str:
    """Return what names bytes as they were read: a text may be read once more by another tie."""
    if reading is None:
        return sha256
    read = hashlib.sha256(msgspec.json.encode(reading, order="sorted")).hexdigest()
    return f"{sha256}:{read[:16]}"


@dataclass(frozen=True, slots=True)
class MergeResult:
    """Readings that were joined with those in blocks. is_new: which of them, bool (n,); differs:
    whether one has another value than was kept of it."""

    is_new: NDArray[np.bool_]
    differs: bool


def store_channel(session: Session, owner: BlockOwner, one: ChannelColumn) -> MergeResult:
    """Join readings of a channel with those in its blocks."""
    with ThreadPoolExecutor(1) as pool:
        return _merge_channel(session, owner, _joined(session, owner, one, pool, BlockCutter()))


def store_channels(
    session: Session, owner: BlockOwner, channels: Sequence[ChannelColumn]
) -> list[MergeResult]:
    """Join readings of channels with those in their blocks; those of a channel are compressed while
    those of the next one are looked at, and put into the database meanwhile."""
    if len({channel.channel for channel in channels}) < len(channels):  # a file may say one twice
        return [store_channel(session, owner, channel) for channel in channels]
    pieces = BlockCutter()
    with ThreadPoolExecutor(1) as pool:
        begun = [_joined(session, owner, channel, pool, pieces) for channel in channels]
        return [_merge_channel(session, owner, one) for one in begun]


@dataclass(frozen=True, slots=True)
class _MergedChannel:
    """A channel's readings, joined with those in its blocks. removed: keys of blocks that there
    will be others for; firsts: where those lie; packed: they themselves, as they are ready."""

    of: ChannelColumn
    result: MergeResult
    removed: list[int]
    firsts: list[int]
    packed: Iterable[PackedBlock]


def _joined(
    session: Session,
    owner: BlockOwner,
    one: ChannelColumn,
    pool: ThreadPoolExecutor,
    pieces: BlockCutter,
) -> _MergedChannel:
    is_new = np.zeros(len(one.column), np.bool_)
    done, differs = 0, False
    where_to = list(_target_blocks(session, owner, one))
    there = _stored_blocks(session, owner, one.channel, [cut.first for cut, _ in where_to])
    gone: list[int] = []
    parts: list[tuple[BlockRange, Column]] = []
    for cut, received in where_to:
        row = there.get(cut.first)
        stored = _NOTHING if row is None else unpack(row, is_text=owner.is_text)
        both = joined(stored, received, is_text=owner.is_text)
        is_new[done : done + len(received)] = both.is_new
        done, differs = done + len(received), differs or both.differs
        if both.is_new.any():
            gone += [] if row is None else [row.id]
            parts += cut_by_time(both.column, cut) if owner.is_text else [(cut, both.column)]
    made = [pieces.of(cut, part, owner.intervals(part)) for cut, part in parts]
    packed = pack_all(made, pool)
    return _MergedChannel(
        one, MergeResult(is_new, differs), gone, [cut.first for cut, _ in parts], packed
    )


def _merge_channel(session: Session, owner: BlockOwner, its: _MergedChannel) -> MergeResult:
    one, connection = its.of, session.connection()
    for key in its.removed:
        for part in _DELETE:
            part.run(connection, its_id=key)
    insert_blocks(session, owner, one.channel, one.unit, its.packed)
    if its.firsts:
        span = _span_of(one.column.times, its.result.is_new)
        if owner.needs_neighbours:
            span = _update_runs(session, owner, one.channel, its.firsts)
        mission_changed(connection, owner.mission, span)
    return its.result


def _span_of(times: Times, which: NDArray[np.bool_]) -> Span:
    """Return from the first of some readings to beyond the last one."""
    first, last = int(which.argmax()), len(which) - 1 - int(which[::-1].argmax())
    return (int(times[first]), int(times[last]) + 1)


def _update_runs(session: Session, owner: BlockOwner, channel: str, changed: list[int]) -> Span:
    """Find the runs and cells of blocks that changed, and of those beside them, from the readings
    of all three: what interval is in force depends on the next readings. Returns the stretch in
    which it may be another one now."""
    connection = session.connection()
    names = {"its_mission": owner.mission, "its_channel": channel}
    places, counts = zip(*_PLACES.all(connection, **names), strict=True)
    spans: list[Span] = []
    touched = {
        j for first in changed for j in range(*neighbouring_blocks(counts, places.index(first)))
    }
    for i in sorted(touched):
        first, end = neighbouring_blocks(counts, i)
        rows = _rows(session, owner, channel, list(places[first:end]))
        columns = [unpack(row, is_text=owner.is_text) for row in rows]
        intervals = owner.intervals(concatenate_columns(columns))
        at = i - first
        start = sum(len(column) for column in columns[:at])
        mine = intervals[start : start + len(columns[at])]
        instants = Instants(columns[at].numbers, columns[at].times, mine)
        *runs, cells = packed_coverage(columns[at].values, instants)
        news = {f"new_{name}": value for name, value in zip(_RUNS, runs, strict=True)}
        _SET_RUNS.run(connection, its_id=rows[at].id, **news)
        _SET_CELLS.run(connection, its_id=rows[at].id, new_cells=cells)
        spans.append((int(columns[at].times[0]), int(columns[at].times[-1]) + 1))
    return (min(a for a, _ in spans), max(b for _, b in spans))


def note_stored(session: Session, mission: str, raw: str, spans: Iterable[tuple[int, int]]) -> None:
    """Note that the readings of bytes are in the blocks of a mission; once."""
    connection = session.connection()
    if _HELD.first_row(connection, its_mission=mission, its_raw=raw) is None:
        listed = [list(span) for span in spans]
        _NEW_HELD.run(connection, mission=mission, raw=raw, spans=listed)


def leave_to_all_bytes(session: Session, mission: str) -> None:
    """Have the readings of a mission made of all its bytes when this transaction is done: what came
    now was taken before others and differs from them."""
    delete_blocks(session, mission)
    session.info["readings missing"] = True


def delete_blocks(session: Session, mission: str) -> None:
    """Take out all blocks of a mission, and what is in them."""
    its = select(Block.id).where(Block.mission == mission)
    for part in reversed(PARTS):  # the head, which says whose they are, last
        session.execute(delete(part).where(part.id.in_(its)))
    session.execute(delete(BlockBytesRow).where(BlockBytesRow.mission == mission))
    mission_changed(session.connection(), mission)


def blocks_of(owner: BlockOwner, columns: Iterable[Column]) -> Iterator[Iterable[PackedBlock]]:
    """Yield all blocks of the readings of each channel."""
    pieces = BlockCutter()
    with ThreadPoolExecutor(1) as pool:
        yield from [pack_all(_cut(owner, column, pieces), pool) for column in columns]


def _cut(owner: BlockOwner, column: Column, pieces: BlockCutter) -> list[BlockPiece]:
    cuts = cut_by_time(column) if owner.is_text else cut_by_number(column)
    intervals, made, at = owner.intervals(column), [], 0
    for cut, part in cuts:  # they follow each other
        made.append(pieces.of(cut, part, intervals[at : at + len(part)]))
        at += len(part)
    return made


def insert_blocks(
    session: Session,
    owner: BlockOwner,
    channel: str,
    unit: str,
    packed_blocks: Iterable[PackedBlock],
) -> None:
    """Add blocks of a channel."""
    facts = {
        "mission": owner.mission,
        "channel": channel,
        "unit": unit,
        "is_text": owner.is_text,
        "usual_ms": owner.usual_ms,
        "shorter_ms": owner.shorter_ms,
    }
    keyed = list(enumerate(packed_blocks, 1 + (_LAST_KEY.value(session.connection()) or 0)))
    if keyed:
        session.execute(insert(Block), [{"id": key, **facts, **one.head()} for key, one in keyed])
        session.execute(insert(BlockBytes), [{"id": key, **one.body()} for key, one in keyed])
        session.execute(insert(BlockCells), [{"id": key, **one.summaries()} for key, one in keyed])


def _target_blocks(
    session: Session, owner: BlockOwner, one: ChannelColumn
) -> Iterator[tuple[BlockRange, Column]]:
    """Yield the blocks that readings go into, those there are and new ones, with what goes in."""
    if not owner.is_text:
        yield from cut_by_number(one.column)
        return
    for root in roots(one.column.times):
        there = [
            BlockRange(*row)
            for row in session.execute(
                select(Block.first, Block.width).where(
                    Block.mission == owner.mission,
                    Block.channel == one.channel,
                    Block.first >= root.first,
                    Block.first < root.first + root.width,
                )
            )
        ]
        yield from _cells(root, there, inside(one.column, root))


def _cells(
    cell: BlockRange, block_ranges: list[BlockRange], came: Column
) -> Iterator[tuple[BlockRange, Column]]:
    """Yield the cells that readings lie in: known ones, else the widest that was not halved."""
    if not len(came):
        return
    within = [
        block_range
        for block_range in block_ranges
        if cell.first <= block_range.first < cell.first + cell.width
    ]
    if not within or within == [cell]:
        yield cell, came
        return
    for half in halves(cell):
        yield from _cells(half, within, inside(came, half))


def _stored_blocks(
    session: Session, owner: BlockOwner, channel: str, firsts: list[int]
) -> dict[int, Any]:
    """Return the blocks that begin at these places, or between them, by where they begin."""
    if not firsts:
        return {}
    return {row.first: row for row in _rows(session, owner, channel, firsts)}


def _rows(session: Session, owner: BlockOwner, channel: str, firsts: list[int]) -> list[Any]:
    rows = _BLOCKS.all(
        session.connection(),
        its_mission=owner.mission,
        its_channel=channel,
        lowest=min(firsts),
        highest=max(firsts),
    )
    return [SimpleNamespace(**dict(zip(_COLUMNS, row, strict=True))) for row in rows]
