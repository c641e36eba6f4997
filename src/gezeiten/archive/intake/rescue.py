"""Readings of an older version's database whose bytes are lost: kept as bytes of their own.

Before readings were made from bytes, the database held them. Where it did and the bytes are gone,
they are all that is left; they are written down as JSON, named by an action, and never lost again.
"""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from sqlalchemy import Row, inspect, text
from sqlalchemy.orm import Session

from gezeiten.archive.actions.execution import do
from gezeiten.archive.database import Archive
from gezeiten.archive.intake.mission_decoding import (
    RescuedReadings,
    offloads_without_blocks,
    store_offload_readings,
)
from gezeiten.archive.local_cache.block_store import ChannelColumn
from gezeiten.archive.local_cache.cutting import Column, text_column, united
from gezeiten.archive.projection import Authorship
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.packing import decode_times, decode_values
from gezeiten.archive.store.tables import Logger, Mission, Offload
from gezeiten.domain.actions.offloads import RawBytes, ReadingsRescued
from gezeiten.domain.base.untrusted import bounded_int
from gezeiten.errors import ArchiveDamagedError

_OLD_BLOCKS = text(
    "SELECT channel, unit, first, count, start_ms, interval_ms, data, times FROM old_block "
    "JOIN old_series ON old_series.id = old_block.series_id WHERE offload_id = :offload "
    "ORDER BY old_block.start_ms"
)


def rescue_old_readings(archive: Archive, authorship: Authorship) -> int:
    """Keep the readings of an older version's database whose bytes cannot be read, then let go of
    that version's tables; returns of how many offloads."""
    with archive.reading() as session:
        if not inspect(session.connection()).has_table("old_block"):
            return 0
    with archive.writing() as session:
        rescued = sum(
            _rescue(archive, session, offload, authorship)
            for offload in offloads_without_blocks(session)
        )
        session.execute(text("DROP TABLE old_block"))
        session.execute(text("DROP TABLE old_series"))
    return rescued


def _rescue(archive: Archive, session: Session, offload: Offload, authorship: Authorship) -> bool:
    mission = session.get_one(Mission, offload.mission_id)
    blocks = session.execute(_OLD_BLOCKS, {"offload": offload.id}).all()
    left = _left(blocks, mission, is_text=offload.reading is not None)
    if not left.columns:
        return False
    if not archive.is_looked_at:
        with translated(archive.folder):
            data = _as_bytes(offload, left)
            raw_bytes = RawBytes(archive.rescued.store(data), len(data), "rescued")
        serial = session.get_one(Logger, mission.logger_id).serial
        do(session, ReadingsRescued(serial, offload.sha256, raw_bytes), authorship)
        session.refresh(offload)
    return store_offload_readings(session, mission, offload, lambda _: left)


def _left(blocks: list[Row[Any]] | Any, mission: Mission, *, is_text: bool) -> RescuedReadings:
    """Return the readings of an old database's blocks."""
    columns: dict[tuple[str, str], list[Column]] = {}
    shorter_ms = 0
    for block in blocks:
        try:
            column = _column(block, is_text=is_text)
        except ArchiveDamagedError:
            continue
        columns.setdefault((block.channel, block.unit), []).append(column)
        if block.interval_ms < mission.interval_ms:
            shorter_ms = block.interval_ms
    return RescuedReadings(
        0 if is_text else mission.interval_ms,
        0 if is_text else shorter_ms,
        [
            ChannelColumn(channel, unit, united(parts, is_text=is_text))
            for (channel, unit), parts in columns.items()
        ],
    )


def _column(block: Any, *, is_text: bool) -> Column:
    values = decode_values(block.data, block.count)
    if block.times is None:
        times = block.start_ms + np.arange(block.count, dtype=np.int64) * block.interval_ms
    else:
        times = decode_times(block.times, block.count)
    if is_text:
        return text_column(times, values)
    return Column(np.arange(block.first, block.first + block.count), times, values)


def _as_bytes(offload: Offload, left: RescuedReadings) -> bytes:
    return msgspec.json.encode(
        {
            "form": "readings rescued 1",
            "lost": offload.sha256,
            "usual_ms": left.usual_ms,
            "shorter_ms": left.shorter_ms,
            "channels": [
                {
                    "channel": column.channel,
                    "unit": column.unit,
                    "numbers": column.column.numbers.tolist(),
                    "times_utc_ms": column.column.times.tolist(),
                    "values": column.column.values.tolist(),
                }
                for column in left.columns
            ],
        }
    )


def rescued_readings(data: bytes) -> RescuedReadings:
    """Return the readings that were kept of lost bytes.

    Raises:
        ArchiveDamagedError: these bytes hold none.
    """
    try:
        content = msgspec.json.decode(data)
        columns = [
            ChannelColumn(
                one["channel"],
                one["unit"],
                Column(
                    np.array(one["numbers"], np.int64),
                    np.array(one["times_utc_ms"], np.int64),
                    np.array(one["values"], np.float64),
                ),
            )
            for one in content["channels"]
        ]
        return RescuedReadings(
            bounded_int(content["usual_ms"]), bounded_int(content["shorter_ms"]), columns
        )
    except (msgspec.DecodeError, KeyError, TypeError, ValueError) as exc:
        raise ArchiveDamagedError(
            f"Rescued readings cannot be read ({exc}); restore the archive's last copy."
        ) from exc
