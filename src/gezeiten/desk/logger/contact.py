"""Contact with the loggers at hand: who, what it does, what it holds that the archive does not."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from functools import partial

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.queries.loggers import calibration_noted, last_seen_logger, place_of
from gezeiten.archive.queries.missions import stored_and_damaged_ranges
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.cables import Tell, search_port, serial_ports
from gezeiten.desk.logger.launch.intents import settle_launch
from gezeiten.domain.actions.contacts import LoggerBlinked, LoggerContacted, SensorsChecked
from gezeiten.domain.base.clock import ClockDifference
from gezeiten.domain.facts.contacts import BY_HAND_MS, LoggerSighting, is_news
from gezeiten.domain.facts.stored import KnownLogger
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.coverage import Range, merged, missing, size
from gezeiten.domain.series.timeline import DAY_MS, MINUTE_MS
from gezeiten.errors import GezeitenError, LoggerAwayError
from gezeiten.link.find import FIND_LIMITS, FoundCourier, FoundLogger, ask, search
from gezeiten.link.lines.address import Endpoint, TimeLimits
from gezeiten.link.lines.waiting import open_line
from gezeiten.link.registers import SELF_CHECK_GOOD, LiveValue, LoggerCommand, LoggerState, State
from gezeiten.link.session import DirectoryEntry, Identity, LoggerSession

JUST_BEGUN_MS = 30 * MINUTE_MS
"""A mission younger than this is ended by a launch only with a word why."""


@dataclass(frozen=True, slots=True)
class UnstoredReadings:
    """What one mission on a logger holds that the archive does not."""

    entry: DirectoryEntry
    ranges: tuple[Range, ...]

    @property
    def readings(self) -> int:
        """How many readings its ranges hold; each is an instant with all channels."""
        return size(self.ranges)


@dataclass(frozen=True, slots=True)
class LoggerCard:
    """A logger as just seen.

    point: full name of where it measures, or "". events: what the logger noted, oldest first.
    readings_damaged: of those not kept, the ones that arrived damaged when they were last asked
    for. calibration_due_ms: from its life in the archive, else as the logger says. interrupted: a
    sentence where a launch had been cut off and this contact has found out how it ended, or "".
    """

    address: Endpoint
    identity: Identity
    state: LoggerState
    clock: ClockDifference
    directory: tuple[DirectoryEntry, ...]
    unstored: tuple[UnstoredReadings, ...]
    plan: Plan | None
    live: tuple[LiveValue, ...]
    point: str
    at_ms: int
    events: tuple[tuple[int, str], ...] = ()
    readings_damaged: int = 0
    calibration_due_ms: int | None = None
    interrupted: str = ""

    @property
    def serial(self) -> str:
        """The serial number that the logger says of itself."""
        return self.identity.serial

    @property
    def readings_to_offload(self) -> int:
        """Readings to offload: on the logger, not in the archive."""
        return sum(part.readings for part in self.unstored)

    @property
    def is_recording(self) -> bool:
        """Whether it records, or waits to begin; a launch would end that."""
        return self.state.state in (State.LOGGING, State.WAITING)

    @property
    def has_just_started(self) -> bool:
        """Whether its mission waits for its start, or was launched JUST_BEGUN_MS ago at most."""
        if self.state.state == State.WAITING:
            return True
        if not self.is_recording or not self.directory:
            return False
        return self.state.clock_ms - self.directory[-1].launched_ms < JUST_BEGUN_MS


@contextmanager
def session_with(
    desk: Workspace, address: Endpoint, expected: str | None = None
) -> Iterator[tuple[LoggerSession, Identity]]:
    """A conversation with the logger at an address; another serial than expected raises."""
    with open_line(address, desk.limits) as line:
        session = LoggerSession(line)
        yield session, session.identify(expected)


def find_on_network(
    desk: Workspace,
    on_found: Callable[[FoundLogger], None] | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    on_courier: Callable[[FoundCourier], None] = lambda _: None,
    limits: TimeLimits = FIND_LIMITS,
) -> list[FoundLogger]:
    """Return the loggers that answer at the addresses of the settings."""
    jobs = [partial(ask, address, desk.clock, limits) for address in desk.addresses()]
    return search(jobs, on_found=on_found, on_courier=on_courier, cancelled=cancelled)


def find_on_cables(
    desk: Workspace,
    paths: Sequence[str],
    report: Tell = lambda _: None,
    on_found: Callable[[FoundLogger], None] | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    on_courier: Callable[[FoundCourier], None] = lambda _: None,
) -> list[FoundLogger]:
    """Return the loggers on serial ports; tell hears what is found out about each port."""
    jobs = [partial(search_port, desk, path, report, cancelled) for path in paths]
    return search(jobs, on_found=on_found, on_courier=on_courier, cancelled=cancelled)


def find_all_loggers(desk: Workspace) -> list[FoundLogger]:
    """Return the loggers that answer on any line."""
    paths = [port.path for port in serial_ports(desk)]
    return find_on_network(desk) + find_on_cables(desk, paths)


def find_serial(desk: Workspace, serial: str) -> Endpoint:
    """Return where one logger answers, on any line. Looking around is hasty, as most places are
    silent; who is wanted by name and did not answer is asked once more, with patience.

    Raises:
        LoggerAwayError: it answers nowhere.
    """
    paths = [port.path for port in serial_ports(desk)]
    looks: tuple[Callable[[], list[FoundLogger]], ...] = (
        lambda: find_on_network(desk),
        lambda: find_on_cables(desk, paths),
        lambda: find_on_network(desk, limits=desk.limits),
    )
    for look in looks:
        for found in look():
            if found.identity.serial == serial:
                return found.address
    raise LoggerAwayError(f"{serial} is not connected; connect it and try again.")


def contact(desk: Workspace, address: Endpoint, expected: str | None = None) -> LoggerCard:
    """Look at one logger and enter its state; failures go into the logbook.

    Raises:
        DeviceError, InputError: it is away, answers nonsense, or is another one.
    """
    try:
        with session_with(desk, address, expected) as (session, identity):
            return read_card(desk, session, identity, address)
    except GezeitenError as exc:
        desk.attempt_failed("contact", expected or str(address), exc)
        raise


def read_card(
    desk: Workspace,
    session: LoggerSession,
    identity: Identity,
    address: Endpoint,
    after_ms: int = BY_HAND_MS,
) -> LoggerCard:
    """Read everything the Field desk shows over an open conversation.

    after_ms: after so long the contact is entered even if it says nothing else than the last.
    """
    clock = session.clock(desk.clock)
    directory = session.directory()
    plan = session.plan()
    events = session.events() if directory else []
    state = session.state()
    live = session.live(identity.model)
    with desk.archive.writing() as db:
        logger = _enter_contact(desk, db, identity, state, clock, after_ms)
        interrupted = settle_launch(desk, db, logger.serial, state, plan, directory)
        pairs = [_readings_to_offload(db, logger, entry) for entry in directory]
        point = place_of(db, identity.serial) or (plan.point_name if plan else "")
        due_ms = _calibration_due(db, logger, state)
    not_kept = [part for part, _ in pairs if part.ranges]
    return LoggerCard(
        address,
        identity,
        state,
        clock,
        tuple(directory),
        tuple(not_kept),
        plan,
        tuple(live),
        point,
        desk.now_ms(),
        tuple(events),
        sum(damaged for _, damaged in pairs),
        due_ms,
        interrupted,
    )


def _calibration_due(db: ArchiveSession, logger: KnownLogger, state: LoggerState) -> int | None:
    """Until when the logger is calibrated: what people noted last counts, else what it says."""
    noted = calibration_noted(db, logger.id)
    if noted is not None:
        return noted
    return state.calibration_due_day * DAY_MS if state.calibration_due_day else None


def _enter_contact(
    desk: Workspace,
    db: ArchiveSession,
    identity: Identity,
    state: LoggerState,
    clock: ClockDifference,
    after_ms: int,
) -> KnownLogger:
    """Enter a contact where it says more than the last one that was entered."""
    logger = last_seen_logger(db, identity.serial)
    told = None
    if logger is not None and logger.state is not None and logger.seen_ms is not None:
        told = LoggerSighting(logger.seen_ms, logger.state, logger.clock_difference_ms)
    logger_sighting = LoggerSighting(desk.now_ms(), asdict(state), clock.difference_ms)
    if logger is None or is_news(told, logger_sighting, after_ms):
        desk.do_within(
            db,
            LoggerContacted(
                identity.serial,
                identity.model.name,
                identity.firmware,
                State(state.state).name.lower(),
                asdict(state),
                clock.difference_ms,
                clock.uncertainty_ms,
            ),
        )
        logger = last_seen_logger(db, identity.serial)
    assert logger is not None
    return logger


def _readings_to_offload(
    db: ArchiveSession, logger: KnownLogger, entry: DirectoryEntry
) -> tuple[UnstoredReadings, int]:
    """Return what of a mission is not kept, and how much of that arrived damaged."""
    stored, damaged = stored_and_damaged_ranges(db, logger.id, entry.mission, entry.launched_ms)
    open_ranges = merged(missing(entry.numbers_in_memory, stored))
    intact = [part for whole in open_ranges for part in missing(whole, damaged)]
    return UnstoredReadings(entry, tuple(open_ranges)), size(open_ranges) - size(intact)


def blink(desk: Workspace, address: Endpoint, serial: str) -> None:
    """Let a logger blink so that it is found among others."""
    with session_with(desk, address, serial) as (session, _):
        session.command(LoggerCommand.BLINK)
    desk.do(LoggerBlinked(serial))


def present_readings(desk: Workspace, address: Endpoint, serial: str) -> list[LiveValue]:
    """Return what every channel reads now, in the model's order; nothing is written down."""
    with session_with(desk, address, serial) as (session, identity):
        return session.live(identity.model)


def self_check(desk: Workspace, address: Endpoint, serial: str) -> LoggerCard:
    """Let a logger check its sensors and return it as it is then."""
    with session_with(desk, address, serial) as (session, identity):
        session.command(LoggerCommand.SELF_CHECK)
        card = read_card(desk, session, identity, address)
    desk.do(SensorsChecked(serial, card.state.self_check == SELF_CHECK_GOOD))
    return card
