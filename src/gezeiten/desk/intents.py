"""Launches under way: noted before the first change, settled when it is known how they ended.

A launch that is cut off leaves its note. The next contact compares the note with what the logger
says, so that the archive always knows whether it is in the old mission or in the new one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.intake import find_logger, find_point
from gezeiten.archive.tables import LaunchIntent, Logger, Mission
from gezeiten.desk.context import Desk
from gezeiten.domain.plan import Plan, differences, plan_from_dict
from gezeiten.link.registers import LoggerState, State
from gezeiten.link.session import DirectoryEntry, Identity


def note_intent(
    desk: Desk, identity: Identity, plan: Plan, old_mission: int, accepted: Mapping[str, str]
) -> None:
    """Note that a launch begins; a note left by an earlier try is replaced."""
    with desk.archive.writing() as db:
        logger = find_logger(db, identity.serial, identity.model.name, identity.firmware)
        _drop(db, logger)
        db.add(
            LaunchIntent(
                logger_id=logger.id,
                at_ms=desk.now_ms(),
                person=desk.person,
                plan=plan.as_dict(),
                old_mission=old_mission,
                accepted=dict(accepted),
            )
        )


def forget_intent(desk: Desk, serial: str) -> None:
    """The launch did not happen, and that is known: the logger refused it."""
    with desk.archive.writing() as db:
        logger = db.scalars(select(Logger).filter_by(serial=serial)).first()
        if logger is not None:
            _drop(db, logger)


def _drop(db: Session, logger: Logger) -> None:
    known = db.scalars(select(LaunchIntent).filter_by(logger_id=logger.id)).first()
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
    """Find out how a launch ended that was cut off; returns it as a sentence, "" without one."""
    intent = db.scalars(select(LaunchIntent).filter_by(logger_id=logger.id)).first()
    if intent is None:
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
    """Enter a mission that a launch has begun, and where its logger is now."""
    point = find_point(db, plan.point_name)
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
    db.add(
        Mission(
            logger_id=logger.id,
            point_id=point.id,
            number=entry.mission,
            launched_ms=entry.launched_ms,
            first_ms=entry.first_ms,
            interval_ms=entry.interval_ms,
            plan=plan.as_dict(),
        )
    )
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
