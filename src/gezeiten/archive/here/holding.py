"""Readings put into this computer's blocks: what bytes hold is joined with what is there already.

In whatever order and pieces the same bytes come, the same blocks stand in the end; where bytes
differ about one reading, those that were taken in first stand.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray
from sqlalchemy import bindparam, delete, insert, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.here.blocks import PACKED, Packed, pack_all, unpack
from gezeiten.archive.here.changes import mission_changed, record_changed
from gezeiten.archive.here.cutting import (
    Column,
    Cut,
    cut_by_number,
    cut_by_time,
    halves,
    inside,
    joined,
    roots,
    text_column,
)
from gezeiten.archive.here.tables import Block, Held, SeriesRow
from gezeiten.archive.store.prepared import Prepared, insertion

_COLUMNS = ("id", *PACKED)
_BLOCKS = Prepared(
    select(*(getattr(Block, name) for name in _COLUMNS)).where(
        Block.mission == bindparam("its_mission"), Block.channel == bindparam("its_channel"),
        Block.first >= bindparam("lowest"), Block.first <= bindparam("highest"),
    )
)  # fmt: skip
_DELETE = Prepared(delete(Block).where(Block.id == bindparam("its_id")))
_HELD = Prepared(
    select(Held.id).where(
        Held.mission == bindparam("its_mission"), Held.raw == bindparam("its_raw")
    )
)
_NEW_HELD = insertion(Held.__table__, ("mission", "raw", "spans"))
_SERIES = Prepared(
    select(SeriesRow.has_readings).where(
        SeriesRow.point == bindparam("its_point"), SeriesRow.channel == bindparam("its_channel")
    )
)
_NOTHING = text_column(np.empty(0, np.int64), np.empty(0))


@dataclass(frozen=True, slots=True)
class Whose:
    """Whose readings are held: ids of mission and point, and the mission's intervals (of a text
    there are none)."""

    mission: str
    point: str
    is_text: bool
    usual_ms: int = 0
    shorter_ms: int = 0


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
class Came:
    """Readings that were joined with those in blocks. is_new: which of them, bool (n,); differs:
    whether one has another value than was kept of it."""

    is_new: NDArray[np.bool_]
    differs: bool


def hold(session: Session, whose: Whose, one: ChannelColumn) -> Came:
    """Join readings of a channel with those in its blocks."""
    is_new = np.zeros(len(one.column), np.bool_)
    done, differs = 0, False
    where_to = list(_where_to(session, whose, one))
    there = _there(session, whose, one.channel, [cut.first for cut, _ in where_to])
    gone: list[int] = []
    parts: list[tuple[Cut, Column]] = []
    for cut, came in where_to:
        row = there.get(cut.first)
        kept = _NOTHING if row is None else unpack(row, is_text=whose.is_text)
        both = joined(kept, came, is_text=whose.is_text)
        is_new[done : done + len(came)] = both.is_new
        done, differs = done + len(came), differs or both.differs
        if both.is_new.any():
            gone += [] if row is None else [row.id]
            parts += cut_by_time(both.column, cut) if whose.is_text else [(cut, both.column)]
    connection = session.connection()
    for key in gone:
        _DELETE.run(connection, its_id=key)
    put_blocks(session, whose, one.channel, one.unit, pack_all(parts))
    if parts:
        record_changed(connection, [whose.point])
    note_series(session, whose.point, one.channel, one.unit, has_readings=one.column.has_values)
    return Came(is_new, differs)


def note_held(session: Session, mission: str, raw: str, spans: Iterable[tuple[int, int]]) -> None:
    """Note that the readings of bytes are in the blocks of a mission; once."""
    connection = session.connection()
    if _HELD.first(connection, its_mission=mission, its_raw=raw) is None:
        listed = [list(span) for span in spans]
        _NEW_HELD.run(connection, mission=mission, raw=raw, spans=listed)


def leave_to_all_bytes(session: Session, mission: str) -> None:
    """Have the readings of a mission made of all its bytes when this transaction is done: what came
    now was taken before others and differs from them."""
    let_go(session, mission)
    session.info["readings missing"] = True


def let_go(session: Session, mission: str) -> None:
    """Take out all blocks of a mission, and what is in them."""
    session.execute(delete(Block).where(Block.mission == mission))
    session.execute(delete(Held).where(Held.mission == mission))
    mission_changed(session.connection(), mission)


def note_series(
    session: Session, point: str, channel: str, unit: str, *, has_readings: bool
) -> None:
    """Note that a channel is shown at a point."""
    its = SeriesRow.point == point, SeriesRow.channel == channel
    row = _SERIES.first(session.connection(), its_point=point, its_channel=channel)
    if row is None:
        session.execute(insert(SeriesRow).values(point=point, channel=channel, unit=unit,
                                                 has_readings=has_readings))  # fmt: skip
    elif has_readings and not row[0]:
        session.execute(update(SeriesRow).where(*its).values(has_readings=True, unit=unit))


def blocks_of(whose: Whose, column: Column) -> list[Packed]:
    """Return all blocks of a channel's readings."""
    cuts = cut_by_time(column) if whose.is_text else cut_by_number(column)
    return pack_all(list(cuts))


def put_blocks(session: Session, whose: Whose, channel: str, unit: str, made: list[Packed]) -> None:
    """Add blocks of a channel."""
    facts = {
        "mission": whose.mission, "channel": channel, "unit": unit, "is_text": whose.is_text,
        "usual_ms": whose.usual_ms, "shorter_ms": whose.shorter_ms,
    }  # fmt: skip
    if made:
        session.execute(insert(Block), [{**facts, **one.as_row()} for one in made])


def _where_to(session: Session, whose: Whose, one: ChannelColumn) -> Iterator[tuple[Cut, Column]]:
    """Yield the blocks that readings go into, those there are and new ones, with what goes in."""
    if not whose.is_text:
        yield from cut_by_number(one.column)
        return
    for root in roots(one.column.times):
        there = [Cut(*row) for row in session.execute(
            select(Block.first, Block.width).where(
                Block.mission == whose.mission, Block.channel == one.channel,
                Block.first >= root.first, Block.first < root.first + root.width)
        )]  # fmt: skip
        yield from _cells(root, there, inside(one.column, root))


def _cells(cell: Cut, there: list[Cut], came: Column) -> Iterator[tuple[Cut, Column]]:
    """Yield the cells that readings lie in: known ones, else the widest that was not halved."""
    if not len(came):
        return
    within = [one for one in there if cell.first <= one.first < cell.first + cell.width]
    if not within or within == [cell]:
        yield cell, came
        return
    for half in halves(cell):
        yield from _cells(half, within, inside(came, half))


def _there(session: Session, whose: Whose, channel: str, firsts: list[int]) -> dict[int, Any]:
    """Return the blocks that begin at these places, or between them, by where they begin."""
    if not firsts:
        return {}
    rows = _BLOCKS.all(session.connection(), its_mission=whose.mission, its_channel=channel,
                       lowest=min(firsts), highest=max(firsts))  # fmt: skip
    found = [SimpleNamespace(**dict(zip(_COLUMNS, row, strict=True))) for row in rows]
    return {one.first: one for one in found}
