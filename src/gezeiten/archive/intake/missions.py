"""Taking a mission file in: vault first, then the action and its readings in one transaction.

Killed in between, the incoming file is still there and is taken in again; the vault keeps the
same bytes once, and reading numbers that are kept already are not stored again.
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from sqlalchemy import Select, bindparam, select, tuple_
from sqlalchemy.orm import Session

from gezeiten.archive.actions.execution import do
from gezeiten.archive.database import Archive
from gezeiten.archive.files.vault import fingerprint
from gezeiten.archive.local_cache.block_owner import BlockOwner
from gezeiten.archive.local_cache.block_store import (
    ChannelColumn,
    leave_to_all_bytes,
    note_stored,
    store_channels,
)
from gezeiten.archive.local_cache.cutting import Column
from gezeiten.archive.local_cache.readings import in_ranges
from gezeiten.archive.projection import Authorship
from gezeiten.archive.projection.missions import stored_numbers
from gezeiten.archive.queries.sites import UNPLACED_SITE, find_or_add_point
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import Logger, Mission, Offload, Point
from gezeiten.domain.actions.offloads import (
    DamageNoted,
    FirstIntake,
    MissionOffloaded,
    RawBytes,
    ReaderVersion,
    StatedMission,
)
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.plan.plan import plan_from_dict
from gezeiten.domain.series.coverage import Range, merged, missing, size
from gezeiten.domain.series.fingerprints import ReadingsPrint
from gezeiten.domain.series.timeline import Times, Values

READER = 1
"""The version of the mission file's reader by which bytes are read that come now. Whoever changes
what comes out of the same bytes counts it up and keeps the old one (`desk/intake/raw_bytes.py`)."""


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

    carried: by which courier, when, and how it left the logger. imported_by: who brings it into
    this archive, and when, where that is not who took it.
    """

    at_ms: int
    person: str
    route: str
    clock_difference_ms: float | None = None
    clock_uncertainty_ms: float | None = None
    cut_short: str = ""
    carried: dict[str, object] | None = None
    imported_by: Authorship | None = None

    @property
    def authorship(self) -> Authorship:
        """Who does the actions of taking it in, and when."""
        return self.imported_by or Authorship(self.at_ms, self.person)

    @property
    def first_intake(self) -> FirstIntake | None:
        """Who took it, and when, where that is not who takes it in."""
        return None if self.imported_by is None else FirstIntake(self.at_ms, self.person)


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


def import_mission_file(
    archive: Archive,
    raw: bytes,
    file: RawMission,
    circumstances: Circumstances,
    *,
    damaged: list[Range] | None = None,
    even_if_known: bool = False,
    sha256: str = "",
) -> Intake:
    """Keep a mission file. Bytes without a single new reading add nothing.

    Args:
        sha256: fingerprint of the bytes, where it was taken already.
        damaged: readings that arrived damaged this time, for the next launch to ask about; None
            where the file did not come from the logger itself.
        even_if_known: keep the bytes though no reading is new, as an offload that added nothing.
    """
    sha256 = sha256 or fingerprint(raw)
    with archive.writing() as session:
        mission = _find_mission(session, file)
        point = _point(session, file, circumstances, mission)
        stored = stored_ranges(session, mission.id) if mission else []
        added = merged(part for got in file.received for part in missing(got, stored))
        if not added and (not even_if_known or _is_stored(session, mission, sha256)):
            _note_damage(session, mission, file, damaged, circumstances)
            return Intake(None, mission.id if mission else 0, point.id, [], "")
        columns = mission_columns(file)
        with translated(archive.folder), ThreadPoolExecutor(1) as beside:  # the disk meanwhile
            printed = beside.submit(print_of, columns)
            archive.vault.store(raw, sha256)
        bytes_kept = RawBytes(sha256, len(raw), circumstances.route, circumstances.carried)
        read = ReaderVersion(READER, printed.result())
        do(
            session,
            _offloaded(file, circumstances, point.uid, bytes_kept, damaged, read),
            circumstances.authorship,
        )
        mission = mission or _find_mission(session, file)
        assert mission is not None
        offload, added = _offload_of(session, mission, sha256)
        owner = block_owner(mission, file)
        results = store_channels(session, owner, columns)
        note_stored(session, owner.mission, sha256, spans_of(file))
        if any(merge_result.differs for merge_result in results) and not is_latest(
            session, offload
        ):
            leave_to_all_bytes(session, mission.uid)
        return Intake(offload, mission.id, mission.point_id or 0, added, sha256)


def _offloaded(
    file: RawMission,
    circumstances: Circumstances,
    point: str,
    raw: RawBytes,
    damaged: list[Range] | None,
    read: ReaderVersion,
) -> MissionOffloaded:
    return MissionOffloaded(
        file.serial,
        stated_mission(file, point),
        raw,
        received=tuple(file.received),
        damaged=tuple(file.damaged),
        missed=None if damaged is None else tuple(damaged),
        events=tuple(file.events),
        clock_difference_ms=circumstances.clock_difference_ms,
        clock_uncertainty_ms=circumstances.clock_uncertainty_ms,
        cut_short=circumstances.cut_short,
        taken=circumstances.first_intake,
        read=read,
    )


def stated_mission(file: RawMission, point: str) -> StatedMission:
    """Return what a file says of its mission. point: id of where it belongs."""
    return StatedMission(
        file.model,
        file.firmware,
        file.number,
        file.launched_ms,
        file.first_ms,
        file.interval_ms,
        point,
        file.plan,
    )


def _note_damage(
    session: Session,
    mission: Mission | None,
    file: RawMission,
    damaged: list[Range] | None,
    circumstances: Circumstances,
) -> None:
    """Remember what arrived damaged though nothing new came, where it is otherwise than known."""
    if mission is None or damaged is None:
        return
    if [list(part) for part in damaged] != (mission.damaged or []):
        noted = DamageNoted(file.serial, file.number, file.launched_ms, tuple(damaged))
        do(session, noted, circumstances.authorship)


def _is_stored(session: Session, mission: Mission | None, sha256: str) -> bool:
    query = select(Offload.id).filter_by(sha256=sha256)
    return mission is not None and (
        session.scalars(query.filter_by(mission_id=mission.id)).first() is not None
    )


_OFFLOAD = PreparedStatement(
    select(Offload.id, Offload.added)
    .where(Offload.mission_id == bindparam("its_mission"), Offload.sha256 == bindparam("its_bytes"))
    .order_by(Offload.id.desc())
    .limit(1)
)


def _offload_of(session: Session, mission: Mission, sha256: str) -> tuple[int, list[Range]]:
    """Return the key of the newest offload of a mission's bytes, and what was new with it."""
    row = _OFFLOAD.first_row(session.connection(), its_mission=mission.id, its_bytes=sha256)
    assert row is not None
    return row[0], [(first, end) for first, end in row[1]]


def stored_ranges(session: Session, mission_id: int) -> list[Range]:
    """Return the reading numbers of a mission that the archive holds."""
    return stored_numbers(session.connection(), mission_id)


def find_logger(session: Session, serial: str) -> Logger | None:
    """Return the logger of a serial, None where it is new."""
    return session.scalars(select(Logger).filter_by(serial=serial)).first()


def _find_mission(session: Session, file: RawMission) -> Mission | None:
    logger = find_logger(session, file.serial)
    if logger is None:
        return None
    return find_mission(session, logger.id, file.number, file.launched_ms)


def point_of(session: Session, file: RawMission, circumstances: Circumstances) -> Point:
    """Return where a file's mission belongs: the point it is entered for, else the one its plan
    names, made where it is new."""
    return _point(session, file, circumstances, _find_mission(session, file))


def _point(
    session: Session, file: RawMission, circumstances: Circumstances, mission: Mission | None
) -> Point:
    if mission is not None:
        return session.get_one(Point, mission.point_id)
    name = plan_from_dict(file.plan).point_name
    return find_or_add_point(
        session, name or full_name(UNPLACED_SITE, file.serial), circumstances.authorship
    )


def find_mission(session: Session, logger_id: int, number: int, launched_ms: int) -> Mission | None:
    """Return a logger's mission of that number and launch where it is entered."""
    return session.scalars(
        select(Mission).filter_by(logger_id=logger_id, number=number, launched_ms=launched_ms)
    ).first()


def block_owner(mission: Mission, file: RawMission) -> BlockOwner:
    """Return whose the readings of a file are."""
    return BlockOwner(mission.uid, False, file.interval_ms, file.step_ms)


def in_order(mission_id: int) -> Select[Offload]:
    """Ask for the offloads of a mission that are in the record, in the order in which they were
    taken: where bytes differ about a reading the earlier ones stand, on every computer."""
    arrival = Offload.at_ms, Offload.sha256
    its = select(Offload).filter_by(mission_id=mission_id, taken_out_ms=None)
    return its.order_by(*arrival)


def is_latest(session: Session, key: int) -> bool:
    """Whether no offload of its mission was taken after this one."""
    offload = session.get_one(Offload, key)
    after = tuple_(Offload.at_ms, Offload.sha256) > (offload.at_ms, offload.sha256)
    its = Offload.mission_id == offload.mission_id, Offload.taken_out_ms.is_(None)
    query = select(Offload.id).where(*its, after)
    return session.scalars(query.limit(1)).first() is None


def mission_columns(file: RawMission) -> list[ChannelColumn]:
    """Return the readings of a mission file by channel: those that came whole."""
    received = in_ranges(file.numbers, file.received)
    which = slice(None) if received.all() else received
    return [
        ChannelColumn(
            channel.key, channel.unit, Column(file.numbers, file.times, values).subset(which)
        )
        for channel, values in zip(file.channels, file.values, strict=True)
    ]


def print_of(columns: Sequence[ChannelColumn]) -> str:
    """Return the fingerprint of the readings that a mission file holds, by two processors."""
    readings_print = ReadingsPrint((column.channel, column.unit) for column in columns)
    if columns:
        with ThreadPoolExecutor(2) as both:
            its = columns[0].column.times, [column.column.values for column in columns]
            readings_print.add(*its, both.map)
    return readings_print.hex()


def spans_of(file: RawMission) -> list[tuple[int, int]]:
    """Return from when to when the readings of each stretch are that came, both ends included."""
    spans = []
    for first, end in file.received:
        a, b = file.numbers.searchsorted([first, end])
        if b > a:
            spans.append((int(file.times[a]), int(file.times[b - 1])))
    return spans
