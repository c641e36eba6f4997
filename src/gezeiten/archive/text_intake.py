"""Taking a text of readings in: the file into the vault, its readings in pieces, one transaction.

A source is what a tie names: readings from one kind of text at one point. Of a file that repeats
what an earlier one held, only the instants that are new are kept.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive import logbook
from gezeiten.archive.database import Archive
from gezeiten.archive.faults import translated
from gezeiten.archive.intake import (
    Circumstances,
    find_logger,
    kept_ranges,
)
from gezeiten.archive.readings import block_times, series_row, store_readings
from gezeiten.archive.sites import find_point
from gezeiten.archive.tables import Block, Logger, Mission, Offload, Point
from gezeiten.domain.plan import Plan
from gezeiten.domain.sites import full_name
from gezeiten.domain.timeline import Times, Values
from gezeiten.domain.wording import grouped, readings_words
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
        mission = _mission_of(session, source, how)
        taken = TextIntake(mission.point_id or 0)
        offload = Offload(
            mission_id=mission.id, at_ms=how.at_ms, person=how.person, route=how.route,
            sha256="", size=path.stat().st_size, received=[], added=[], damaged=[], events=[],
            clock_difference_ms=None, clock_uncertainty_ms=None, reading=reading,
        )  # fmt: skip
        session.add(offload)
        session.flush()
        kept = kept_ranges(session, mission.id)
        number = first = kept[-1][1] if kept else 0
        for piece in pieces:
            fresh = _new_of(session, mission, piece)
            taken.repeated += len(piece.times) - len(fresh.times)
            _store(session, mission, offload, source, fresh, number)
            number += len(fresh.times)
            _note_extent(taken, fresh)
            session.flush()
            session.expunge_all()  # a large text must not gather in memory
            mission, offload = (
                session.get_one(Mission, mission.id),
                session.get_one(Offload, offload.id),
            )
        taken.readings = number - first
        if not taken.readings and not taken.repeated:
            raise InputError(f"{path.name} holds no reading that can be used; nothing was kept.")
        if not taken.readings:
            session.delete(offload)
            return taken
        with translated(archive.folder):
            taken.sha256 = offload.sha256 = archive.vault.put_file(path)
        taken.ranges = [(first, number)]
        offload.received = offload.added = [[first, number]]
        offload.reading = {**reading}  # what was learnt while reading is in it by now
        taken.offload_id = offload.id
        mission.readings = number
        _log(session, source, how, taken, path.name)
        return taken


def check_name(session: Session, name: str, model: str) -> None:
    """Make sure that the name of a source is not that of something else, a logger's serial say.

    Raises:
        InputError: it is.
    """
    taken = session.scalars(select(Logger.model).filter_by(serial=name)).first()
    if taken is not None and taken != model:
        raise InputError(f"“{name}” is the name of another source ({taken}); choose another name.")


def _mission_of(session: Session, source: Source, how: Circumstances) -> Mission:
    """Return the mission that stands for a source, made where it is new."""
    check_name(session, source.name, source.model)
    logger = find_logger(session, source.name, source.model, "")
    point = find_point(session, source.point, how.said)
    mission = session.scalars(
        select(Mission).filter_by(logger_id=logger.id, point_id=point.id)
    ).first()
    plan = Plan(
        tuple(key for key, _ in source.channels), 60, mission_name=source.name,
        point_name=full_name(point.site.name, point.name),
    )  # fmt: skip
    if mission is None:
        many = session.scalar(select(func.count(Mission.id)).filter_by(logger_id=logger.id)) or 0
        mission = Mission(
            logger_id=logger.id, point_id=point.id, number=many + 1, launched_ms=how.at_ms,
            first_ms=0, interval_ms=60_000, plan=plan.as_dict(), state="ended",
        )  # fmt: skip
        session.add(mission)
        session.flush()
    point.record_version += 1
    return mission


def _new_of(session: Session, mission: Mission, piece: Readings) -> Readings:
    """Return the readings whose instants this source has not brought yet."""
    if not len(piece.times):
        return piece
    blocks = session.scalars(
        select(Block).where(
            Block.mission_id == mission.id,
            Block.start_ms <= int(piece.times[-1]),
            Block.end_ms >= int(piece.times[0]),
        )
    ).all()
    if not blocks:
        return piece
    known = np.unique(np.concatenate([block_times(block) for block in blocks]))
    fresh = ~np.isin(piece.times, known)
    return Readings(piece.times[fresh], [values[fresh] for values in piece.values])


def _store(
    session: Session,
    mission: Mission,
    offload: Offload,
    source: Source,
    piece: Readings,
    number: int,
) -> None:
    count = len(piece.times)
    if not count:
        return
    interval_ms = _usual_distance(piece.times, mission.interval_ms)
    if not mission.first_ms or int(piece.times[0]) < mission.first_ms:
        mission.first_ms = int(piece.times[0])
    if mission.readings == 0 and number == 0:
        mission.interval_ms = interval_ms
        mission.plan = {**mission.plan, "interval_s": max(round(interval_ms / 1000), 1)}
    is_even = bool((np.diff(piece.times) == interval_ms).all())
    for (key, unit), values in zip(source.channels, piece.values, strict=True):
        if not np.isfinite(values).any():
            continue
        row = series_row(session, mission.point_id or 0, key, unit)
        store_readings(
            session, series_id=row.id, mission_id=mission.id, offload_id=offload.id,
            first=number, start_ms=int(piece.times[0]), interval_ms=interval_ms, values=values,
            times=None if is_even else piece.times,
        )  # fmt: skip


def _usual_distance(times: Times, otherwise_ms: int) -> int:
    """Return the usual distance of readings: the median, which a few gaps do not move."""
    if len(times) < 2:
        return otherwise_ms
    return max(int(np.median(np.diff(times))), 1)


def _note_extent(taken: TextIntake, piece: Readings) -> None:
    if len(piece.times):
        first, last = int(piece.times[0]), int(piece.times[-1])
        taken.first_ms = first if taken.first_ms is None else min(taken.first_ms, first)
        taken.last_ms = last if taken.last_ms is None else max(taken.last_ms, last)


def _log(
    session: Session, source: Source, how: Circumstances, taken: TextIntake, name: str
) -> None:
    point = session.get_one(Point, taken.point_id)
    where = full_name(point.site.name, point.name)
    sentence = f"{readings_words(taken.readings)} of {name} kept for {where}."
    if taken.repeated:
        sentence += f" {grouped(taken.repeated)} kept already."
    logbook.write(
        session, at_ms=how.at_ms, person=how.person, act="offload", subject=source.name,
        sentence=sentence, details={"route": how.route, "sha256": taken.sha256, "file": name},
    )  # fmt: skip
