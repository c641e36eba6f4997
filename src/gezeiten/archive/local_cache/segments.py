"""A series as segments: which readings of which blocks it is made of, in order of time, known
without reading one. What is drawn comes from their cells, what is asked for is read block by block.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable
from contextlib import suppress
from dataclasses import dataclass, replace
from itertools import zip_longest
from types import SimpleNamespace
from typing import Any, NamedTuple

from sqlalchemy import Integer, bindparam, select, type_coerce
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.block_owner import BlockOwner, neighbouring_blocks
from gezeiten.archive.local_cache.blocks import unpack, unpacked_cells
from gezeiten.archive.local_cache.cutting import concatenate_columns
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.readings import (
    ExcludedReadings,
    active_fills,
    drop_excluded,
    steps_of_point,
    unused_readings,
)
from gezeiten.archive.local_cache.tables import READING, Block, BlockBytes, BlockCells
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.clocks.clock_map import RIGHT, ClockMap
from gezeiten.domain.series.drawing.cells import Cells
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import Span
from gezeiten.errors import ArchiveDamagedError

_COLUMNS = tuple(column.key for column in READING)
_NAMES = tuple(f"mission_{i}" for i in range(64))
"""Of so many missions blocks are asked for at once: a prepared statement takes no list."""
_HEADS = PreparedStatement(
    select(
        Block.mission,
        Block.id,
        Block.count,
        Block.start_ms,
        Block.end_ms,
        type_coerce(Block.is_text, Integer),
        Block.usual_ms,
        Block.shorter_ms,
        Block.valid,
        Block.held_ms,
        Block.held_until_ms,
        Block.low,
        Block.high,
        Block.stamp,
    )
    .where(Block.mission.in_([bindparam(name) for name in _NAMES]))
    .where(Block.channel == bindparam("its_channel"))
    .order_by(Block.mission, Block.first)
)
_BLOCK = PreparedStatement(
    select(*READING)
    .join(BlockBytes, BlockBytes.id == Block.id)
    .where(Block.id == bindparam("its_id"))
)


class Segment(NamedTuple):
    """Readings [start, end) of a block. mission, block: keys in this database; neighbours: the
    blocks that have to be read with it, itself among them, in order: the interval in force depends
    on them; owner: of the readings; is_whole: all that the block holds; ends: the first and the
    last reading with a value, None where not all of the block count, so that they have to be read;
    valid: how many there are, then; low, high: of all that the block holds. stamp: what its
    readings follow from, None where that cannot be said. clock: what puts their instants right;
    span and ends are true time. is_suspect: its readings are dated by a clock that was wrong."""

    mission: int
    block: int
    neighbours: tuple[int, ...]
    span: Span
    owner: BlockOwner
    is_whole: bool
    ends: Span | None
    valid: int
    low: float
    high: float
    stamp: Hashable
    clock: ClockMap = RIGHT
    is_suspect: bool = False


@dataclass(frozen=True, slots=True)
class Segments:
    """What a series is made of. listed: measured, in order of time, none reaching into another;
    fills: active ones; unused: readings that do not count, of fetches that were undone."""

    listed: tuple[Segment, ...]
    fills: tuple[Series, ...]
    unused: tuple[ExcludedReadings, ...]

    def read(self, session: Session, at: int) -> Series:
        """Return the measured readings of a segment.

        Raises:
            ArchiveDamagedError: its block, or one beside it, is damaged or gone.
        """
        segment = self.listed[at]
        columns = [
            drop_excluded(
                unpack(row, is_text=segment.owner.is_text),
                self.unused,
                segment.mission,
                segment.clock,
            )
            for row in _rows(session, segment.neighbours)
        ]
        whole = concatenate_columns(columns)
        intervals = segment.owner.intervals(whole)
        place = segment.neighbours.index(segment.block)
        first = sum(len(column) for column in columns[:place])
        mine = slice(first, first + len(columns[place]))
        # blocks are cut from what was checked, and say it where they are damaged
        times = segment.clock.corrected_times(whole.times[mine])
        code = Quality.SUSPECT if segment.is_suspect else Quality.GOOD
        series = make_series(times, whole.values[mine], intervals[mine], code, is_in_order=True)
        return series.between(*segment.span)

    def cells(self, session: Session) -> dict[int, Cells]:
        """Return the cells of the segments that are whole blocks, by their place; those that are
        damaged are left out."""
        places = {one.block: at for at, one in enumerate(self.listed) if one.is_whole}
        keys, found = list(places), {}
        for first in range(0, len(keys), _AT_ONCE):
            its = BlockCells.id.in_(keys[first : first + _AT_ONCE])
            for key, data in session.execute(select(BlockCells.id, BlockCells.cells).where(its)):
                with suppress(ArchiveDamagedError):  # its readings make them as well
                    found[places[key]] = _correct_clock(
                        unpacked_cells(data), self.listed[places[key]]
                    )
        return found


def _correct_clock(cells: Cells, segment: Segment) -> Cells:
    if not segment.clock:
        return cells
    first_ms, last_ms = map(segment.clock.corrected_times, (cells.first_ms, cells.last_ms))
    return replace(cells, first_ms=first_ms, last_ms=last_ms)


_AT_ONCE = 500
"""Keys in one statement."""


class _Head(NamedTuple):
    mission: str
    key: int
    readings: int
    start_ms: int
    end_ms: int
    is_text: int
    usual_ms: int
    shorter_ms: int
    valid: int
    held_ms: int | None
    held_until_ms: int | None
    low: float
    high: float
    stamp: int


def load_segments(session: Session, point_id: int, key: str) -> Segments:
    """Return what a series of a point is made of; blocks without a value are left out."""
    made, steps = layout(session), steps_of_point(session, point_id)
    unused = unused_readings(session, steps)
    assigned = made.of_series(point_id, key)
    listed: list[Segment] = []
    heads = _block_heads(session, channel_of(key), dict.fromkeys(feed.mission for feed in assigned))
    unused_of = defaultdict[int, list[ExcludedReadings]](list)
    for excluded_readings in unused:
        unused_of[excluded_readings.mission_id].append(excluded_readings)
    for feed in assigned:
        mission = made.missions[feed.mission]
        listed += _assignment_segments(
            heads.get(feed.mission, []), feed, mission, unused_of.get(mission, [])
        )
    return Segments(tuple(listed), tuple(active_fills(steps, key)), tuple(unused))


def _assignment_segments(
    heads: list[_Head], assignment: SeriesAssignment, mission: int, unused: list[ExcludedReadings]
) -> Iterable[Segment]:
    counts, clock = [head.readings for head in heads], assignment.clock
    heads = [_corrected_head(head, clock) for head in heads] if clock else heads
    its_mission, is_clock_wrong = assignment.mission, assignment.is_clock_wrong
    known: dict[tuple[bool, int, int], BlockOwner] = {}
    for i, head in enumerate(heads):
        if head.held_ms is None or head.held_until_ms is None:
            continue
        if head.end_ms < assignment.start_ms or head.start_ms >= assignment.end_ms:
            continue
        span = (max(head.start_ms, assignment.start_ms), min(head.end_ms + 1, assignment.end_ms))
        is_whole = span == (head.start_ms, head.end_ms + 1) and not (
            unused and _reach_into(unused, head)
        )
        intervals = (bool(head.is_text), head.usual_ms, head.shorter_ms)
        owner = known.get(intervals) or known.setdefault(
            intervals, BlockOwner(its_mission, *intervals)
        )
        keys: tuple[int, ...] = (head.key,)
        stamps: tuple[int, ...] = (head.stamp,)
        if owner.needs_neighbours:
            around = heads[slice(*neighbouring_blocks(counts, i))]
            keys, stamps = tuple(one.key for one in around), tuple(one.stamp for one in around)
        yield Segment(
            mission,
            head.key,
            keys,
            span,
            owner,
            is_whole,
            (head.held_ms, head.held_until_ms) if is_whole else None,
            head.valid,
            head.low,
            head.high,
            (owner, span, stamps, clock, is_clock_wrong) if is_whole else None,
            clock,
            is_clock_wrong,
        )


def _corrected_head(head: _Head, clock: ClockMap) -> _Head:
    """Return what is known of a block with its instants put right."""
    held = (
        None if at is None else clock.corrected_instant(at)
        for at in (head.held_ms, head.held_until_ms)
    )
    held_ms, held_until_ms = held
    return head._replace(
        start_ms=clock.corrected_instant(head.start_ms),
        end_ms=clock.corrected_instant(head.end_ms),
        held_ms=held_ms,
        held_until_ms=held_until_ms,
    )


def _reach_into(unused: list[ExcludedReadings], head: _Head) -> bool:
    return any(
        excluded_readings.span[0] <= head.end_ms and excluded_readings.span[1] > head.start_ms
        for excluded_readings in unused
    )


def _block_heads(session: Session, channel: str, missions: Iterable[str]) -> dict[str, list[_Head]]:
    """Return the blocks of a channel of missions (ids), by mission and in order."""
    keys, found = list(missions), defaultdict[str, list[_Head]](list)
    for first in range(0, len(keys), len(_NAMES)):
        its = dict(zip_longest(_NAMES, keys[first : first + len(_NAMES)], fillvalue=""))
        for row in _HEADS.each(session.connection(), its_channel=channel, **its):
            found[row[0]].append(_Head._make(row))
    return found


def _rows(session: Session, keys: tuple[int, ...]) -> Iterable[Any]:
    connection = session.connection()
    for key in keys:
        row = _BLOCK.first_row(connection, its_id=key)
        if row is None:
            raise ArchiveDamagedError(
                "A block of readings is missing; gezeiten verify --rebuild restores it."
            )
        yield SimpleNamespace(**dict(zip(_COLUMNS, row, strict=True)))
