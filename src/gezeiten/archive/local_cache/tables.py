"""The tables of this computer alone: readings in blocks, which bytes are in them, and the
excursions found in them.

They lie in local.db beside the archive's database, are made from bytes and actions, never copied,
and rebuilt at will. They name missions and points by ids that are the same in every database.
"""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any, ClassVar

from sqlalchemy import (
    JSON,
    BigInteger,
    Connection,
    Engine,
    Index,
    LargeBinary,
    MetaData,
    UniqueConstraint,
    text,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from gezeiten.archive.store.prepared import make_all
from gezeiten.archive.store.tables import row_key

SCHEMA = "local"
NAME_BEFORE = "here.db"
_FORM = 6
"""Of these tables; what an other version made is thrown away."""


class LocalCacheBase(DeclarativeBase):
    """The declarative base of these tables; whole numbers are 64 bit everywhere."""

    metadata = MetaData(schema=SCHEMA)
    type_annotation_map: ClassVar[dict[type, Any]] = {int: BigInteger()}


class BlockBytesRow(LocalCacheBase):
    """Bytes whose readings are in the blocks of a mission. raw: their fingerprint, of a text with
    that of how it was read (`raw_key`). spans: from when to when its readings are, UTC ms, both
    ends included, one for each stretch that came."""

    __tablename__ = "held"
    __table_args__ = (UniqueConstraint("mission", "raw"),)
    id: Mapped[int] = row_key()
    mission: Mapped[str]
    raw: Mapped[str] = mapped_column(index=True)
    spans: Mapped[list[list[int]]] = mapped_column(JSON)


class Block(LocalCacheBase):
    """Readings of one channel of a mission, as they are cut by `archive/local_cache/cutting.py`:
    what is known of them without reading them; they are in `BlockBytes`.

    first, width: the numbers [first, first + width) of a logger, the instants of a text (width is a
    power of two then); is_text tells which. Reading i has number `number` + i and was due at
    start_ms + i x step_ms; else they are in numbers and times there. usual_ms, shorter_ms: the
    mission's intervals. low, high, total: over the valid values. held_ms, held_until_ms: the first
    and the last reading with a value, until_interval_ms: the interval in force at the last; runs:
    those of each stretch without a gap (`domain/series/runs.py`), None where there is but one.
    stamp: a check sum of its readings, by which what was made of them is known again.
    """

    __tablename__ = "block"
    __table_args__ = (
        UniqueConstraint("mission", "channel", "first"),
        Index("block_in_time", "mission", "channel", "start_ms"),
    )
    id: Mapped[int] = row_key()
    mission: Mapped[str]
    channel: Mapped[str]
    unit: Mapped[str]
    is_text: Mapped[bool]
    first: Mapped[int]
    width: Mapped[int]
    count: Mapped[int]
    number: Mapped[int]
    start_ms: Mapped[int]
    step_ms: Mapped[int]
    end_ms: Mapped[int]
    usual_ms: Mapped[int]
    shorter_ms: Mapped[int]
    valid: Mapped[int]
    low: Mapped[float | None]
    high: Mapped[float | None]
    total: Mapped[float | None]
    held_ms: Mapped[int | None]
    held_until_ms: Mapped[int | None]
    until_interval_ms: Mapped[int | None]
    runs: Mapped[bytes | None] = mapped_column(LargeBinary)
    stamp: Mapped[int]


class BlockBytes(LocalCacheBase):
    """The readings of a block, by its key; apart from what is known of them, so that looking at all
    blocks reads none. data: values as measured, NaN is "no value"."""

    __tablename__ = "block_bytes"
    id: Mapped[int] = row_key()
    data: Mapped[bytes] = mapped_column(LargeBinary)
    numbers: Mapped[bytes | None] = mapped_column(LargeBinary)
    times: Mapped[bytes | None] = mapped_column(LargeBinary)


class BlockCells(LocalCacheBase):
    """The cells of a block, by its key (`domain/series/drawing/cells.py`), from which a long
    stretch is drawn."""

    __tablename__ = "block_cells"
    id: Mapped[int] = row_key()
    cells: Mapped[bytes] = mapped_column(LargeBinary)


PARTS = (Block, BlockBytes, BlockCells)
"""The tables over which a block is spread."""

_HEAD, _BYTES = ("count", "number", "start_ms", "step_ms"), ("data", "numbers", "times")
READING: tuple[Any, ...] = (
    *(getattr(Block, name) for name in _HEAD),
    *(getattr(BlockBytes, name) for name in _BYTES),
)
"""What a block's readings are unpacked from (`archive/local_cache/blocks.py`)."""


class RecordRow(LocalCacheBase):
    """changes: how often the record of a point changed here; found_in: after how many of them its
    excursions were found, and found_by: by which limits and sources, as a fingerprint. changed_ms,
    changed_until_ms: [from, to) in which its readings changed since, None: nowhere."""

    __tablename__ = "record"
    id: Mapped[int] = row_key()
    point: Mapped[str] = mapped_column(unique=True)
    changes: Mapped[int]
    found_in: Mapped[int]
    found_by: Mapped[str] = mapped_column(default="")
    changed_ms: Mapped[int | None]
    changed_until_ms: Mapped[int | None]


class AppliedRow(LocalCacheBase):
    """One row: the hash of the newest entry that the changes above know of."""

    __tablename__ = "applied"
    id: Mapped[int] = row_key()
    hash: Mapped[str]


class ExcursionRow(LocalCacheBase):
    """An alarmed excursion as this computer found it. assessment: the id of the one that holds for
    it, None: it is to assess."""

    __tablename__ = "excursion"
    __table_args__ = (UniqueConstraint("mission", "rule_key", "start_ms"),)
    id: Mapped[int] = row_key()
    point: Mapped[str] = mapped_column(index=True)
    mission: Mapped[str]
    rule_key: Mapped[str]
    rule: Mapped[dict[str, Any]] = mapped_column(JSON)
    start_ms: Mapped[int]
    end_ms: Mapped[int]
    alarm_ms: Mapped[int]
    extreme: Mapped[float]
    extreme_ms: Mapped[int]
    dose: Mapped[float]
    measured: Mapped[int]
    estimated: Mapped[int]
    found_ms: Mapped[int]
    assessment: Mapped[str | None]


class ConflictRow(LocalCacheBase):
    """What an action found otherwise than it says. entry: the hash of its entry."""

    __tablename__ = "misfit"
    id: Mapped[int] = row_key()
    entry: Mapped[str] = mapped_column(unique=True)
    words: Mapped[list[str]] = mapped_column(JSON)


class VerifiedBytesRow(LocalCacheBase):
    """A file of a vault that was read whole and is right. file: its fingerprint; size, changed_ns:
    of the file then; at_ms: of the check that read it."""

    __tablename__ = "looked"
    id: Mapped[int] = row_key()
    file: Mapped[str] = mapped_column(unique=True)
    size: Mapped[int]
    changed_ns: Mapped[int]
    at_ms: Mapped[int]


class VerificationRow(LocalCacheBase):
    """The last whole check; ended_ms: None where it was stopped."""

    __tablename__ = "whole_check"
    id: Mapped[int] = row_key()
    began_ms: Mapped[int]
    ended_ms: Mapped[int | None]


def delete_if_outdated(path: Path) -> None:
    """Delete the file of these tables where it is of another form, or none at all."""
    if not path.exists():
        return
    try:
        with closing(sqlite3.connect(path)) as raw:
            form = raw.execute("PRAGMA user_version").fetchone()[0]
    except sqlite3.DatabaseError:
        form = -1
    if form not in (0, _FORM):  # 0: just being made
        delete_file(path)


def take_over(path: Path) -> None:
    """Give the file of these tables its present name where an earlier version made it."""
    before = path.with_name(NAME_BEFORE)
    if path.exists() or not before.exists():
        return
    for end in ("-wal", "-shm", ""):  # the database last: until then it is under its old name
        old = before.with_name(f"{before.name}{end}")
        if old.exists():
            old.rename(path.with_name(f"{path.name}{end}"))


def delete_file(path: Path) -> None:
    """Delete the file of these tables."""
    for name in (path.name, f"{path.name}-wal", f"{path.name}-shm"):
        path.with_name(name).unlink(missing_ok=True)


def make_tables(engine: Engine) -> None:
    """Make these tables where they are not there yet."""
    with engine.begin() as connection:
        if engine.dialect.name != "sqlite":
            connection.execute(text(f"CREATE SCHEMA IF NOT EXISTS {SCHEMA}"))
            LocalCacheBase.metadata.create_all(connection)
        elif not _exist(connection):
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            if not _exist(connection):  # another program may have been quicker
                make_all(connection, LocalCacheBase.metadata)
                connection.execute(text(f"PRAGMA {SCHEMA}.user_version = {_FORM}"))


def _exist(connection: Connection) -> bool:
    form: int | None = connection.execute(text(f"PRAGMA {SCHEMA}.user_version")).scalar()
    return form == _FORM
