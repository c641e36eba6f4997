"""Contact with the loggers at hand: who, what it does, what it holds that the archive does not."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.intake import POINT_SEPARATOR, find_logger, kept_ranges
from gezeiten.archive.tables import Logger, Mission, Point
from gezeiten.desk.context import Desk
from gezeiten.domain.clock import ClockDifference
from gezeiten.domain.coverage import Range, merged, missing, size
from gezeiten.domain.plan import Plan
from gezeiten.domain.timeline import MINUTE_MS
from gezeiten.errors import GezeitenError
from gezeiten.link.find import FoundLogger, find_loggers
from gezeiten.link.modbus import Address, ModbusTcp
from gezeiten.link.registers import Command, LiveValue, LoggerState, State
from gezeiten.link.session import DirectoryEntry, Identity, LoggerSession

JUST_NOW_MS = 5 * MINUTE_MS
"""A launch fetches readings younger than this by itself, after stopping the mission."""


@dataclass(frozen=True, slots=True)
class NotKept:
    """What one mission on a logger holds that the archive does not."""

    entry: DirectoryEntry
    ranges: tuple[Range, ...]

    @property
    def readings(self) -> int:
        return size(self.ranges)


@dataclass(frozen=True, slots=True)
class LoggerCard:
    """A logger as just seen. point: full name of where it measures, or ""."""

    address: Address
    identity: Identity
    state: LoggerState
    clock: ClockDifference
    directory: tuple[DirectoryEntry, ...]
    not_kept: tuple[NotKept, ...]
    plan: Plan | None
    live: tuple[LiveValue, ...]
    point: str
    at_ms: int

    @property
    def serial(self) -> str:
        return self.identity.serial

    @property
    def readings_not_kept(self) -> int:
        return sum(part.readings for part in self.not_kept)

    @property
    def readings_just_come(self) -> int:
        """Of those not kept, the readings of the last JUST_NOW_MS of a running mission."""
        if not self.is_recording or not self.not_kept:
            return 0
        part = self.not_kept[-1]
        entry = part.entry
        young_ms = self.state.clock_ms - JUST_NOW_MS - entry.first_ms
        since = -(-young_ms // entry.interval_ms)
        return sum(end - max(first, since) for first, end in part.ranges if end > since)

    @property
    def is_recording(self) -> bool:
        return self.state.state in (State.LOGGING, State.WAITING)


@contextmanager
def session_with(
    desk: Desk, address: Address, expected: str | None = None
) -> Iterator[tuple[LoggerSession, Identity]]:
    """A conversation with the logger at an address; another serial than expected raises."""
    with ModbusTcp(address, desk.limits) as line:
        session = LoggerSession(line)
        yield session, session.identify(expected)


def find(
    desk: Desk,
    on_found: Callable[[FoundLogger], None] | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[FoundLogger]:
    """Return the loggers that answer at the addresses of the settings."""
    return find_loggers(desk.addresses(), desk.clock, on_found=on_found, cancelled=cancelled)


def contact(desk: Desk, address: Address, expected: str | None = None) -> LoggerCard:
    """Look at one logger and remember its state; failures go into the logbook.

    Raises:
        DeviceError, InputError: it is away, answers nonsense, or is another one.
    """
    try:
        with session_with(desk, address, expected) as (session, identity):
            return read_card(desk, session, identity, address)
    except GezeitenError as exc:
        desk.log_alone("contact failed", expected or str(address), str(exc))
        raise


def read_card(
    desk: Desk, session: LoggerSession, identity: Identity, address: Address
) -> LoggerCard:
    """Read everything the Field desk shows over an open conversation."""
    clock = session.clock(desk.clock)
    directory = session.directory()
    plan = session.plan()
    state = session.state()
    live = session.live(identity.model)
    with desk.archive.writing() as db:
        logger = _remember(db, identity, state, clock, desk.now_ms())
        not_kept = [_not_kept(db, logger, entry) for entry in directory]
        point = _point_name(db, logger) or (plan.point_name if plan else "")
    return LoggerCard(
        address,
        identity,
        state,
        clock,
        tuple(directory),
        tuple(part for part in not_kept if part.ranges),
        plan,
        tuple(live),
        point,
        desk.now_ms(),
    )


def _remember(
    db: Session, identity: Identity, state: LoggerState, clock: ClockDifference, now_ms: int
) -> Logger:
    logger = find_logger(db, identity.serial, identity.model.name, identity.firmware)
    logger.practice = bool(state.practice)
    logger.seen_ms = now_ms
    logger.state = asdict(state)
    logger.clock_difference_ms = clock.difference_ms
    logger.clock_uncertainty_ms = clock.uncertainty_ms
    mission = db.scalars(
        select(Mission).filter_by(logger_id=logger.id, number=state.mission_number)
    ).first()
    if mission:
        mission.readings = state.readings
        mission.first_held = state.first_held
        mission.state = State(state.state).name.lower()
    return logger


def _not_kept(db: Session, logger: Logger, entry: DirectoryEntry) -> NotKept:
    mission = db.scalars(
        select(Mission).filter_by(
            logger_id=logger.id, number=entry.mission, launched_ms=entry.launched_ms
        )
    ).first()
    kept = kept_ranges(db, mission.id) if mission else []
    return NotKept(entry, tuple(merged(missing(entry.held, kept))))


def _point_name(db: Session, logger: Logger) -> str:
    point = db.get(Point, logger.point_id) if logger.point_id else None
    return f"{point.site.name}{POINT_SEPARATOR}{point.name}" if point else ""


def blink(desk: Desk, address: Address, serial: str) -> None:
    """Let a logger blink so that it is found among others."""
    with session_with(desk, address, serial) as (session, _):
        session.command(Command.BLINK)
    desk.log_alone("blink", serial, f"{serial} was let blink.")
