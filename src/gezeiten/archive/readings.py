"""Readings in and out of the archive: blocks as measured, and the record joined from them.

A record is the raw offloads plus the steps that are not undone, put together anew each time.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.blocks import (
    READINGS_PER_BLOCK,
    decode_times,
    decode_values,
    encode_times,
    encode_values,
    summary,
)
from gezeiten.archive.estimates import estimated_series
from gezeiten.archive.tables import Block, Mission, Offload, SeriesRow, Step
from gezeiten.domain.series import Series, join_series, make_series
from gezeiten.domain.steps import LINE, REFETCH
from gezeiten.domain.timeline import Span, Times, Values


def series_row(session: Session, point_id: int, channel: str, unit: str) -> SeriesRow:
    """Return the series of a channel at a point, made where there is none."""
    row = session.scalars(select(SeriesRow).filter_by(point_id=point_id, channel=channel)).first()
    if row is None:
        row = SeriesRow(point_id=point_id, channel=channel, unit=unit)
        session.add(row)
        session.flush()
    return row


@dataclass(frozen=True, slots=True)
class BlockMade:
    """What a block holds, whoever it belongs to; see `Block`."""

    first: int
    count: int
    start_ms: int
    interval_ms: int
    valid: int
    low: float | None
    high: float | None
    total: float | None
    data: bytes
    times: bytes | None
    end_ms: int


ChannelBlocks: TypeAlias = tuple[str, str, list[BlockMade]]
"""A channel's key, its unit, and blocks of it."""


def in_blocks(
    first: int, start_ms: int, interval_ms: int, values: Values, times: Times | None = None
) -> list[BlockMade]:
    """Return neighbouring readings of one channel as blocks; reading `first` was due at start_ms.

    times: shape of values; the instants, where they are not evenly spaced.
    """
    made = []
    for at in range(0, len(values), READINGS_PER_BLOCK):
        part = values[at : at + READINGS_PER_BLOCK]
        own = None if times is None else times[at : at + READINGS_PER_BLOCK]
        begins_ms = start_ms + at * interval_ms if own is None else int(own[0])
        ends_ms = begins_ms + (len(part) - 1) * interval_ms if own is None else int(own[-1])
        facts = summary(part)
        made.append(
            BlockMade(
                first + at, len(part), begins_ms, interval_ms, facts.valid, facts.low, facts.high,
                facts.total, encode_values(part), None if own is None else encode_times(own),
                ends_ms,
            )
        )  # fmt: skip
    return made


def store_blocks(
    session: Session, mission: Mission, offload_id: int, made: Iterable[ChannelBlocks]
) -> None:
    """Keep the blocks of an offload, by channel."""
    for channel, unit, blocks in made:
        series = series_row(session, mission.point_id or 0, channel, unit)
        session.add_all(
            Block(series_id=series.id, mission_id=mission.id, offload_id=offload_id, **vars_of(one))
            for one in blocks
        )


def vars_of(block: BlockMade) -> dict[str, Any]:
    """Return what a block holds by the names of its columns."""
    return {name: getattr(block, name) for name in BlockMade.__slots__}


def block_times(block: Block) -> Times:
    """Return when the readings of a block were due, shape (count,)."""
    if block.times is not None:
        return decode_times(block.times, block.count)
    return block.start_ms + np.arange(block.count, dtype=np.int64) * block.interval_ms


def block_series(block: Block) -> Series:
    """Return the readings of one block."""
    values = decode_values(block.data, block.count)
    return make_series(block_times(block), values, block.interval_ms)


def load_record(session: Session, point_id: int, channel: str) -> Series:
    """Return the record of one channel at a point: measured readings and active fills.

    Where a fill and a measured reading share an instant the measured one stays.
    """
    series = session.scalars(
        select(SeriesRow).filter_by(point_id=point_id, channel=channel)
    ).first()
    if series is None:
        return join_series([])
    steps = session.scalars(select(Step).filter_by(point_id=point_id)).all()
    hidden = hidden_offloads(steps)
    blocks = session.scalars(
        select(Block).filter_by(series_id=series.id).order_by(Block.start_ms)
    ).all()
    parts = [block_series(block) for block in blocks if block.offload_id not in hidden]
    parts += [
        estimated_series(step)
        for step in steps
        if step.kind == LINE and step.channel == channel and step.undone_ms is None
    ]
    return join_series(parts)


def load_recorded(
    session: Session, mission_id: int, point_id: int, channel: str
) -> tuple[Times, Values, NDArray[np.int64]]:
    """Return everything that one mission recorded of a channel: instants, values (NaN where it had
    no sensor) and intervals in force, each of shape (n,). Fetches that were undone do not count."""
    hidden = hidden_offloads(session.scalars(select(Step).filter_by(point_id=point_id)))
    blocks = session.scalars(
        select(Block)
        .join(SeriesRow, SeriesRow.id == Block.series_id)
        .where(
            Block.mission_id == mission_id,
            SeriesRow.point_id == point_id,
            SeriesRow.channel == channel,
        )
        .order_by(Block.start_ms)
    ).all()
    blocks = [block for block in blocks if block.offload_id not in hidden]
    times = [block_times(block) for block in blocks]
    values = [decode_values(b.data, b.count) for b in blocks]
    intervals = [np.full(b.count, b.interval_ms, np.int64) for b in blocks]
    return (
        np.concatenate([np.empty(0, np.int64), *times]),
        np.concatenate([np.empty(0), *values]),
        np.concatenate([np.empty(0, np.int64), *intervals]),
    )


def offloads_between(session: Session, point_id: int, span: Span) -> set[str]:
    """Return the fingerprints of the raw bytes that readings of a point in a stretch came from."""
    query = (
        select(Offload.sha256)
        .join(Block, Block.offload_id == Offload.id)
        .join(SeriesRow, SeriesRow.id == Block.series_id)
        .where(
            SeriesRow.point_id == point_id, Block.start_ms < span[1],
            Block.end_ms.is_(None) | (Block.end_ms >= span[0]),
        )
    )  # fmt: skip
    return set(session.scalars(query))


def hidden_offloads(steps: Iterable[Step]) -> set[int]:
    """Return the offloads that were fetched to fill a gap by a step that is undone."""
    listed = [step for step in steps if step.kind == REFETCH]
    active = {step.offload_id for step in listed if step.undone_ms is None}
    undone = {step.offload_id for step in listed if step.undone_ms is not None}
    return {offload for offload in undone - active if offload is not None}
