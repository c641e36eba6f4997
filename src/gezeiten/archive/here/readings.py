"""Readings out of the archive: as recorded, and the record joined from them and from steps.

A record is what the bytes hold plus the steps that are not undone, put together anew each time.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import groupby
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from gezeiten.archive.here.blocks import PACKED, unpack
from gezeiten.archive.here.cutting import READINGS_PER_BLOCK, Column, in_one
from gezeiten.archive.here.tables import Block, Held, SeriesRow
from gezeiten.archive.store.estimates import estimated_series
from gezeiten.archive.store.tables import Mission, Offload, Point, Step
from gezeiten.domain.coverage import Range
from gezeiten.domain.kept import KnownOffload
from gezeiten.domain.series import Series, join_series, make_series
from gezeiten.domain.spacing import intervals_of_mission, intervals_of_text
from gezeiten.domain.steps import LINE, REFETCH
from gezeiten.domain.timeline import Span, Times, Values

Recorded: TypeAlias = tuple[Times, Values, NDArray[np.int64]]
"""Instants, values and intervals in force, each of shape (n,)."""


@dataclass(frozen=True, slots=True)
class Unused:
    """Readings of a mission that a fetch brought which was undone: those of its numbers in the
    stretch of the gap."""

    mission_id: int
    offload_id: int
    numbers: tuple[Range, ...]
    span: Span


def load_record(session: Session, point_id: int, channel: str) -> Series:
    """Return the record of one channel at a point: measured readings and active fills.

    Where a fill and a measured reading share an instant the measured one stays.
    """
    steps = session.scalars(select(Step).filter_by(point_id=point_id)).all()
    unused = unused_readings(session, steps)
    query = _blocks(channel).where(Mission.point_id == point_id)
    parts = []
    for mission_id, blocks in _by_mission(session, query):
        times, values, intervals = _recorded(blocks, mission_id, unused)
        parts.append(make_series(times, values, intervals))
    parts.sort(key=lambda part: int(part.times_utc_ms[0]) if len(part) else 0)
    parts += [
        estimated_series(step)
        for step in steps
        if step.kind == LINE and step.channel == channel and step.undone_ms is None
    ]
    return join_series(parts)


def load_recorded(session: Session, mission_id: int, point_id: int, channel: str) -> Recorded:
    """Return everything that one mission recorded of a channel, NaN where it had no sensor. Fetches
    that were undone do not count."""
    steps = session.scalars(select(Step).filter_by(point_id=point_id)).all()
    query = _blocks(channel).where(Mission.id == mission_id, Mission.point_id == point_id)
    for _, blocks in _by_mission(session, query):
        return _recorded(blocks, mission_id, unused_readings(session, steps))
    return np.empty(0, np.int64), np.empty(0), np.empty(0, np.int64)


def _blocks(channel: str) -> Select[Any]:
    columns = [getattr(Block, name) for name in PACKED]
    return (
        select(Mission.id, Block.is_text, Block.usual_ms, Block.shorter_ms, *columns)
        .join(Mission, Mission.uid == Block.mission)
        .where(Block.channel == channel)
        .order_by(Mission.id, Block.first)
    )


def _by_mission(session: Session, query: Select[Any]) -> Iterator[tuple[int, list[Any]]]:
    rows = session.execute(query).all()
    for mission_id, blocks in groupby(rows, key=lambda row: row.id):
        yield int(mission_id), list(blocks)


def _recorded(blocks: list[Any], mission_id: int, unused: list[Unused]) -> Recorded:
    is_text = blocks[0].is_text
    column = in_one([unpack(block, is_text=is_text) for block in blocks])
    for one in unused:
        if one.mission_id == mission_id:
            column = column.part(~_among(column, one))
    if is_text:
        return column.times, column.values, intervals_of_text(column.times)
    intervals = intervals_of_mission(
        column.numbers, column.times, blocks[0].usual_ms, blocks[0].shorter_ms
    )
    return column.times, column.values, intervals


def _among(column: Column, unused: Unused) -> NDArray[np.bool_]:
    inside = (column.times >= unused.span[0]) & (column.times < unused.span[1])
    return inside & in_ranges(column.numbers, unused.numbers)


def in_ranges(numbers: NDArray[np.int64], ranges: Iterable[Range]) -> NDArray[np.bool_]:
    """Return which numbers lie in ranges, bool (n,)."""
    among = np.zeros(len(numbers), np.bool_)
    for first, end in ranges:
        among |= (numbers >= first) & (numbers < end)
    return among


def unused_readings(session: Session, steps: Iterable[Step]) -> list[Unused]:
    """Return the readings that fetches brought which are undone."""
    fetches = [step for step in steps if step.kind == REFETCH]
    standing = {step.offload_id for step in fetches if step.undone_ms is None}
    found = []
    for step in fetches:
        if step.undone_ms is None or step.offload_id in standing:
            continue
        offload = session.get_one(Offload, step.offload_id)
        numbers = tuple((first, end) for first, end in offload.received)
        found.append(Unused(offload.mission_id, offload.id, numbers, (step.start_ms, step.end_ms)))
    return found


# -- what brought readings -----------------------------------------------------------------------
def offload_spans(
    session: Session, *, mission_id: int | None = None, point_id: int | None = None
) -> dict[tuple[int, str], list[Span]]:
    """Return from when to when the readings of bytes are (both ends included), a stretch for each
    that came, by mission and fingerprint of the bytes; of one mission, of a point's, or of all."""
    query = select(Mission.id, Held.raw, Held.spans).join(Mission, Mission.uid == Held.mission)
    if mission_id is not None:
        query = query.where(Mission.id == mission_id)
    if point_id is not None:
        query = query.where(Mission.point_id == point_id)
    rows = session.execute(query.order_by(Held.id))
    spans: dict[tuple[int, str], list[Span]] = {}
    for mission_id, raw, listed in rows:
        mine = spans.setdefault((mission_id, raw.partition(":")[0]), [])
        mine += [(first, last) for first, last in listed]
    return spans


def offloads_between(session: Session, point_id: int, span: Span) -> set[str]:
    """Return the fingerprints of the raw bytes that hold readings of a point in a stretch."""
    return {
        sha256
        for (_, sha256), spans in offload_spans(session, point_id=point_id).items()
        if reach_into(spans, span)
    }


def reach_into(spans: Iterable[Span], span: Span) -> bool:
    """Whether one of some spans, both ends included, has an instant of [start, end)."""
    return any(first < span[1] and last >= span[0] for first, last in spans)


def readings_added(session: Session, offload: KnownOffload) -> Iterator[tuple[str, Column]]:
    """Yield the readings that were new with an offload of a logger, by channel in blocks."""
    columns = [getattr(Block, name) for name in PACKED]
    for first, end in offload.added:
        rows = session.execute(
            select(Block.channel, *columns)
            .where(Block.mission == offload.mission, Block.first < end,
                   Block.first > first - READINGS_PER_BLOCK)
            .order_by(Block.id)
        )  # fmt: skip
        for row in rows:
            column = unpack(row, is_text=False)
            added = column.part(in_ranges(column.numbers, [(first, end)]))
            if len(added):
                yield row.channel, added


def kept_of_text(session: Session, mission: str) -> int:
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


def recorded_channels(session: Session) -> frozenset[tuple[int, str]]:
    """Return the channels that have readings: keys of points, and channels."""
    query = select(Point.id, SeriesRow.channel).join(Point, Point.uid == SeriesRow.point)
    return frozenset(
        (key, channel) for key, channel in session.execute(query.where(SeriesRow.has_readings))
    )
