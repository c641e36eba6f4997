"""Taking a text of readings in: the file into the vault, its readings in pieces, one transaction.

A source is what a tie names: readings from one kind of text at one point. Of a file that repeats
what an earlier one held, only the instants that are new are kept.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.database import Archive
from gezeiten.archive.doing import do
from gezeiten.archive.faults import translated
from gezeiten.archive.intake import Circumstances, kept_ranges
from gezeiten.archive.readings import (
    BlockMade,
    ChannelBlocks,
    block_times,
    in_blocks,
    store_blocks,
)
from gezeiten.archive.sites import find_point
from gezeiten.archive.tables import Block, Logger, Mission, Offload, Point
from gezeiten.domain.acts.offloads import MissionSaid, RawBytes, TextTaken
from gezeiten.domain.plan import Plan
from gezeiten.domain.sites import full_name
from gezeiten.domain.timeline import Times, Values
from gezeiten.errors import InputError

TEXT_MODEL = "Text"
"""Model of the source of text files, in place of a logger's."""
LIVE_MODEL = "Live line"


@dataclass(frozen=True, slots=True)
class Source:
    """What a tie names. model: TEXT_MODEL or LIVE_MODEL; channels: (key, recorded unit)."""

    name: str
    point: str
    model: str
    channels: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Readings:
    """Instants (n,), strictly increasing, and one array of values (n,) a channel."""

    times: Times
    values: list[Values]


@dataclass(slots=True)
class TextIntake:
    """What became of a text. offload_id: None where nothing in it was new; repeated: readings
    that were kept already; mended: those that came out of order or twice in the text."""

    point_id: int
    sha256: str = ""
    offload_id: int | None = None
    readings: int = 0
    repeated: int = 0
    first_ms: int | None = None
    last_ms: int | None = None
    ranges: list[tuple[int, int]] = field(default_factory=list)


def take_in_text(
    archive: Archive,
    path: Path,
    source: Source,
    pieces: Iterable[Readings],
    how: Circumstances,
    reading: dict[str, Any],
) -> TextIntake:
    """Keep a text and its readings; as a whole or not at all.

    Args:
        reading: how the raw bytes are read, kept beside the offload.

    Raises:
        InputError: there is not one reading in it.
    """
    with archive.writing() as session:
        check_name(session, source.name, source.model)
        point = find_point(session, source.point, how.said)
        mission = _mission_of(session, source, point)
        text = _Text(session, source, mission)
        for piece in pieces:
            text.take(piece)
        if not text.readings and not text.repeated:
            raise InputError(f"{path.name} holds no reading that can be used; nothing was kept.")
        taken = TextIntake(point.id, readings=text.readings, repeated=text.repeated)
        if not text.readings:
            return taken
        taken.first_ms, taken.last_ms, taken.ranges = text.first_ms, text.last_ms, [text.numbers]
        size = path.stat().st_size
        with translated(archive.folder):
            taken.sha256 = archive.vault.put_file(path)
        raw = RawBytes(taken.sha256, size, how.route)
        said = text.mission_said(point, how)
        # what was learnt while reading is in `reading` by now
        act = TextTaken(source.name, said, raw, path.name, {**reading}, text.first, text.readings,
                        text.first_ms, text.repeated)  # fmt: skip
        do(session, act, how.said)
        mission = _mission_of(session, source, point)
        assert mission is not None
        query = select(Offload.id).filter_by(mission_id=mission.id, sha256=taken.sha256)
        taken.offload_id = session.scalars(query.order_by(Offload.id.desc()).limit(1)).one()
        store_blocks(session, mission, taken.offload_id, text.blocks())
        return taken


class _Text:
    """A text as it is read: what is new of it, in blocks. Only these stay in memory, compressed."""

    def __init__(
        self,
        session: Session,
        source: Source,
        mission: Mission | None,
        offload: Offload | None = None,
    ) -> None:
        """Begin after what was kept so far; of an offload, as it was before it came."""
        self._session, self._source, self._mission = session, source, mission
        self._before = offload.id if offload else None
        self._made: dict[tuple[str, str], list[BlockMade]] = {one: [] for one in source.channels}
        self._times: list[Times] = []
        kept = kept_ranges(session, mission.id) if mission else []
        self.first = kept[-1][1] if kept else 0
        if offload is not None:
            self.first = offload.received[0][0]
        self._is_first = not self.first
        self.interval_ms = 60_000 if mission is None or self._is_first else mission.interval_ms
        self.readings = self.repeated = 0
        self.first_ms = self.last_ms = 0

    @property
    def numbers(self) -> tuple[int, int]:
        """The numbers that its new readings got."""
        return self.first, self.first + self.readings

    def take(self, piece: Readings) -> None:
        """Take what is new of a piece."""
        fresh = self._new_of(piece)
        self.repeated += len(piece.times) - len(fresh.times)
        count = len(fresh.times)
        if not count:
            return
        first_ms, last_ms = int(fresh.times[0]), int(fresh.times[-1])
        distance_ms = _usual_distance(fresh.times, self.interval_ms)
        if not self.readings:
            self.first_ms, self.last_ms = first_ms, last_ms
            self.interval_ms = distance_ms if self._is_first else self.interval_ms
        self.first_ms, self.last_ms = min(self.first_ms, first_ms), max(self.last_ms, last_ms)
        is_even = bool((np.diff(fresh.times) == distance_ms).all())
        for one, values in zip(self._source.channels, fresh.values, strict=True):
            if np.isfinite(values).any():
                self._made[one] += in_blocks(self.first + self.readings, first_ms, distance_ms,
                                             values, None if is_even else fresh.times)  # fmt: skip
        self._times.append(fresh.times)
        self.readings += count

    def _new_of(self, piece: Readings) -> Readings:
        """Return the readings whose instants this source has not brought yet."""
        if not len(piece.times):
            return piece
        since, until = int(piece.times[0]), int(piece.times[-1])
        before = [own for own in self._times if own[0] <= until and own[-1] >= since]
        if self._mission is not None:
            query = select(Block).where(
                Block.mission_id == self._mission.id, Block.start_ms <= until,
                Block.end_ms >= since,
            )  # fmt: skip
            if self._before is not None:
                query = query.where(Block.offload_id < self._before)
            before += [block_times(block) for block in self._session.scalars(query)]
        if not before:
            return piece
        fresh = ~np.isin(piece.times, np.unique(np.concatenate(before)))
        return Readings(piece.times[fresh], [values[fresh] for values in piece.values])

    def mission_said(self, point: Point, how: Circumstances) -> MissionSaid:
        """Return the mission that stands for the source, as it is with this text."""
        source, known = self._source, self._mission
        name = full_name(point.site.name, point.name)
        plan = Plan(tuple(key for key, _ in source.channels), 60, mission_name=source.name,
                    point_name=name).as_dict() if known is None else known.plan  # fmt: skip
        if self._is_first:
            plan = {**plan, "interval_s": max(round(self.interval_ms / 1000), 1)}
        return MissionSaid(
            source.model, "", known.number if known else _next_number(self._session, source.name),
            known.launched_ms if known else how.said.at_ms, self.first_ms, self.interval_ms,
            point.uid, plan,
        )  # fmt: skip

    def blocks(self) -> Iterator[ChannelBlocks]:
        """Return its new readings by channel."""
        for (key, unit), made in self._made.items():
            if made:
                yield key, unit, made


def text_blocks(
    session: Session, source: Source, offload: Offload, pieces: Iterable[Readings]
) -> Iterator[ChannelBlocks]:
    """Return the blocks of a text that was taken in, made anew as they were then."""
    text = _Text(session, source, session.get_one(Mission, offload.mission_id), offload)
    for piece in pieces:
        text.take(piece)
    return text.blocks()


def check_name(session: Session, name: str, model: str) -> None:
    """Make sure that the name of a source is not that of something else, a logger's serial say.

    Raises:
        InputError: it is.
    """
    taken = session.scalars(select(Logger.model).filter_by(serial=name)).first()
    if taken is not None and taken != model:
        raise InputError(f"“{name}” is the name of another source ({taken}); choose another name.")


def _mission_of(session: Session, source: Source, point: Point) -> Mission | None:
    """Return the mission that stands for a source at a point, None where it is new."""
    query = select(Mission).join(Logger).where(Logger.serial == source.name)
    return session.scalars(query.where(Mission.point_id == point.id)).first()


def _next_number(session: Session, name: str) -> int:
    many = select(func.count(Mission.id)).join(Logger).where(Logger.serial == name)
    return (session.scalar(many) or 0) + 1


def _usual_distance(times: Times, otherwise_ms: int) -> int:
    """Return the usual distance of readings: the median, which a few gaps do not move."""
    if len(times) < 2:
        return otherwise_ms
    return max(int(np.median(np.diff(times))), 1)
