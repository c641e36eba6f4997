"""Readings in and out of the archive: blocks as measured, and the record joined from them.

A record is the raw offloads plus the steps that are not undone, put together anew each time.
"""

from __future__ import annotations

from collections.abc import Iterable

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
from gezeiten.archive.tables import Block, SeriesRow, Step
from gezeiten.domain.series import Series, join_series, make_series
from gezeiten.domain.steps import LINE, REFETCH
from gezeiten.domain.timeline import Times, Values


def series_row(session: Session, point_id: int, channel: str, unit: str) -> SeriesRow:
    """Return the series of a channel at a point, made where there is none."""
    row = session.scalars(select(SeriesRow).filter_by(point_id=point_id, channel=channel)).first()
    if row is None:
        row = SeriesRow(point_id=point_id, channel=channel, unit=unit)
        session.add(row)
        session.flush()
    return row


def store_readings(
    session: Session,
    *,
    series_id: int,
    mission_id: int,
    offload_id: int,
    first: int,
    start_ms: int,
    interval_ms: int,
    values: Values,
    times: Times | None = None,
) -> None:
    """Keep neighbouring readings of one channel; reading `first` was due at start_ms.

    times: shape of values; the instants, where they are not evenly spaced.
    """
    for at in range(0, len(values), READINGS_PER_BLOCK):
        part = values[at : at + READINGS_PER_BLOCK]
        own = None if times is None else times[at : at + READINGS_PER_BLOCK]
        facts = summary(part)
        session.add(
            Block(
                series_id=series_id,
                mission_id=mission_id,
                offload_id=offload_id,
                first=first + at,
                count=len(part),
                start_ms=start_ms + at * interval_ms if own is None else int(own[0]),
                interval_ms=interval_ms,
                valid=facts.valid,
                low=facts.low,
                high=facts.high,
                total=facts.total,
                data=encode_values(part),
                times=None if own is None else encode_times(own),
                end_ms=(
                    start_ms + (at + len(part) - 1) * interval_ms if own is None else int(own[-1])
                ),
            )
        )


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


def hidden_offloads(steps: Iterable[Step]) -> set[int]:
    """Return the offloads that were fetched to fill a gap by a step that is undone."""
    listed = [step for step in steps if step.kind == REFETCH]
    active = {step.offload_id for step in listed if step.undone_ms is None}
    undone = {step.offload_id for step in listed if step.undone_ms is not None}
    return {offload for offload in undone - active if offload is not None}
