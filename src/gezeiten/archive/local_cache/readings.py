"""Readings out of the archive as they were recorded, and which of them do not count.

A record is what the bytes hold plus the steps that are not undone (`segments.py`).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.block_owner import BlockOwner
from gezeiten.archive.local_cache.blocks import unpack
from gezeiten.archive.local_cache.cutting import READINGS_PER_BLOCK, Column, concatenate_columns
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.tables import READING, Block, BlockBytes, BlockBytesRow
from gezeiten.archive.store.estimates import estimated_series
from gezeiten.archive.store.tables import Mission, Offload, Step
from gezeiten.domain.facts.stored import KnownOffload
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.clocks.clock_map import ClockMap
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import Span, Times, Values
from gezeiten.domain.steps.steps import KINDS

Recorded: TypeAlias = tuple[Times, Values, NDArray[np.int64]]
"""Instants, values and intervals in force, each of shape (n,)."""


@dataclass(frozen=True, slots=True)
class ExcludedReadings:
    """Readings of a mission that a fetch brought which was undone: those of its numbers in the
    stretch of the gap."""

    mission_id: int
    offload_id: int
    numbers: tuple[Range, ...]
    span: Span


def load_recorded(session: Session, point_id: int, assignment: SeriesAssignment) -> Recorded:
    """Return everything that a feed's mission recorded in its stretch, NaN where it had no sensor.
    Fetches that were undone do not count."""
    unused = unused_readings(session, steps_of_point(session, point_id))
    return assignment_readings(
        session, assignment, unused, layout(session).missions[assignment.mission]
    )


def recorded_at(
    session: Session, assignment: SeriesAssignment, at_ms: int
) -> tuple[int, float, int] | None:
    """Return the number, the value (NaN without a sensor) and the instant that its logger wrote of
    the reading of a feed at an instant, None where it has none; of a text its place among its
    readings."""
    first_ms, last_ms = assignment.clock.shown_span((at_ms, at_ms))
    rows = session.execute(
        select(Block.is_text, *READING)
        .join(BlockBytes, BlockBytes.id == Block.id)
        .where(
            Block.mission == assignment.mission,
            Block.channel == assignment.channel,
            Block.start_ms <= last_ms,
            Block.end_ms >= first_ms,
        )
    )
    for row in rows:
        column = unpack(row, is_text=row.is_text)
        [found] = [np.flatnonzero(assignment.clock.corrected_times(column.times) == at_ms)]
        if len(found):
            i = int(found[0])
            return int(column.numbers[i]), float(column.values[i]), int(column.times[i])
    return None


def active_fills(steps: list[Step], key: str) -> list[Series]:
    """Return the active fills of a series among the steps of its point."""
    return [
        estimated_series(step)
        for step in steps
        if KINDS[step.kind].has_estimates and step.channel == key and step.undone_ms is None
    ]


def steps_of_point(session: Session, point_id: int) -> list[Step]:
    """Return all steps of a point, undone ones too."""
    return list(session.scalars(select(Step).filter_by(point_id=point_id)))


def has_missing_values(session: Session, assignment: SeriesAssignment) -> bool:
    """Whether any reading of the blocks that a feed reaches into is without a value."""
    start_ms, end_ms = assignment.clock.shown_span((assignment.start_ms, assignment.end_ms))
    found = session.scalar(
        select(Block.id)
        .where(
            Block.mission == assignment.mission,
            Block.channel == assignment.channel,
            Block.start_ms < end_ms,
            Block.end_ms >= start_ms,
            Block.valid < Block.count,
        )
        .limit(1)
    )
    return found is not None


def assignment_readings(
    session: Session, assignment: SeriesAssignment, unused: list[ExcludedReadings], mission_id: int
) -> Recorded:
    """Return what a feed gives: instants, values and intervals."""
    start_ms, end_ms = assignment.clock.shown_span((assignment.start_ms, assignment.end_ms))
    # of texts and where intervals depend on those around them, all blocks are needed
    blocks = session.execute(
        select(Block.mission, Block.is_text, Block.usual_ms, Block.shorter_ms, *READING)
        .join(BlockBytes, BlockBytes.id == Block.id)
        .where(
            Block.mission == assignment.mission,
            Block.channel == assignment.channel,
            or_(
                and_(Block.start_ms < end_ms, Block.end_ms >= start_ms),
                Block.is_text,
                Block.shorter_ms > 0,
            ),
        )
        .order_by(Block.first)
    ).all()
    if not blocks:
        return np.empty(0, np.int64), np.empty(0), np.empty(0, np.int64)
    times, values, intervals = _recorded(list(blocks), mission_id, unused, assignment.clock)
    a, b = times.searchsorted([assignment.start_ms, assignment.end_ms])
    return times[a:b], values[a:b], intervals[a:b]


def _recorded(
    blocks: list[Any], mission_id: int, unused: list[ExcludedReadings], clock: ClockMap
) -> Recorded:
    first = blocks[0]
    owner = BlockOwner(first.mission, first.is_text, first.usual_ms, first.shorter_ms)
    column = concatenate_columns([unpack(block, is_text=owner.is_text) for block in blocks])
    column = drop_excluded(column, unused, mission_id, clock)
    return clock.corrected_times(column.times), column.values, owner.intervals(column)


def drop_excluded(
    column: Column, unused: Iterable[ExcludedReadings], mission_id: int, clock: ClockMap
) -> Column:
    """Return the readings of a mission, their instants as its logger wrote them, without those that
    do not count."""
    for excluded_readings in unused:
        if excluded_readings.mission_id == mission_id:
            column = column.subset(~_used_mask(column, excluded_readings, clock))
    return column


def _used_mask(column: Column, unused: ExcludedReadings, clock: ClockMap) -> NDArray[np.bool_]:
    times = clock.corrected_times(column.times)
    inside = (times >= unused.span[0]) & (times < unused.span[1])
    return inside & in_ranges(column.numbers, unused.numbers)


def in_ranges(numbers: NDArray[np.int64], ranges: Iterable[Range]) -> NDArray[np.bool_]:
    """Return which numbers lie in ranges, bool (n,)."""
    among = np.zeros(len(numbers), np.bool_)
    for first, end in ranges:
        among |= (numbers >= first) & (numbers < end)
    return among


def unused_readings(session: Session, steps: Iterable[Step]) -> list[ExcludedReadings]:
    """Return the readings that fetches brought which are undone."""
    fetches = [step for step in steps if KINDS[step.kind].brings_bytes]
    standing = {step.offload_id for step in fetches if step.undone_ms is None}
    found = []
    for step in fetches:
        if step.undone_ms is None or step.offload_id in standing:
            continue
        offload = session.get_one(Offload, step.offload_id)
        numbers = tuple((first, end) for first, end in offload.received)
        found.append(
            ExcludedReadings(offload.mission_id, offload.id, numbers, (step.start_ms, step.end_ms))
        )
    return found


# -- what brought readings -----------------------------------------------------------------------
def offload_spans(
    session: Session, *, mission_id: int | None = None, missions: Iterable[str] | None = None
) -> dict[tuple[int, str], list[Span]]:
    """Return from when to when the readings of bytes are (both ends included), a stretch for each
    that came, by mission and fingerprint of the bytes; of one mission, of some (ids), or of all."""
    query = select(Mission.id, BlockBytesRow.raw, BlockBytesRow.spans).join(
        Mission, Mission.uid == BlockBytesRow.mission
    )
    if mission_id is not None:
        query = query.where(Mission.id == mission_id)
    if missions is not None:
        query = query.where(Mission.uid.in_(list(missions)))
    rows = session.execute(query.order_by(BlockBytesRow.id))
    spans: dict[tuple[int, str], list[Span]] = {}
    for mission_id, raw, listed in rows:
        mine = spans.setdefault((mission_id, raw.partition(":")[0]), [])
        mine += [(first, last) for first, last in listed]
    return spans


def offloads_within(session: Session, point_id: int, span: Span) -> set[str]:
    """Return the fingerprints of the raw bytes that hold readings of a point in a stretch."""
    made = layout(session)
    reach: dict[int, list[Span]] = {}
    for feed in made.at_point(point_id):
        part = (max(feed.start_ms, span[0]), min(feed.end_ms, span[1]))
        if part[1] > part[0]:
            its = feed.clock.shown_span(part)
            reach.setdefault(made.missions[feed.mission], []).append(its)
    held = offload_spans(session, missions=[feed.mission for feed in made.at_point(point_id)])
    return {
        sha256
        for (mission, sha256), spans in held.items()
        if any(reach_into(spans, part) for part in reach.get(mission, []))
    }


def reach_into(spans: Iterable[Span], span: Span) -> bool:
    """Whether one of some spans, both ends included, has an instant of [start, end)."""
    return any(first < span[1] and last >= span[0] for first, last in spans)


def readings_added(session: Session, offload: KnownOffload) -> Iterator[tuple[str, Column]]:
    """Yield the readings that were new with an offload of a logger, by channel in blocks."""
    for first, end in offload.added:
        rows = session.execute(
            select(Block.channel, *READING)
            .join(BlockBytes, BlockBytes.id == Block.id)
            .where(
                Block.mission == offload.mission,
                Block.first < end,
                Block.first > first - READINGS_PER_BLOCK,
            )
            .order_by(Block.id)
        )
        for row in rows:
            column = unpack(row, is_text=False)
            added = column.subset(in_ranges(column.numbers, [(first, end)]))
            if len(added):
                yield row.channel, added


def text_reading_count(session: Session, mission: str) -> int:
    """Return how many instants of a text's source are kept: of the channel that has most."""
    counted: dict[str, int] = {}
    for channel, count in session.execute(
        select(Block.channel, Block.count).where(Block.mission == mission)
    ):
        counted[channel] = counted.get(channel, 0) + count
    return max(counted.values(), default=0)


def count_values(session: Session) -> int:
    """Return how many values are kept, those that are none left out."""
    return int(session.scalar(select(func.sum(Block.valid))) or 0)
