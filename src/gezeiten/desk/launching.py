"""Launching: in which order, what is refused, read back and recorded; stopping; launching again.

The logger itself refuses to erase what was not fetched: a launch names how many readings the
archive knows of. Stop, clock, erase and begin are one act of the logger, so a launch that is cut
off at any message leaves it in the old mission or in the new one (`intents` tells which).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gezeiten.archive.intake import find_logger
from gezeiten.desk.checks import CLOCK_KEY, Check, checks_before_launch
from gezeiten.desk.contact import LoggerCard, read_card, session_with
from gezeiten.desk.context import Desk
from gezeiten.desk.intents import book_mission, forget_intent, note_intent
from gezeiten.desk.offloading import take_all
from gezeiten.desk.pins import unlock
from gezeiten.domain.plan import Plan, differences
from gezeiten.errors import (
    GezeitenError,
    LoggerLockedError,
    LoggerRefusedError,
    NotAcceptedError,
    NotKeptError,
    PlanError,
    WrongLoggerError,
)
from gezeiten.link.line import Endpoint
from gezeiten.link.registers import Command, LoggerState, Refusal
from gezeiten.link.session import Identity, LoggerSession

_TRIES = 3
"""Launches of a logger that goes on recording before it is stopped to hold still."""

_LOOKS = 3
"""Looks at what is missing, and fetches of it, in one try."""

NOTHING_ACCEPTED: Mapping[str, str] = {}


@dataclass(frozen=True, slots=True)
class Launched:
    """What a launch did: the mission's number, its first reading by the logger's clock (0 while it
    waits for its button), the plan read back and the state after it."""

    serial: str
    mission: int
    first_ms: int
    plan: Plan
    state: LoggerState


def launch(
    desk: Desk,
    address: Endpoint,
    serial: str,
    plan: Plan,
    accepted: Mapping[str, str] = NOTHING_ACCEPTED,
    label: str = "",
) -> Launched:
    """Fetch what came just now, send the plan, launch, read back, compare, record.

    Args:
        accepted: words why, by the keys of the checks they accept.
        label: the last digits as read from the case; another logger's are refused.

    Raises:
        NotKeptError: the logger holds readings that the archive does not.
        NotAcceptedError: something wants a word first.
        PlanError: the plan does not fit.
        DeviceError: the logger refused, is locked, is another one, or went away.
    """
    try:
        with session_with(desk, address, serial) as (session, identity):
            return _launch(desk, session, identity, address, plan, accepted, label)
    except GezeitenError as exc:
        desk.log_alone("launch failed", serial, str(exc), plan=plan.as_dict())
        raise


def _launch(
    desk: Desk,
    session: LoggerSession,
    identity: Identity,
    address: Endpoint,
    plan: Plan,
    accepted: Mapping[str, str],
    label: str,
) -> Launched:
    unlock(desk, session, identity.serial)
    card = read_card(desk, session, identity, address)
    doubted = {c.key for c in checks_before_launch(desk, card, plan) if c.weight == "look"}
    # a word given for several loggers counts, and is recorded, where there was something to accept
    accepted = {key: word for key, word in accepted.items() if key in doubted}
    _refuse(card, checks_before_launch(desk, card, plan, accepted, label))
    # the plan goes over and is read back before anything on the logger changes
    session.stage_plan(plan)
    if session.staged_plan() != plan:
        raise LoggerRefusedError(
            f"{card.serial} refused: it holds no whole plan; nothing on it was changed."
        )
    note_intent(desk, identity, plan, card.state.mission_number, accepted)
    try:
        may_lose = card.readings_damaged if "damaged" in accepted else 0
        _begin(desk, session, identity, address, may_lose)
    except (LoggerRefusedError, LoggerLockedError, NotKeptError):
        forget_intent(desk, identity.serial)  # it said so itself: the old mission stands
        raise
    if CLOCK_KEY in accepted:
        desk.computer.trust_from_here()
    return _record(desk, session, identity, address, plan, accepted)


def _refuse(card: LoggerCard, checks: list[Check]) -> None:
    """Raise for the first thing in the way."""
    for check in checks:
        if check.weight == "blocking":
            kind = {"kept": NotKeptError, "label": WrongLoggerError, "pin": LoggerLockedError}
            raise kind.get(check.key, PlanError)(check.sentence)
    wanting = next((check for check in checks if check.wants_word), None)
    if wanting is not None:
        raise NotAcceptedError(f"{card.serial} was not launched: {wanting.sentence}")


def _begin(
    desk: Desk, session: LoggerSession, identity: Identity, address: Endpoint, may_lose: int
) -> None:
    """Launch once everything is fetched; what came meanwhile is fetched too, again and again."""
    for attempt in range(_TRIES + 1):
        if attempt == _TRIES:
            # it records faster than it can be fetched: let it hold still, its memory stays
            session.command(Command.STOP)
        readings = _fetch_rest(desk, session, identity, address, may_lose)
        if readings is None:
            continue
        try:
            session.command(Command.LAUNCH, desk.now_ms(), expected=readings)
        except LoggerRefusedError as exc:
            if exc.reason != Refusal.NOT_ALL_FETCHED or attempt == _TRIES:
                raise
        else:
            return
    raise NotKeptError(
        f"Not all readings of {identity.serial} could be fetched; it is stopped and keeps them, "
        "offload it and launch again."
    )


def _fetch_rest(
    desk: Desk, session: LoggerSession, identity: Identity, address: Endpoint, may_lose: int
) -> int | None:
    """Fetch until a look shows that nothing is missing; returns how many readings the logger held
    at that very look, None while more keep coming.

    Raises:
        NotKeptError: more readings arrive damaged than the `may_lose` somebody has given up.
    """
    for _ in range(_LOOKS):
        card = read_card(desk, session, identity, address, launching=True)
        damaged = card.readings_damaged
        if damaged > may_lose:
            raise NotKeptError(
                f"{damaged} readings of {card.serial} could not be fetched; it keeps them and its "
                "old mission, offload it and launch again."
            )
        if card.readings_not_kept == damaged:
            return card.directory[-1].readings if card.directory else 0
        take_all(desk, session, card)
    return None


def _record(
    desk: Desk,
    session: LoggerSession,
    identity: Identity,
    address: Endpoint,
    plan: Plan,
    accepted: Mapping[str, str],
) -> Launched:
    """Read back what the logger does now, compare it with what was sent, enter the mission."""
    taken = session.plan()
    if taken is None or differences(plan, taken):
        names = ", ".join(differences(plan, taken)) if taken else "everything"
        raise LoggerRefusedError(
            f"{identity.serial} took another plan than the one sent ({names}); launch it again."
        )
    entry = session.directory()[-1]
    with desk.archive.writing() as db:
        logger = find_logger(db, identity.serial, identity.model.name, identity.firmware)
        book_mission(desk, db, logger, entry, taken, accepted, desk.person)
    forget_intent(desk, identity.serial)
    card = read_card(desk, session, identity, address)
    return Launched(identity.serial, entry.mission, entry.first_ms, taken, card.state)


def stop(desk: Desk, address: Endpoint, serial: str) -> None:
    """Stop the mission of a logger; its memory stays as it is."""
    try:
        with session_with(desk, address, serial) as (session, identity):
            unlock(desk, session, serial)
            session.command(Command.STOP)
            read_card(desk, session, identity, address)
    except GezeitenError as exc:
        desk.log_alone("stop failed", serial, str(exc))
        raise
    desk.log_alone("stop", serial, f"The mission of {serial} was stopped.")
