"""The readings of a mission made of all its bytes, and put into this computer's blocks."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import TypeAlias

from sqlalchemy import Exists, Select, String, and_, exists, func, or_, select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.execution import do
from gezeiten.archive.database import Archive
from gezeiten.archive.intake.missions import (
    RawMission,
    in_order,
    mission_columns,
    print_of,
    spans_of,
)
from gezeiten.archive.intake.texts import Readings, Source
from gezeiten.archive.local_cache.block_owner import BlockOwner
from gezeiten.archive.local_cache.block_store import (
    ChannelColumn,
    blocks_of,
    delete_blocks,
    insert_blocks,
    note_stored,
    raw_key,
    store_channels,
)
from gezeiten.archive.local_cache.blocks import unpack
from gezeiten.archive.local_cache.cutting import Column, text_column, united
from gezeiten.archive.local_cache.tables import READING, Block, BlockBytes, BlockBytesRow
from gezeiten.archive.projection import Authorship
from gezeiten.archive.store.tables import Mission, Offload, Point
from gezeiten.domain.actions.offloads import BytesReread, ReaderVersion
from gezeiten.domain.facts.stored import StoredRaw
from gezeiten.domain.series.fingerprints import ReadingsPrint
from gezeiten.domain.series.timeline import Span
from gezeiten.errors import ArchiveDamagedError, GezeitenError, InputError, bug


@dataclass(frozen=True, slots=True)
class TextRead:
    """A text that was read by its tie."""

    source: Source
    pieces: Iterable[Readings]


@dataclass(frozen=True, slots=True)
class RescuedReadings:
    """Readings that are all that is left of lost bytes."""

    usual_ms: int
    shorter_ms: int
    columns: list[ChannelColumn]


Decode: TypeAlias = Callable[[StoredRaw], "RawMission | TextRead | RescuedReadings"]
"""Reads kept bytes. It may raise."""


@dataclass(frozen=True, slots=True)
class OffloadReadings:
    """The readings that the bytes of one offload hold. read_as: their fingerprint, "" of rescued
    ones."""

    raw: str
    usual_ms: int
    shorter_ms: int
    columns: list[ChannelColumn]
    spans: list[Span]
    read_as: str = ""


@dataclass(slots=True)
class MissionMade:
    """The readings of a mission as its bytes make them: by channel and unit; unread: bytes that are
    gone or damaged, and why."""

    owner: BlockOwner
    columns: dict[tuple[str, str], Column]
    spans: dict[str, list[Span]]
    unread: list[tuple[Offload, GezeitenError]] = field(default_factory=list)


def raw_of(offload: Offload) -> StoredRaw:
    """Return the bytes of an offload, and how they are read."""
    return StoredRaw(
        offload.sha256, offload.reading, offload.reader, offload.read_as, offload.rescued
    )


def readings_of(offload: Offload, decode: Decode) -> OffloadReadings | GezeitenError:
    """Return the readings that an offload's bytes hold, or why they cannot be read."""
    try:
        read = decode(raw_of(offload))
        raw = raw_key(offload.sha256, offload.reading)
        if isinstance(read, TextRead):
            readings_print = ReadingsPrint(read.source.channels)
            columns = _text_columns(read, readings_print)
            return OffloadReadings(raw, 0, 0, columns, _ends(columns), readings_print.hex())
        if isinstance(read, RescuedReadings):
            return OffloadReadings(
                raw, read.usual_ms, read.shorter_ms, read.columns, _ends(read.columns)
            )
        columns = mission_columns(read)
        return OffloadReadings(
            raw, read.interval_ms, read.step_ms, columns, spans_of(read), print_of(columns)
        )
    except GezeitenError as exc:
        return exc
    except Exception as exc:  # noqa: BLE001 - a mistake of ours at one offload spares the others
        return bug(exc)


def _text_columns(read: TextRead, readings_print: ReadingsPrint) -> list[ChannelColumn]:
    pieces = list(read.pieces)
    for piece in pieces:
        readings_print.add(piece.times, piece.values)
    return [
        ChannelColumn(
            key,
            unit,
            united([text_column(piece.times, piece.values[i]) for piece in pieces], is_text=True),
        )
        for i, (key, unit) in enumerate(read.source.channels)
    ]


def _ends(columns: list[ChannelColumn]) -> list[Span]:
    instants = [
        (int(column.column.times.min()), int(column.column.times.max()))
        for column in columns
        if len(column.column)
    ]
    if not instants:
        return []
    return [(min(first for first, _ in instants), max(last for _, last in instants))]


def decode_mission(
    session: Session, mission: Mission, offloads: list[Offload], decode: Decode
) -> MissionMade:
    """Return the readings of a mission, made of the bytes of its offloads (oldest first). Where
    bytes cannot be read, kept readings stay that no other bytes know."""
    parts: dict[tuple[str, str], list[Column]] = {}
    held: dict[str, list[Span]] = {}
    unread: list[tuple[Offload, GezeitenError]] = []
    usual_ms = shorter_ms = 0
    known = set(session.scalars(select(BlockBytesRow.raw).filter_by(mission=mission.uid)))
    for offload in offloads:
        of = readings_of(offload, decode)
        if isinstance(of, GezeitenError):
            unread.append((offload, of))
            continue
        if _differs_from(offload, of) and of.raw in known:
            unread.append((offload, _differs_error(offload)))
            continue
        held.setdefault(of.raw, of.spans)
        usual_ms, shorter_ms = of.usual_ms or usual_ms, of.shorter_ms or shorter_ms
        for one in of.columns:
            parts.setdefault((one.channel, one.unit), []).append(one.column)
    is_text = any(offload.reading is not None for offload in offloads)
    if unread:
        usual_ms = usual_ms or (0 if is_text else mission.interval_ms)
        for key, column in _stored_columns(session, mission, is_text=is_text).items():
            parts.setdefault(key, []).append(column)
    owner = BlockOwner(mission.uid, is_text, usual_ms, shorter_ms)
    columns = {key: united(listed, is_text=is_text) for key, listed in parts.items()}
    return MissionMade(owner, columns, held, unread)


def _differs_from(offload: Offload, of: OffloadReadings) -> bool:
    return bool(offload.read_as and of.read_as and offload.read_as != of.read_as)


def _differs_error(offload: Offload) -> ArchiveDamagedError:
    return ArchiveDamagedError(
        "this version reads the file differently, and the readings as first "
        f"imported are kept; gezeiten verify --read-again {offload.sha256[:12]} "
        "uses the new ones."
    )


def _stored_columns(
    session: Session, mission: Mission, *, is_text: bool
) -> dict[tuple[str, str], Column]:
    rows = session.execute(
        select(Block.channel, Block.unit, *READING)
        .join(BlockBytes, BlockBytes.id == Block.id)
        .where(Block.mission == mission.uid, Block.is_text == is_text)
        .order_by(Block.first)
    )
    stored: dict[tuple[str, str], list[Column]] = {}
    for row in rows:
        try:
            column = unpack(row, is_text=is_text)
        except GezeitenError:
            continue
        stored.setdefault((row.channel, row.unit), []).append(column)
    return {key: united(listed, is_text=is_text) for key, listed in stored.items()}


def replace_mission_readings(session: Session, decoded: MissionMade) -> None:
    """Put the readings of a mission in place of those that are kept."""
    before = {
        row.raw: row.spans
        for row in session.scalars(select(BlockBytesRow).filter_by(mission=decoded.owner.mission))
    }
    delete_blocks(session, decoded.owner.mission)
    blocks = blocks_of(decoded.owner, decoded.columns.values())
    for (channel, unit), its in zip(decoded.columns, blocks, strict=True):
        insert_blocks(session, decoded.owner, channel, unit, its)
    unread = {raw_key(one.sha256, one.reading) for one, _ in decoded.unread}
    stays = {raw: [(a, b) for a, b in spans] for raw, spans in before.items() if raw in unread}
    for raw, spans in {**decoded.spans, **stays}.items():
        note_stored(session, decoded.owner.mission, raw, spans)


# -- what is missing -------------------------------------------------------------------------------
REPORT_EVERY = 20
"""Missions; fewer are made before anybody could read how many."""


def make_missing_readings(
    archive: Archive, decode: Decode, report: Callable[[int, int], None] = lambda *_: None
) -> int:
    """Make the readings of offloads that are not held: their actions were caught up from the
    logbook, or this computer's tables are new. Returns of how many missions.

    report: hears now and then how many are made, of how many.
    """
    with archive.reading() as session:
        strays = list(session.scalars(_blocks_without_offload()))
        missing = list(session.scalars(_missions_missing_some()))
    if strays:
        with archive.writing() as session:
            for mission in strays:
                delete_blocks(session, mission)
        with archive.reading() as session:
            missing = list(session.scalars(_missions_missing_some()))
    made = 0
    for done, key in enumerate(missing):
        if done % REPORT_EVERY == REPORT_EVERY - 1:
            report(done, len(missing))
        made += _make_mission(archive, key, decode)
    return made


def _make_mission(archive: Archive, key: int, decode: Decode) -> bool:
    """Hold what is missing of a mission; of several offloads, or of one before others, the mission
    is made as a whole. Returns whether there was anything to read."""
    with archive.writing() as session:
        mission = session.get_one(Mission, key)
        offloads = offloads_of(session, key)
        held = set(session.scalars(select(BlockBytesRow.raw).filter_by(mission=mission.uid)))
        missing = [
            offload for offload in offloads if raw_key(offload.sha256, offload.reading) not in held
        ]
        if len(missing) == 1 and missing[0] is offloads[-1]:
            return store_offload_readings(session, mission, missing[0], decode)
        decoded = decode_mission(session, mission, offloads, decode)
        if all(raw in held for raw in decoded.spans):
            return False  # what is missing cannot be read
        replace_mission_readings(session, decoded)
        return True


def store_offload_readings(
    session: Session, mission: Mission, offload: Offload, decode: Decode
) -> bool:
    """Put the readings of one offload into the blocks of its mission; returns whether they could be
    read."""
    of = readings_of(offload, decode)
    if isinstance(of, GezeitenError):
        return False
    owner = BlockOwner(mission.uid, offload.reading is not None, of.usual_ms, of.shorter_ms)
    store_channels(session, owner, of.columns)
    note_stored(session, mission.uid, of.raw, of.spans)
    return True


def offloads_of(session: Session, mission_id: int) -> list[Offload]:
    """Return the offloads of a mission in the order in which they were taken."""
    return list(session.scalars(in_order(mission_id)))


def reread(
    session: Session, sha256: str, newest: int, decode: Decode, authorship: Authorship
) -> None:
    """Read bytes by another version of their reader from here on, inside the caller's transaction.

    Args:
        decode: reads bytes by that version; others by their own.

    Raises:
        InputError: they are read as they were.
        ArchiveDamagedError: they are gone or damaged.
    """
    query = select(Offload).filter_by(sha256=sha256).order_by(Offload.id)
    offload = session.scalars(query.limit(1)).one()
    mission = session.get_one(Mission, offload.mission_id)
    of = readings_of(offload, decode)
    if isinstance(of, GezeitenError):
        raise of
    before, after = (
        ReaderVersion(offload.reader, offload.read_as),
        ReaderVersion(newest, of.read_as),
    )
    if after == before:
        raise InputError("This file is read as it was when imported; there is nothing to do.")
    point = session.get_one(Point, mission.point_id).uid
    do(session, BytesReread(mission.logger.serial, point, sha256, before, after), authorship)
    replace_mission_readings(
        session, decode_mission(session, mission, offloads_of(session, mission.id), decode)
    )


def offloads_without_blocks(session: Session) -> list[Offload]:
    """Return the offloads whose readings are in no block."""
    query = select(Offload).join(Mission, Mission.id == Offload.mission_id)
    query = query.where(~_is_in_blocks(), Offload.taken_out_ms.is_(None))
    return list(session.scalars(query.order_by(Offload.id)))


def _is_in_blocks() -> Exists:
    return exists().where(
        BlockBytesRow.mission == Mission.uid,
        or_(
            BlockBytesRow.raw == Offload.sha256,
            and_(Offload.reading.is_not(None), BlockBytesRow.raw.startswith(Offload.sha256)),
        ),
    )


def _missions_missing_some() -> Select[int]:
    return (
        select(Mission.id)
        .join(Offload, Offload.mission_id == Mission.id)
        .where(~_is_in_blocks(), Offload.taken_out_ms.is_(None))
        .group_by(Mission.id)
        .order_by(func.min(Offload.id))
    )


def _blocks_without_offload() -> Select[str]:
    """Missions with bytes in their blocks that no offload of theirs names that is in the record."""
    named = exists().where(
        Mission.uid == BlockBytesRow.mission,
        Offload.mission_id == Mission.id,
        Offload.taken_out_ms.is_(None),
        Offload.sha256 == func.substr(BlockBytesRow.raw, 1, 64, type_=String),
    )
    return select(BlockBytesRow.mission).where(~named).distinct()
