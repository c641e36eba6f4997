"""Readings made anew from the bytes of offloads, held against those kept, put in their place."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from gezeiten.archive.blocks import Summary, decode_times, decode_values, summary
from gezeiten.archive.database import Archive
from gezeiten.archive.intake import RawMission, mission_blocks
from gezeiten.archive.readings import BlockMade, ChannelBlocks, store_blocks
from gezeiten.archive.tables import (
    Block,
    ExcursionRow,
    Mission,
    Offload,
    OverviewRow,
    Point,
    SeriesRow,
)
from gezeiten.archive.text_intake import Readings, Source, text_blocks
from gezeiten.errors import ArchiveDamagedError, GezeitenError, bug


def blocks_differing(
    session: Session, offload: Offload, wanted: Iterable[ChannelBlocks]
) -> Iterator[str]:
    """Yield a sentence for each block of an offload that is not as its bytes say, is missing, or is
    none of theirs."""
    mission = session.get_one(Mission, offload.mission_id)
    kept = _kept(session, offload)
    for channel, unit, made in wanted:
        blocks = kept.pop((mission.point_id, channel, unit, mission.id), {})
        if blocks.keys() != {one.first for one in made} and _same_readings(blocks, made):
            continue  # an older version cut them otherwise
        for one in made:
            block = blocks.pop(one.first, None)
            if block is None or not _same(block, one):
                yield _sentence(channel, one.first, one.first + one.count, offload)
        for first, block in blocks.items():
            yield _sentence(channel, first, first + block.count, offload)
    for (_, channel, _, _), blocks in kept.items():
        for first, block in blocks.items():
            yield _sentence(channel, first, first + block.count, offload)


_Whose: TypeAlias = tuple[int | None, str, str, int]
"""Of a block: its point, channel, unit and mission."""


def _kept(session: Session, offload: Offload) -> dict[_Whose, dict[int, Block]]:
    """Return the blocks of an offload by whose they are and the number of their first reading."""
    rows = session.execute(
        select(Block, SeriesRow.point_id, SeriesRow.channel, SeriesRow.unit)
        .outerjoin(SeriesRow, SeriesRow.id == Block.series_id)
        .where(Block.offload_id == offload.id)
    )
    kept: dict[_Whose, dict[int, Block]] = {}
    for block, point, channel, unit in rows:
        whose = (point, channel or "", unit or "", block.mission_id)
        kept.setdefault(whose, {})[block.first] = block
    return kept


def _same(block: Block, wanted: BlockMade) -> bool:
    plain = ("count", "start_ms", "interval_ms", "valid", "low", "high", "total")
    if any(getattr(block, name) != getattr(wanted, name) for name in plain):
        return False
    if block.end_ms not in (None, wanted.end_ms):  # not known of old blocks
        return False
    try:
        return _same_bytes(block, wanted)
    except ArchiveDamagedError:
        return False


def _same_bytes(block: Block, wanted: BlockMade) -> bool:
    """Whether the same was packed, however: packers differ."""
    if block.data != wanted.data:
        ours, theirs = (decode_values(data, wanted.count) for data in (block.data, wanted.data))
        if not np.array_equal(ours, theirs, equal_nan=True):
            return False
    if block.times == wanted.times:
        return True
    if block.times is None or wanted.times is None:
        return False
    ours_ms, theirs_ms = (decode_times(t, wanted.count) for t in (block.times, wanted.times))
    return np.array_equal(ours_ms, theirs_ms)


def _same_readings(blocks: dict[int, Block], made: list[BlockMade]) -> bool:
    """Whether blocks hold the same readings in other pieces, and each sums itself up rightly."""
    kept = [block for _, block in sorted(blocks.items())]
    try:
        if any(_summed_up(block) != summary(decode_values(block.data, block.count))
               for block in kept):  # fmt: skip
            return False
        pairs = zip(_readings(kept), _readings(made), strict=True)
        return all(np.array_equal(one, other, equal_nan=True) for one, other in pairs)
    except (ArchiveDamagedError, ValueError):
        return False


def _summed_up(block: Block) -> Summary:
    return Summary(block.valid, block.low, block.high, block.total)


def _readings(blocks: Sequence[Block | BlockMade]) -> list[NDArray[Any]]:
    """Return numbers, instants, values and intervals of blocks, one after the other."""
    pieces = [
        (
            np.arange(one.first, one.first + one.count),
            decode_times(one.times, one.count) if one.times is not None
            else one.start_ms + np.arange(one.count) * one.interval_ms,
            decode_values(one.data, one.count),
            np.full(one.count, one.interval_ms),
        )
        for one in blocks
    ]  # fmt: skip
    return [np.concatenate(column) for column in zip(*pieces, strict=True)]


def _sentence(channel: str, first: int, end: int, offload: Offload) -> str:
    return (
        f"Readings {first} to {end} of {channel} differ from the raw offload "
        f"{offload.sha256[:12]}; gezeiten verify --rebuild makes them anew."
    )


@dataclass(frozen=True, slots=True)
class TextRead:
    """A text that was read by its tie."""

    source: Source
    pieces: Iterable[Readings]


Decode: TypeAlias = Callable[[str, "dict[str, Any] | None"], "RawMission | TextRead"]
"""Reads kept bytes: fingerprint and, of a text, how it is read. It may raise."""


def faulty_readings(
    session: Session, decode: Decode, each: Callable[[int, int], None]
) -> tuple[int, list[str]]:
    """Return how many offloads there are, and what is not as their bytes say, a sentence each;
    bytes that are gone or damaged are one.

    each: hears before each offload how many are done, of how many; may end it by an error.
    """
    faults: list[str] = []
    offloads = offloads_kept(session)
    for done, offload in enumerate(offloads):
        each(done, len(offloads))
        wanted = _wanted(session, offload, decode)
        if isinstance(wanted, GezeitenError):
            faults.append(f"Raw offload {offload.sha256[:12]} cannot be checked: {wanted}")
        else:
            faults.extend(blocks_differing(session, offload, wanted))
    return len(offloads), faults + strays(session)


def make_readings_anew(session: Session, decode: Decode) -> None:
    """Put readings made anew in place where others are kept, inside the caller's transaction. Those
    of bytes that are gone or damaged stay as they are: nothing else has them."""
    clear_strays(session)
    for offload in offloads_kept(session):
        wanted = _wanted(session, offload, decode)
        if isinstance(wanted, GezeitenError):
            continue
        if next(blocks_differing(session, offload, wanted), None) is not None:
            session.execute(delete(Block).where(Block.offload_id == offload.id))
            _put(session, offload, wanted)
    clear_strays(session)


def make_missing_readings(archive: Archive, decode: Decode) -> int:
    """Make the readings of offloads that have none: their acts were caught up from the logbook, or
    the program was killed before it had made them. Returns how many offloads that were."""
    with archive.reading() as session:
        missing = [offload.id for offload in _without_blocks(session)]
    for key in missing:
        with archive.writing() as session:
            offload = session.get_one(Offload, key)
            wanted = _wanted(session, offload, decode)
            if not isinstance(wanted, GezeitenError):
                _put(session, offload, wanted)
    return len(missing)


def offloads_kept(session: Session) -> list[Offload]:
    """Return all offloads in the order in which they came."""
    return list(session.scalars(select(Offload).order_by(Offload.id)))


def _without_blocks(session: Session) -> list[Offload]:
    query = select(Offload).where(Offload.id.not_in(select(Block.offload_id)))
    return [row for row in session.scalars(query.order_by(Offload.id)) if row.added]


def _wanted(
    session: Session, offload: Offload, decode: Decode
) -> list[ChannelBlocks] | GezeitenError:
    """Return the blocks that an offload's bytes make, or why they cannot be made."""
    try:
        read = decode(offload.sha256, offload.reading)
        if isinstance(read, TextRead):
            return list(text_blocks(session, read.source, offload, read.pieces))
        return list(mission_blocks(read, [(first, end) for first, end in offload.added]))
    except GezeitenError as exc:
        return exc
    except Exception as exc:  # noqa: BLE001 - a mistake of ours at one offload spares the others
        return bug(exc)


def _put(session: Session, offload: Offload, wanted: Iterable[ChannelBlocks]) -> None:
    store_blocks(session, session.get_one(Mission, offload.mission_id), offload.id, wanted)


def strays(session: Session) -> list[str]:
    """Return a sentence for each block that belongs to no offload, mission or series, each series
    without readings, and each excursion of no point or mission."""
    return [
        f"{what} {key} belongs to nothing; {_REBUILD}"
        for what, query in (("Block", _STRAYS), ("Series", _EMPTY_SERIES), ("Excursion", _NOWHERE))
        for key in session.scalars(query)
    ]


def clear_strays(session: Session) -> None:
    """Take out blocks, series and excursions that belong to nothing."""
    session.execute(delete(Block).where(Block.id.in_(_STRAYS)))
    session.execute(delete(SeriesRow).where(SeriesRow.id.in_(_EMPTY_SERIES)))
    session.execute(delete(ExcursionRow).where(ExcursionRow.id.in_(_NOWHERE)))
    session.expire_all()


_REBUILD = "gezeiten verify --rebuild puts it right."
_STRAYS = select(Block.id).where(
    Block.offload_id.not_in(select(Offload.id))
    | Block.mission_id.not_in(select(Mission.id))
    | Block.series_id.not_in(select(SeriesRow.id))
)
_NOWHERE = select(ExcursionRow.id).where(
    ExcursionRow.point_id.not_in(select(Point.id))
    | ExcursionRow.mission_id.not_in(select(Mission.id))
)
_EMPTY_SERIES = select(SeriesRow.id).where(
    SeriesRow.id.not_in(select(Block.series_id)),
    SeriesRow.point_id.not_in(
        select(Mission.point_id)
        .join(OverviewRow, OverviewRow.mission_id == Mission.id)
        .where(Mission.point_id.is_not(None))
    ),
)
