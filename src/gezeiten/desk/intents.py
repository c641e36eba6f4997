"""Launches under way: noted before the first change, settled when it is known how they ended.

A launch that is cut off leaves its note. The next contact compares the note with what the logger
says, so that the archive always knows whether it is in the old mission or in the new one. A note
belongs to whoever launches: as long as that program lives, nobody else settles it.
"""

from __future__ import annotations

import os
import secrets
import socket
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.faults import translated
from gezeiten.archive.intake import find_logger, known_mission
from gezeiten.archive.sites import find_point
from gezeiten.archive.tables import LaunchIntent, Logger, Mission
from gezeiten.desk.context import Desk
from gezeiten.domain.plan import Plan, differences, plan_from_dict
from gezeiten.domain.timeline import MINUTE_MS
from gezeiten.errors import LoggerBusyError
from gezeiten.link.registers import LoggerState, State
from gezeiten.link.session import DirectoryEntry, Identity
from gezeiten.link.transfer import lock_incoming

ELSEWHERE_MS = 30 * MINUTE_MS
"""So long a launch of another computer is taken to be under way: its programs cannot be seen."""


@dataclass(frozen=True, slots=True)
class Owner:
    """Who launches a logger: this computer and a token of this one launch."""

    computer: str
    token: str

    def __str__(self) -> str:
        return f"{self.computer}/{self.token}"


@contextmanager
def owning_launch(desk: Desk, serial: str) -> Iterator[Owner]:
    """Be the only one on this computer who launches a logger; ends with the program, however.

    Raises:
        LoggerBusyError: another window or program is launching it.
    """
    owner = Owner(socket.gethostname(), secrets.token_hex(8))
    path = _lock_path(desk, serial)
    with translated(desk.archive.folder):
        lock = lock_incoming(path)
        if lock is None:
            raise LoggerBusyError(
                f"{serial} is being launched by another window or program; wait for it."
            )
        os.truncate(lock, 0)
        os.pwrite(lock, owner.token.encode(), 0)
    try:
        yield owner
    finally:
        path.unlink(missing_ok=True)
        os.close(lock)


def _lock_path(desk: Desk, serial: str) -> Path:
    return desk.archive.incoming / f"{serial}.launching"


def _is_under_way(desk: Desk, serial: str, note: LaunchIntent) -> bool:
    """Whether the program that left a note still launches."""
    computer, _, token = note.owner.partition("/")
    if computer != socket.gethostname():
        return bool(computer) and abs(desk.now_ms() - note.at_ms) < ELSEWHERE_MS
    path = _lock_path(desk, serial)
    try:
        if path.read_text() != token:
            return False
    except FileNotFoundError:
        return False
    lock = lock_incoming(path)
    if lock is None:
        return True
    path.unlink(missing_ok=True)  # its program was killed
    os.close(lock)
    return False


def note_intent(
    desk: Desk,
    owner: Owner,
    identity: Identity,
    plan: Plan,
    old_mission: int,
    accepted: Mapping[str, str],
) -> None:
    """Note that a launch begins; a note left by an earlier try is replaced.

    Raises:
        LoggerBusyError: another computer is launching it.
    """
    with desk.archive.writing() as db:
        logger = find_logger(db, identity.serial, identity.model.name, identity.firmware)
        known = _note(db, logger)
        if known is not None and _is_under_way(desk, identity.serial, known):
            raise LoggerBusyError(
                f"{identity.serial} is being launched by {known.person} at another computer; "
                "wait for it."
            )
        _drop(db, logger)
        db.add(
            LaunchIntent(
                logger_id=logger.id,
                at_ms=desk.now_ms(),
                person=desk.person,
                plan=plan.as_dict(),
                old_mission=old_mission,
                accepted=dict(accepted),
                owner=str(owner),
                state="noted",
            )
        )


def launch_begins(desk: Desk, owner: Owner) -> None:
    """From here the logger is told to launch: what a cut leaves has to be found out."""
    with desk.archive.writing() as db:
        for note in db.scalars(select(LaunchIntent).filter_by(owner=str(owner))):
            note.state = "begun"


def forget_intent(desk: Desk, owner: Owner) -> None:
    """It is known how the owner's launch ended."""
    with desk.archive.writing() as db:
        for note in db.scalars(select(LaunchIntent).filter_by(owner=str(owner))):
            db.delete(note)


def _note(db: Session, logger: Logger) -> LaunchIntent | None:
    return db.scalars(select(LaunchIntent).filter_by(logger_id=logger.id)).first()


def _drop(db: Session, logger: Logger) -> None:
    known = _note(db, logger)
    if known is not None:
        db.delete(known)
        db.flush()


def settle_intent(
    desk: Desk,
    db: Session,
    logger: Logger,
    state: LoggerState,
    plan: Plan | None,
    directory: Sequence[DirectoryEntry],
) -> str:
    """Find out how a launch ended that was cut off; returns it as a sentence, "" without one, and
    while its owner is still at it."""
    intent = _note(db, logger)
    if intent is None or _is_under_way(desk, logger.serial, intent):
        return ""
    wanted = plan_from_dict(intent.plan)
    is_new = state.mission_number > intent.old_mission
    if is_new and plan is not None and directory and not differences(plan, wanted):
        book_mission(desk, db, logger, directory[-1], plan, intent.accepted, intent.person)
        sentence = (
            f"The launch that was cut off has happened: {logger.serial} is in its new mission "
            f"{state.mission_number}."
        )
    elif is_new:
        sentence = (
            f"A launch of {logger.serial} was cut off, and it is in another mission by now; "
            "somebody else has launched it."
        )
    else:
        doing = State(state.state).name.lower().replace("_", " ")
        sentence = (
            f"A launch of {logger.serial} was cut off; it is still in its old mission "
            f"{state.mission_number}, {doing}, and holds everything."
        )
    db.delete(intent)
    desk.log(db, "launch settled", logger.serial, sentence, plan=intent.plan)
    return sentence


def book_mission(
    desk: Desk,
    db: Session,
    logger: Logger,
    entry: DirectoryEntry,
    plan: Plan,
    accepted: Mapping[str, str],
    person: str,
) -> None:
    """Enter a mission that a launch has begun, and where its logger is now.

    The mission may be there already: whoever offloads the logger at that moment enters it too.
    """
    point = find_point(db, plan.point_name, desk.said)
    before = db.scalars(
        select(Logger).where(
            Logger.point_id == point.id, Logger.id != logger.id, Logger.retired_ms.is_(None)
        )
    ).all()
    for other in before:  # one logger a point: the series goes on with this one
        other.point_id = None
        words = f"{logger.serial} takes the place of {other.serial} at {plan.point_name}."
        desk.log(db, "replaced", other.serial, words, by=logger.serial)
    logger.point_id = point.id
    mission = known_mission(db, logger, entry.mission, entry.launched_ms)
    if mission is None:
        mission = Mission(logger_id=logger.id, number=entry.mission, launched_ms=entry.launched_ms)
        mission.first_ms = entry.first_ms
        db.add(mission)
    mission.point_id, mission.plan = point.id, plan.as_dict()
    mission.interval_ms = entry.interval_ms
    desk.log(
        db,
        "launch",
        logger.serial,
        f"Mission {entry.mission} launched for {plan.point_name}; plan read back, the same.",
        mission=entry.mission,
        first_ms=entry.first_ms,
        plan=plan.as_dict(),
        accepted=dict(accepted),
        launched_by=person,
    )
