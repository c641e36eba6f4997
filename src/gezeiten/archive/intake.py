"""Taking a mission file in: vault first, then readings, offload and logbook in one transaction.

Killed in between, the incoming file is still there and is taken in again; the vault keeps the
same bytes once, and reading numbers that are kept already are not stored again.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive import logbook
from gezeiten.archive.apply import Said
from gezeiten.archive.database import Archive
from gezeiten.archive.faults import translated
from gezeiten.archive.readings import series_row, store_readings
from gezeiten.archive.sites import UNPLACED_SITE, find_point
from gezeiten.archive.tables import Logger, Mission, Offload, Point
from gezeiten.domain.coverage import Range, merged, missing, size
from gezeiten.domain.plan import plan_from_dict
from gezeiten.domain.sites import full_name
from gezeiten.domain.timeline import Times, Values
from gezeiten.domain.wording import readings_words


@dataclass(frozen=True, slots=True)
class RawChannel:
    """One channel of a mission file."""

    key: str
    unit: str


@dataclass(frozen=True, slots=True)
class RawMission:
    """A decoded mission file as the archive needs it.

    numbers: reading numbers int64 (n,), increasing; times: when each was due, UTC ms (n,); values:
    one float64 (n,) a channel, NaN for "no value". step_ms: the shorter interval where the
    interval changes, else 0. received: ranges the file holds; damaged: ranges that stayed damaged.
    """

    serial: str
    model: str
    firmware: str
    number: int
    launched_ms: int
    first_ms: int
    interval_ms: int
    plan: dict[str, object]
    channels: tuple[RawChannel, ...]
    numbers: Times
    times: Times
    step_ms: int
    values: list[Values]
    received: list[Range]
    damaged: list[Range]
    events: list[tuple[int, str]]


@dataclass(frozen=True, slots=True)
class Circumstances:
    """Who took it, when, how, and how far the logger's clock was off then.

    carried: by which courier, when, and how it left the logger.
    """

    at_ms: int
    person: str
    route: str
    clock_difference_ms: float | None = None
    clock_uncertainty_ms: float | None = None
    cut_short: str = ""
    carried: dict[str, object] | None = None

    @property
    def said(self) -> Said:
        """Who and when, for the acts that taking it in brings along."""
        return Said(self.at_ms, self.person)


@dataclass(frozen=True, slots=True)
class Intake:
    """What became of it. offload_id is None when nothing in it was new."""

    offload_id: int | None
    mission_id: int
    point_id: int
    added: list[Range]
    sha256: str

    @property
    def readings(self) -> int:
        """How many readings were new here."""
        return size(self.added)


def take_in(
    archive: Archive,
    raw: bytes,
    file: RawMission,
    how: Circumstances,
    *,
    damaged: list[Range] | None = None,
    even_if_known: bool = False,
) -> Intake:
    """Keep a mission file. Bytes without a single new reading add nothing.

    Args:
        damaged: readings that arrived damaged this time, for the next launch to ask about; None
            where the file did not come from the logger itself.
        even_if_known: keep the bytes though no reading is new, as an offload that added nothing.
    """
    with archive.writing() as session:
        mission = find_mission(session, file, how.said)
        if damaged is not None:
            mission.damaged = [list(part) for part in damaged]
        added = merged(
            part for got in file.received for part in missing(got, kept_ranges(session, mission.id))
        )
        point_id = mission.point_id or 0
        if not added and not even_if_known:
            return Intake(None, mission.id, point_id, [], "")
        with translated(archive.folder):
            sha256 = archive.vault.put(raw)
        offload = _offload_row(mission, file, how, added, sha256, len(raw))
        session.add(offload)
        session.flush()
        _store(session, mission, offload, file, added)
        point = session.get_one(Point, point_id)
        point.record_version += 1
        _log(session, file, how, added, sha256, point)
        return Intake(offload.id, mission.id, point_id, added, sha256)


def kept_ranges(session: Session, mission_id: int) -> list[Range]:
    """Return the reading numbers of a mission that the archive holds."""
    rows = session.scalars(select(Offload.added).filter_by(mission_id=mission_id)).all()
    return merged((first, end) for row in rows for first, end in row)


def find_logger(session: Session, serial: str, model: str, firmware: str) -> Logger:
    """Return the logger of a serial, made where it is new."""
    logger = session.scalars(select(Logger).filter_by(serial=serial)).first()
    if logger is None:
        logger = Logger(serial=serial, model=model, firmware=firmware, practice=False)
        session.add(logger)
        session.flush()
    logger.firmware = firmware
    return logger


def find_mission(session: Session, file: RawMission, said: Said) -> Mission:
    """Return the mission of a file, made where it is new; its point comes from its plan."""
    logger = find_logger(session, file.serial, file.model, file.firmware)
    mission = known_mission(session, logger, file.number, file.launched_ms)
    if mission is None:
        name = plan_from_dict(file.plan).point_name
        point = find_point(session, name or full_name(UNPLACED_SITE, file.serial), said)
        mission = Mission(
            logger_id=logger.id,
            point_id=point.id,
            number=file.number,
            launched_ms=file.launched_ms,
            first_ms=file.first_ms,
            interval_ms=file.interval_ms,
            plan=file.plan,
        )
        session.add(mission)
        session.flush()
    mission.first_ms = mission.first_ms or file.first_ms  # it had waited for its button
    return mission


def known_mission(
    session: Session, logger: Logger, number: int, launched_ms: int
) -> Mission | None:
    """Return a logger's mission of that number and launch where it is entered."""
    return session.scalars(
        select(Mission).filter_by(logger_id=logger.id, number=number, launched_ms=launched_ms)
    ).first()


def _offload_row(
    mission: Mission,
    file: RawMission,
    how: Circumstances,
    added: list[Range],
    sha256: str,
    length: int,
) -> Offload:
    return Offload(
        mission_id=mission.id,
        at_ms=how.at_ms,
        person=how.person,
        route=how.route,
        sha256=sha256,
        size=length,
        received=[list(part) for part in file.received],
        added=[list(part) for part in added],
        damaged=[list(part) for part in file.damaged],
        clock_difference_ms=how.clock_difference_ms,
        clock_uncertainty_ms=how.clock_uncertainty_ms,
        events=[[at_ms, text] for at_ms, text in file.events],
        carried=how.carried,
    )


def _store(
    session: Session, mission: Mission, offload: Offload, file: RawMission, added: list[Range]
) -> None:
    for channel, values in zip(file.channels, file.values, strict=True):
        row = series_row(session, mission.point_id or 0, channel.key, channel.unit)
        for first, end in added:
            a, b = file.numbers.searchsorted([first, end])
            for begin, stop, interval_ms in even_runs(file, int(a), int(b)):
                store_readings(
                    session,
                    series_id=row.id,
                    mission_id=mission.id,
                    offload_id=offload.id,
                    first=first + begin - int(a),
                    start_ms=int(file.times[begin]),
                    interval_ms=interval_ms,
                    values=values[begin:stop],
                )


def even_runs(file: RawMission, a: int, b: int) -> list[tuple[int, int, int]]:
    """Return the readings [a, b) of a file as runs (begin, end, interval in ms) of even spacing.

    The interval in force is the distance to the next reading where that is shorter than the usual
    interval, else the usual one. Source: docs/calculations.md, "Holding, gaps, time outside".
    """
    if not file.step_ms or b - a < 2:
        return [(a, b, file.interval_ms)] if b > a else []
    distance = np.diff(file.times[a:b])
    force = np.where(distance <= file.step_ms, file.step_ms, file.interval_ms)
    force = np.append(force, force[-1])
    # a run ends where the interval changes, or where the next reading is not one interval on
    breaks = np.flatnonzero((np.diff(force) != 0) | (distance != force[:-1])) + 1
    cuts = [0, *breaks.tolist(), b - a]
    return [(a + first, a + end, int(force[first])) for first, end in pairwise(cuts)]


def _log(
    session: Session,
    file: RawMission,
    how: Circumstances,
    added: list[Range],
    sha256: str,
    point: Point,
) -> None:
    where = full_name(point.site.name, point.name)
    sentence = f"{readings_words(size(added))} of mission {file.number} kept for {where}."
    if file.damaged:
        sentence += f" {readings_words(size(file.damaged))} arrived damaged and set aside."
    if how.cut_short:
        sentence += f" Ended early: {how.cut_short}"
    logbook.write(
        session,
        at_ms=how.at_ms,
        person=how.person,
        act="offload",
        subject=file.serial,
        sentence=sentence,
        details={
            "mission": file.number,
            "route": how.route,
            "sha256": sha256,
            "added": [list(part) for part in added],
            "damaged": [list(part) for part in file.damaged],
            "clock_difference_ms": how.clock_difference_ms,
            "clock_uncertainty_ms": how.clock_uncertainty_ms,
            **({"carried": how.carried} if how.carried else {}),
        },
    )
