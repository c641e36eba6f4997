"""Launching: in which order, what is refused, read back and recorded; stopping; launching again.

A launch fetches first whatever the archive does not hold, and is refused where that fails. The
logger itself refuses to erase what was not fetched: a launch names how many readings the archive
knows of. Stop, clock, erase and begin are one action of the logger, so a launch that is cut off at
any message leaves it in the old mission or in the new one (`intents` tells which).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import LoggerCard, read_card, session_with
from gezeiten.desk.logger.launch.intents import (
    Owner,
    enter_launch_begin,
    launch_happened,
    launch_refused,
    owning_launch,
)
from gezeiten.desk.logger.launch.launch_checks import CLOCK_KEY, Check, launch_checks
from gezeiten.desk.logger.offloading import (
    Offloaded,
    merge_offloads,
    offload_connected,
    offload_logger,
)
from gezeiten.desk.logger.pins import unlock
from gezeiten.domain.actions.contacts import MissionStopped
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.plan.plan import Plan, differences
from gezeiten.errors import (
    GezeitenError,
    LoggerLockedError,
    LoggerRefusedError,
    NotAcceptedError,
    NotKeptError,
    PlanError,
    WrongLoggerError,
)
from gezeiten.link.lines.address import Endpoint
from gezeiten.link.registers import LoggerCommand, LoggerState, Refusal
from gezeiten.link.session import Identity, LoggerSession
from gezeiten.link.transfer import UNWATCHED, Watch

_TRIES = 3
"""Launches of a logger that goes on recording before it is stopped to hold still."""

_LOOKS = 3
"""Looks at what is missing, and fetches of it, in one try."""

NOTHING_ACCEPTED: Mapping[str, str] = {}


@dataclass(frozen=True, slots=True)
class LaunchResult:
    """What a launch did: the mission's number, its first reading by the logger's clock (0 while it
    waits for its button), the plan read back, the state after it, and what was offloaded before
    (None where everything was kept)."""

    serial: str
    mission: int
    first_ms: int
    plan: Plan
    state: LoggerState
    offloaded: Offloaded | None = None


def launch(
    desk: Workspace,
    address: Endpoint,
    serial: str,
    plan: Plan,
    accepted: Mapping[str, str] = NOTHING_ACCEPTED,
    label: str = "",
    watch: Watch = UNWATCHED,
) -> LaunchResult:
    """Fetch what is not kept, send the plan, launch, read back, compare, record.

    Args:
        accepted: words why, by the keys of the checks they accept.
        label: the last digits as read from the case; another logger's are refused.
        watch: hears how the fetching goes on, and can stop it; then nothing is launched.

    Raises:
        NotKeptError: not everything on the logger could be fetched.
        NotAcceptedError: something wants a word first.
        PlanError: the plan does not fit.
        DeviceError: the logger refused, is locked, is another one, or went away.
    """
    try:
        with (
            session_with(desk, address, serial) as (session, identity),
            owning_launch(desk, serial) as owner,
        ):
            return _Launch(desk, session, identity, address, owner).run(
                plan, accepted, label, watch
            )
    except _AlreadyReported as told:
        raise told.error from None
    except GezeitenError as exc:
        desk.attempt_failed("launch", serial, exc, plan)
        raise


class _AlreadyReported(Exception):  # noqa: N818 - no error of ours: it carries one
    """A refusal by the logger that the logbook has as the end of the launch."""

    def __init__(self, error: GezeitenError) -> None:
        super().__init__(str(error))
        self.error = error


def _refuse(card: LoggerCard, checks: list[Check]) -> None:
    """Raise for the first thing in the way."""
    for check in checks:
        if check.weight == "blocking":
            kind = {"label": WrongLoggerError, "pin": LoggerLockedError}
            raise kind.get(check.key, PlanError)(check.sentence)
    wanting = next((check for check in checks if check.needs_reason), None)
    if wanting is not None:
        raise NotAcceptedError(f"{card.serial} was not launched: {wanting.sentence}")


@dataclass(frozen=True, slots=True)
class _Launch:
    """One launch over an open conversation, by whoever owns it."""

    desk: Workspace
    session: LoggerSession
    identity: Identity
    address: Endpoint
    owner: Owner
    offloads: list[Offloaded] = field(default_factory=list)

    def run(
        self, plan: Plan, accepted: Mapping[str, str], label: str, watch: Watch
    ) -> LaunchResult:
        """See `launch`."""
        desk, serial = self.desk, self.identity.serial
        unlock(desk, self.session, serial)
        card = self._card()
        if card.readings_to_offload:  # the long part, while nothing has been begun
            checks = launch_checks(desk, card, plan, accepted, label)
            _refuse(card, [check for check in checks if check.key != "damaged"])  # it may heal
            self._fetch(card, watch)
            card = self._card()
        doubted = {c.key for c in launch_checks(desk, card, plan) if c.weight == "look"}
        # a word given for several loggers counts, and is recorded, where there was something
        accepted = {key: word for key, word in accepted.items() if key in doubted}
        _refuse(card, launch_checks(desk, card, plan, accepted, label))
        # the plan goes over and is read back before anything on the logger changes
        self.session.stage_plan(plan)
        if self.session.staged_plan() != plan:
            raise LoggerRefusedError(
                f"{serial} refused: it has no complete plan; nothing on it was changed."
            )
        old = card.state.mission_number
        enter_launch_begin(desk, self.owner, serial, plan, old, accepted)
        try:
            self._launch_after_offload(card.readings_damaged if "damaged" in accepted else 0, watch)
        except (LoggerRefusedError, LoggerLockedError, NotKeptError) as exc:
            launch_refused(desk, self.owner, serial, old, accepted, str(exc))
            raise _AlreadyReported(exc) from exc
        if CLOCK_KEY in accepted:
            desk.computer.restart_watch()
        return self._record(plan, accepted)

    def _card(self) -> LoggerCard:
        return read_card(self.desk, self.session, self.identity, self.address)

    def _fetch(self, card: LoggerCard, watch: Watch) -> None:
        """Fetch what is not kept.

        Raises:
            NotKeptError: it was stopped, or broke off; what came is kept.
        """
        done = offload_connected(self.desk, self.session, card, watch)
        self.offloads.append(done)
        if done.error:
            raise NotKeptError(f"{card.serial} was not launched: {done.error}")

    def _launch_after_offload(self, may_lose: int, watch: Watch) -> None:
        """Launch once everything is fetched; what comes meanwhile is fetched too, and again."""
        for attempt in range(_TRIES + 1):
            if attempt == _TRIES:
                # it records faster than it can be fetched: let it hold still, its memory stays
                self.session.command(LoggerCommand.STOP)
            readings = self._fetch_rest(may_lose, watch)
            if readings is None:
                continue
            try:
                self.session.command(LoggerCommand.LAUNCH, self.desk.now_ms(), expected=readings)
            except LoggerRefusedError as exc:
                if exc.reason != Refusal.NOT_ALL_FETCHED or attempt == _TRIES:
                    raise
            else:
                return
        raise NotKeptError(
            f"Not all readings of {self.identity.serial} could be offloaded; the "
            "logger is stopped and still has them, offload it and launch again."
        )

    def _fetch_rest(self, may_lose: int, watch: Watch) -> int | None:
        """Fetch until a look shows that nothing is missing; returns how many readings the logger
        held at that very look, None while more keep coming.

        Raises:
            NotKeptError: more readings arrive damaged than the `may_lose` somebody has given up.
        """
        for _ in range(_LOOKS):
            card = self._card()
            damaged = card.readings_damaged
            if damaged > may_lose:
                raise NotKeptError(
                    f"{readings_text(damaged)} of {card.serial} could not be offloaded; the "
                    "logger still has them and its old mission, offload it and launch again."
                )
            if card.readings_to_offload == damaged:
                return card.directory[-1].readings if card.directory else 0
            self._fetch(card, watch)
        return None

    def _record(self, plan: Plan, accepted: Mapping[str, str]) -> LaunchResult:
        """Read back what the logger does now, compare it with what was sent, enter the mission."""
        desk, serial = self.desk, self.identity.serial
        running = self.session.plan()
        if running is None or differences(plan, running):
            names = ", ".join(differences(plan, running)) if running else "everything"
            raise LoggerRefusedError(
                f"{serial} stored a different plan from the one sent ({names}); launch it again."
            )
        entry = self.session.directory()[-1]
        launch_happened(desk, self.owner, serial, entry, running, accepted)
        state, received = self._card().state, merge_offloads(self.offloads)
        return LaunchResult(serial, entry.mission, entry.first_ms, running, state, received)


def stop(desk: Workspace, address: Endpoint, serial: str) -> None:
    """Stop the mission of a logger; its memory stays as it is."""
    try:
        with session_with(desk, address, serial) as (session, identity):
            unlock(desk, session, serial)
            session.command(LoggerCommand.STOP)
            read_card(desk, session, identity, address)
    except GezeitenError as exc:
        desk.attempt_failed("stop", serial, exc)
        raise
    desk.do(MissionStopped(serial))


def stop_and_offload(
    desk: Workspace, address: Endpoint, serial: str, watch: Watch = UNWATCHED
) -> Offloaded:
    """Stop the mission of a logger and take what is not kept; its memory stays as it is."""
    stop(desk, address, serial)
    return offload_logger(desk, address, serial, watch)
