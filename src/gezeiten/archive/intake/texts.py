"""Taking a text of readings in: the file into the vault, its readings in pieces, one transaction.

A source is what a tie names: readings from one kind of text at one point. Readings that an earlier
text held are there once.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.actions.execution import do
from gezeiten.archive.database import Archive
from gezeiten.archive.files.vault import TemporaryCopy
from gezeiten.archive.intake.missions import Circumstances, is_latest
from gezeiten.archive.local_cache.block_owner import BlockOwner
from gezeiten.archive.local_cache.block_store import (
    ChannelColumn,
    leave_to_all_bytes,
    note_stored,
    raw_key,
    store_channel,
)
from gezeiten.archive.local_cache.cutting import text_column
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.sites import find_or_add_point
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.ids import fresh_id, source_id
from gezeiten.archive.store.tables import Logger, Mission, Offload, Point
from gezeiten.domain.actions.corrections import CorrectionSet
from gezeiten.domain.actions.offloads import RawBytes, ReaderVersion, StatedMission, TextImported
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.fingerprints import ReadingsPrint
from gezeiten.domain.series.spacing import LONE_MS
from gezeiten.domain.series.timeline import Times, Values
from gezeiten.domain.steps.corrections import MARK
from gezeiten.domain.steps.corrections.marks import MOST_PERIODS, SUSPECT
from gezeiten.errors import InputError

READER = 4
"""The version of the text reader by which texts are read that come now; see `missions.READER`."""


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
    """What became of a text. offload_id: None where nothing in it was new; readings: instants that
    are new in at least one channel; repeated: those that were kept already."""

    point_id: int
    sha256: str = ""
    offload_id: int | None = None
    readings: int = 0
    repeated: int = 0
    first_ms: int | None = None
    last_ms: int | None = None


@dataclass(frozen=True, slots=True)
class TextPart:
    """What a text holds of one source. reading: how the raw bytes are read for it, kept beside the
    offload. suspect: for each of its channels, from which of its readings to which (UTC ms, [begin,
    end) each) a flag says that they are."""

    source: Source
    pieces: Iterable[Readings]
    reading: dict[str, Any]
    suspect: list[list[list[int]]] = field(default_factory=list)


def store_text(
    archive: Archive,
    temporary_copy: TemporaryCopy,
    file_name: str,
    parts: Sequence[TextPart],
    circumstances: Circumstances,
) -> list[TextIntake]:
    """Keep a text and its readings, for each of its sources; as a whole or not at all.

    Args:
        temporary_copy: the bytes, which were read before.

    Raises:
        InputError: there is not one reading in it.
    """
    with archive.writing() as session:
        points = [_point_readings(session, part, circumstances) for part in parts]
        if not any(text.came for _, text in points):
            raise InputError(f"{file_name} has no usable reading; nothing was imported.")
        if any(text.fresh for _, text in points):
            with translated(archive.folder):
                archive.vault.commit(temporary_copy)
        raw = RawBytes(temporary_copy.sha256, temporary_copy.size, circumstances.route)
        return [
            _record_part(session, part, raw, file_name, circumstances, point, text)
            for part, (point, text) in zip(parts, points, strict=True)
        ]


def _point_readings(
    session: Session, part: TextPart, circumstances: Circumstances
) -> tuple[Point, TextReadings]:
    check_name(session, part.source.name, part.source.model)
    point = find_or_add_point(session, part.source.point, circumstances.authorship)
    text = TextReadings(session, part.source, point.uid)
    for piece in part.pieces:
        text.add(piece)
    return point, text


def _record_part(
    session: Session,
    part: TextPart,
    raw: RawBytes,
    file_name: str,
    circumstances: Circumstances,
    point: Point,
    text: TextReadings,
) -> TextIntake:
    """Say what a part of a text brought, where any of it is new."""
    text_intake = TextIntake(point.id, readings=text.fresh, repeated=text.came - text.fresh)
    if not text.fresh:
        return text_intake
    [(text_intake.first_ms, text_intake.last_ms)] = text.spans
    text_intake.sha256 = raw.sha256
    mission = _stated_mission(session, part.source, point, circumstances, text)
    do(
        session,
        TextImported(
            part.source.name,
            mission,
            raw,
            file_name,
            {**part.reading},
            text.came,
            text.spans[0][0],
            text.read,
        ),
        circumstances.authorship,
    )
    text.note(raw_key(text_intake.sha256, part.reading))
    _mark_suspect(session, part, text_intake.sha256, file_name, circumstances, text.owner.mission)
    query = select(Offload).join(Mission).where(Mission.uid == text.owner.mission)
    query = query.where(Offload.sha256 == text_intake.sha256).order_by(Offload.id.desc())
    offload = session.scalars(query.limit(1)).one()
    text_intake.offload_id = offload.id
    if text.differs and not is_latest(session, offload.id):
        leave_to_all_bytes(session, text.owner.mission)
    return text_intake


def _mark_suspect(
    session: Session,
    part: TextPart,
    sha256: str,
    file_name: str,
    circumstances: Circumstances,
    mission: str,
) -> None:
    """Mark what flags call suspect, in the series that the text feeds."""
    made = layout(session)
    assignments = {one.channel: one for one in made.by_mission.get(mission, ())}
    for (key, _), spans in zip(part.source.channels, part.suspect, strict=False):
        feed, listed = assignments.get(key), sorted(spans)
        for at in range(0, len(listed) if feed is not None else 0, MOST_PERIODS):
            its = listed[at : at + MOST_PERIODS]
            content = {"mark": SUSPECT, "cause": "flags", "stretches": its, "of": sha256}
            assert feed is not None  # else there is nothing to go through
            do(
                session,
                CorrectionSet(
                    feed.point,
                    fresh_id(),
                    feed.series,
                    MARK.key,
                    MARK.version,
                    its[0][0],
                    its[-1][1],
                    MARK.checked(content),
                    f"flags in {file_name}",
                ),
                circumstances.authorship,
            )


class TextReadings:
    """The readings of a text as they are read, put into this computer's blocks piece by piece."""

    def __init__(self, session: Session, source: Source, point: str) -> None:
        """point: id of where it was measured."""
        self._session, self._source = session, source
        self.owner = BlockOwner(source_id(source.name, point), True)
        self.came = self.fresh = 0
        self.differs = False
        self._distances: list[int] = []
        self._ends: list[tuple[int, int]] = []
        self._print = ReadingsPrint(source.channels)

    @property
    def read(self) -> ReaderVersion:
        """How it was read."""
        return ReaderVersion(READER, self._print.hex())

    @property
    def spans(self) -> list[tuple[int, int]]:
        """From when to when its readings are: one stretch, or none."""
        if not self._ends:
            return []
        return [(min(first for first, _ in self._ends), max(last for _, last in self._ends))]

    @property
    def interval_ms(self) -> int:
        """How far apart its first readings are."""
        return self._distances[0] if self._distances else LONE_MS

    def add(self, piece: Readings) -> None:
        """Take a piece."""
        times = piece.times
        if not len(times):
            return
        is_new = np.zeros(len(times), np.bool_)
        for (key, unit), values in zip(self._source.channels, piece.values, strict=True):
            column = text_column(times, values)
            result = store_channel(self._session, self.owner, ChannelColumn(key, unit, column))
            is_new |= result.is_new
            self.differs |= result.differs
        self._print.add(times, piece.values)
        self.came += len(times)
        self.fresh += int(is_new.sum())
        self._ends.append((int(times[0]), int(times[-1])))
        if len(times) > 1 and not self._distances:
            self._distances.append(max(int(np.median(np.diff(times))), 1))

    def note(self, raw: str) -> None:
        """Note that all of it is held. raw: its name, `raw_key`."""
        note_stored(self._session, self.owner.mission, raw, self.spans)


def _stated_mission(
    session: Session, source: Source, point: Point, circumstances: Circumstances, text: TextReadings
) -> StatedMission:
    """Return the mission that stands for a source, as its first text makes it."""
    known = session.scalars(select(Mission).filter_by(uid=text.owner.mission)).first()
    if known is not None:
        return StatedMission(
            source.model,
            "",
            known.number,
            known.launched_ms,
            known.first_ms,
            known.interval_ms,
            point.uid,
            known.plan,
        )
    interval_ms = text.interval_ms
    plan = Plan(
        tuple(key for key, _ in source.channels),
        max(round(interval_ms / 1000), 1),
        mission_name=source.name,
        point_name=full_name(point.site.name, point.name),
    ).as_dict()
    return StatedMission(
        source.model,
        "",
        _next_number(session, source.name),
        circumstances.authorship.at_ms,
        text.spans[0][0],
        interval_ms,
        point.uid,
        plan,
    )


def check_name(session: Session, name: str, model: str) -> None:
    """Make sure that the name of a source is not that of something else, a logger's serial say.

    Raises:
        InputError: it is.
    """
    model_name = session.scalars(select(Logger.model).filter_by(serial=name)).first()
    if model_name is not None and model_name != model:
        raise InputError(
            f"“{name}” is the name of another source ({model_name}); choose another name."
        )


def _next_number(session: Session, name: str) -> int:
    many = select(func.count(Mission.id)).join(Logger).where(Logger.serial == name)
    return (session.scalar(many) or 0) + 1
