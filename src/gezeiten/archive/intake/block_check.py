"""This computer's readings held against those that bytes make."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import fields
from itertools import groupby
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from gezeiten.archive.files.vault import Vault
from gezeiten.archive.intake.byte_verification import ByteVerification
from gezeiten.archive.intake.mission_decoding import (
    Decode,
    MissionMade,
    decode_mission,
    offloads_of,
    raw_of,
    replace_mission_readings,
)
from gezeiten.archive.local_cache.block_store import blocks_of, raw_key
from gezeiten.archive.local_cache.blocks import (
    BODY,
    HEAD,
    PackedBlock,
    unpacked_cells,
    unpacked_runs,
)
from gezeiten.archive.local_cache.excursions import delete_orphans, orphaned_ids
from gezeiten.archive.local_cache.tables import PARTS, Block, BlockBytes, BlockBytesRow, BlockCells
from gezeiten.archive.store.packing import decode_readings, decode_times
from gezeiten.archive.store.tables import Mission, Offload
from gezeiten.domain.facts.stored import StoredRaw
from gezeiten.errors import ArchiveDamagedError

_REBUILD = "gezeiten verify --rebuild repairs it."
_FACTS = tuple(name for name in HEAD if name != "runs")
_BODY = [*(getattr(BlockBytes, name) for name in BODY), BlockCells.cells]


def faulty_readings(
    session: Session,
    vault: Vault,
    decode: Decode,
    is_lost: Callable[[StoredRaw], bool],
    each: Callable[[int, int], None],
    looked: ByteVerification,
) -> tuple[int, list[str]]:
    """Return how many offloads there are, and what is not as their bytes say, a sentence each;
    bytes that are gone or damaged are one.

    looked: which bytes are left out, and hears which are right, of those in the vault.
    is_lost: whether only readings are left of an offload's bytes.
    each: hears how many offloads are done, of how many, mission by mission; may end it by an error.
    """
    faults: list[str] = []
    done, many = 0, len(all_offloads(session))
    for mission, offloads in missions_offloaded(session):
        each(done, many)
        done += len(offloads)
        raws = [offload.sha256 for offload in offloads]
        if looked.covers_all(vault, *raws):
            continue
        before = len(faults)
        decoded = decode_mission(session, mission, offloads, decode)
        faults += [
            f"Raw offload {one.sha256[:12]} cannot be checked: {why}" for one, why in decoded.unread
        ]
        faults += [
            _missing_bytes_message(offload) for offload in offloads if is_lost(raw_of(offload))
        ]
        faults += _differing(session, mission, offloads, decoded)
        if len(faults) == before:
            looked.note(vault, *raws)
    return many, faults + _strays(session)


def _missing_bytes_message(offload: Offload) -> str:
    return (
        f"Raw offload {offload.sha256[:12]} is lost; the readings made from it "
        "are kept instead. Import a vault copy that has it."
    )


def rebuild_readings(session: Session, decode: Decode) -> None:
    """Put readings rebuilt in place where others are kept, inside the caller's transaction. Those
    of bytes that are gone or damaged stay as they are: nothing else has them."""
    session.execute(delete(Block).where(Block.id.in_(_STRAY_BLOCKS)))
    for part, strays in _STRAY_PARTS:
        session.execute(delete(part).where(part.id.in_(strays)))
    session.execute(delete(BlockBytesRow).where(BlockBytesRow.id.in_(_STRAY_HELD)))
    delete_orphans(session)
    session.expire_all()
    for mission, offloads in missions_offloaded(session):
        _store_if_different(
            session, mission, offloads, decode_mission(session, mission, offloads, decode)
        )
    session.expire_all()


def rebuild_mission(session: Session, mission_id: int, decode: Decode) -> bool:
    """Put the readings of a mission, made of its bytes, in place of those that are kept where these
    differ; returns whether they did. Nothing is done where bytes are gone or damaged: what is
    damaged goes on being said."""
    mission, offloads = session.get_one(Mission, mission_id), offloads_of(session, mission_id)
    decoded = decode_mission(session, mission, offloads, decode)
    return not decoded.unread and _store_if_different(session, mission, offloads, decoded)


def _store_if_different(
    session: Session, mission: Mission, offloads: list[Offload], decoded: MissionMade
) -> bool:
    differs = next(_differing(session, mission, offloads, decoded), None) is not None
    if differs:
        replace_mission_readings(session, decoded)
    return differs


def all_offloads(session: Session) -> list[Offload]:
    """Return all offloads in the order in which they came."""
    return list(session.scalars(select(Offload).order_by(Offload.id)))


def all_raw_bytes(session: Session) -> list[StoredRaw]:
    """Return the bytes of all offloads."""
    return [raw_of(offload) for offload in all_offloads(session)]


def missions_offloaded(session: Session) -> Iterator[tuple[Mission, list[Offload]]]:
    """Yield each mission with its offloads, oldest first."""
    keys = select(Offload.mission_id).distinct().order_by(Offload.mission_id)
    for key in session.scalars(keys).all():
        mission = session.get(Mission, key)
        if mission is not None:
            yield mission, offloads_of(session, key)


def _differing(
    session: Session, mission: Mission, offloads: list[Offload], decoded: MissionMade
) -> Iterator[str]:
    """Yield a sentence for each block of a mission that is not as its bytes say, is missing, or is
    none of theirs."""
    stored = {
        key: {block.first: block for block in blocks}
        for key, blocks in groupby(
            session.execute(
                select(*Block.__table__.columns, *_BODY)
                .outerjoin(BlockBytes, BlockBytes.id == Block.id)
                .outerjoin(BlockCells, BlockCells.id == Block.id)
                .where(Block.mission == decoded.owner.mission)
                .order_by(Block.channel, Block.unit, Block.first)
            ),
            key=lambda block: (block.channel, block.unit),
        )
    }
    wanted = blocks_of(decoded.owner, decoded.columns.values())
    for (channel, unit), its in zip(decoded.columns, wanted, strict=True):
        blocks = stored.pop((channel, unit), {})
        for one in its:
            block = blocks.pop(one.first, None)
            if block is None or not _same(block, one, decoded):
                yield _sentence(mission, offloads, channel, one)
        yield from (_sentence(mission, offloads, channel, block) for block in blocks.values())
    for (channel, _), blocks in stored.items():
        yield from (_sentence(mission, offloads, channel, block) for block in blocks.values())
    yield from _differing_block_notes(session, decoded)


def _same(block: Any, packed_block: PackedBlock, decoded: MissionMade) -> bool:
    its = decoded.owner
    if (block.is_text, block.usual_ms, block.shorter_ms) != (
        its.is_text,
        its.usual_ms,
        its.shorter_ms,
    ):
        return False
    if any(getattr(block, name) != getattr(packed_block, name) for name in _FACTS):
        return False
    try:
        return _same_bytes(block, packed_block)
    except ArchiveDamagedError:
        return False


def _same_bytes(block: Any, packed_block: PackedBlock) -> bool:
    """Whether the same was packed, however: packers differ."""
    if block.data is None or not np.array_equal(_runs(block.runs), _runs(packed_block.runs)):
        return False
    if block.data != packed_block.data:
        ours, theirs = (
            decode_readings(data, packed_block.count) for data in (block.data, packed_block.data)
        )
        if not np.array_equal(ours, theirs, equal_nan=True):
            return False
    pairs = (block.numbers, packed_block.numbers), (block.times, packed_block.times)
    same = all(_are_same_bytes(one, other, packed_block.count) for one, other in pairs)
    return same and _same_cells(block.cells, packed_block.cells)


def _same_cells(one: bytes | None, other: bytes) -> bool:
    if one is None or one == other:
        return one is not None
    ours, theirs = unpacked_cells(one), unpacked_cells(other)
    return all(
        np.array_equal(getattr(ours, part.name), getattr(theirs, part.name))
        for part in fields(ours)
    )


def _runs(data: bytes | None) -> NDArray[np.int64]:
    return unpacked_runs(data) if data is not None else np.empty((0, 3), np.int64)


def _are_same_bytes(one: bytes | None, other: bytes | None, count: int) -> bool:
    if one == other:
        return True
    if one is None or other is None:
        return False
    return np.array_equal(decode_times(one, count), decode_times(other, count))


def _sentence(mission: Mission, offloads: list[Offload], channel: str, block: Any) -> str:
    """Which readings, and the bytes that say so."""
    first, end = block.number, block.number + block.count
    holding = [
        offload
        for offload in offloads
        if offload.reading is not None or any(a < end and b > first for a, b in offload.received)
    ]
    raw = (holding or offloads)[0].sha256[:12]
    return (
        f"Readings {first} to {end} of {channel} of mission {mission.number} "
        f"differ from the raw offload {raw}; gezeiten verify --rebuild restores "
        "them."
    )


def _differing_block_notes(session: Session, decoded: MissionMade) -> Iterator[str]:
    unread = {raw_key(one.sha256, one.reading) for one, _ in decoded.unread}
    stored = {
        row.raw: row.spans
        for row in session.scalars(select(BlockBytesRow).filter_by(mission=decoded.owner.mission))
    }
    for raw in (stored.keys() | decoded.spans.keys()) - unread:
        wanted = decoded.spans.get(raw)
        if wanted is None or stored.get(raw) != [list(span) for span in wanted]:
            yield f"The readings of raw offload {raw[:12]} differ from the file; {_REBUILD}"


# -- what belongs to nothing ---------------------------------------------------------------------
def _strays(session: Session) -> list[str]:
    """Return a sentence for each block that belongs to no mission with offloads, and each excursion
    of no point or mission."""
    return [
        f"{what} {key} belongs to nothing; {_REBUILD}"
        for what, query in (
            ("Block", _STRAY_BLOCKS),
            *(("Block", strays) for _, strays in _STRAY_PARTS),
            ("Note of bytes", _STRAY_HELD),
            ("Excursion", orphaned_ids()),
        )
        for key in session.scalars(query)
    ]


_OFFLOADED = select(Mission.uid).join(Offload, Offload.mission_id == Mission.id)
_STRAY_BLOCKS = select(Block.id).where(Block.mission.not_in(_OFFLOADED))
_STRAY_PARTS = [
    (part, select(part.id).where(part.id.not_in(select(Block.id))))
    for part in PARTS
    if part is not Block
]
_STRAY_HELD = select(BlockBytesRow.id).where(BlockBytesRow.mission.not_in(_OFFLOADED))
