"""Launching: the checks before it, the launch in its order, the plan read back and compared."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from sqlalchemy import select

from gezeiten.archive.intake import POINT_SEPARATOR, find_logger, find_point
from gezeiten.archive.tables import Logger, Mission, Site
from gezeiten.desk.contact import LoggerCard, read_card, session_with
from gezeiten.desk.context import Desk
from gezeiten.desk.offloading import take_all
from gezeiten.domain.outlook import Outlook, outlook
from gezeiten.domain.plan import Plan, check_plan, differences, first_due_ms, plan_from_dict
from gezeiten.domain.timeline import DAY_MS, duration_text
from gezeiten.errors import GezeitenError, LoggerRefusedError, NotKeptError, PlanError
from gezeiten.link.modbus import Address
from gezeiten.link.registers import Command
from gezeiten.link.session import Identity, LoggerSession

CLOCK_WORTH_A_LOOK_MS = 30_000
LOW_BATTERY = 0.15

Weight = Literal["passed", "look", "blocking", "note"]


@dataclass(frozen=True, slots=True)
class Check:
    """One sentence of the list before launch."""

    weight: Weight
    sentence: str


@dataclass(frozen=True, slots=True)
class Launched:
    """What a launch did: the mission's number and its first reading by the logger's clock."""

    serial: str
    mission: int
    first_ms: int
    plan: Plan


def usual_plan(desk: Desk, card: LoggerCard) -> Plan:
    """Return the plan to start from: as the last mission here, else all channels every 10 min."""
    with desk.archive.reading() as session:
        logger = session.scalars(select(Logger).filter_by(serial=card.serial)).first()
        query = select(Mission).order_by(Mission.launched_ms.desc()).limit(1)
        last = None
        if logger and logger.point_id:
            last = session.scalars(query.filter_by(point_id=logger.point_id)).first()
        if last is None and logger:
            last = session.scalars(query.filter_by(logger_id=logger.id)).first()
    if last is not None:
        return replace(plan_from_dict(last.plan), start="next_interval", start_ms=0)
    if card.plan is not None:
        return replace(card.plan, start="next_interval", start_ms=0)
    channels = tuple(spec.key for spec in card.identity.model.channels)
    interval_s = max(600, card.identity.model.shortest_interval_s)
    return Plan(channels, interval_s, point_name=card.point)


def next_visit_ms(desk: Desk, point_name: str) -> int | None:
    """Return when the site of a point is visited next."""
    site_name = point_name.split(POINT_SEPARATOR)[0].strip()
    with desk.archive.reading() as session:
        return session.scalars(select(Site.next_visit_ms).filter_by(name=site_name)).first()


def mission_outlook(desk: Desk, card: LoggerCard, plan: Plan) -> Outlook:
    """Return the outlook of a plan on this logger, against the next visit."""
    now = desk.now_ms()
    due_day = card.state.calibration_due_day
    return outlook(
        card.identity.model,
        plan,
        first_ms=first_due_ms(plan, now),
        now_ms=now,
        charge=card.state.battery_permille / 1000,
        calibration_due_ms=due_day * DAY_MS if due_day else None,
        visit_ms=next_visit_ms(desk, plan.point_name),
    )


def checks_before_launch(desk: Desk, card: LoggerCard, plan: Plan) -> list[Check]:
    """Return the list of checks, blocking ones first."""
    checks = [_kept_check(card)]
    checks += [
        Check("blocking", fault.sentence)
        for fault in check_plan(plan, card.identity.model, desk.now_ms())
    ]
    if not plan.point_name.strip():
        checks.append(Check("blocking", "The plan names no point; say where the logger goes."))
    checks.append(_clock_check(card))
    checks.append(_battery_check(card))
    if not any(check.weight == "blocking" for check in checks[1:]):
        checks += _outlook_checks(desk, card, plan)
    if card.is_recording:
        checks.append(Check("note", f"Mission {card.state.mission_number} is stopped first."))
    checks.append(Check("note", "Launching sets the clock and erases the logger's memory."))
    order = {"blocking": 0, "look": 1, "passed": 2, "note": 3}
    return sorted(checks, key=lambda check: order[check.weight])


def _kept_check(card: LoggerCard) -> Check:
    just_come = card.readings_just_come
    count = card.readings_not_kept - just_come
    if count:
        return Check(
            "blocking",
            f"{count} readings on {card.serial} are not in the archive; offload them first.",
        )
    if just_come:
        words = "All older readings are kept; the newest are fetched once it is stopped."
        return Check("passed", words)
    return Check("passed", f"All readings on {card.serial} are kept.")


def _clock_check(card: LoggerCard) -> Check:
    off = card.clock.difference_ms
    if abs(off) >= CLOCK_WORTH_A_LOOK_MS:
        ahead = "ahead of" if off > 0 else "behind"
        length = duration_text(round(abs(off)))
        return Check("look", f"Its clock is {length} {ahead} this computer's.")
    return Check("passed", f"Its clock agrees with this computer's ({off / 1000:+.1f} s).")


def _battery_check(card: LoggerCard) -> Check:
    percent = card.state.battery_permille / 10
    if percent < LOW_BATTERY * 100:
        return Check("look", f"Battery {percent:.0f} %; have a fresh one at hand.")
    return Check("passed", f"Battery {percent:.0f} %.")


def _outlook_checks(desk: Desk, card: LoggerCard, plan: Plan) -> list[Check]:
    look = mission_outlook(desk, card, plan)
    visit = next_visit_ms(desk, plan.point_name)
    if visit is None:
        return []
    checks = []
    for name, end_ms in (("Memory", look.memory_full_ms), ("Battery", look.battery_empty_ms)):
        if end_ms is None:
            continue
        spare = end_ms - visit
        if spare < 0:
            words = f"{name} ends {duration_text(-spare)} before the next visit."
            checks.append(Check("look", words))
        else:
            words = f"{name} lasts {duration_text(spare)} beyond the next visit."
            checks.append(Check("passed", words))
    return checks


def launch(desk: Desk, address: Address, serial: str, plan: Plan) -> Launched:
    """Stop what runs, set the clock, send the plan, launch, read back, compare, record.

    Nothing is erased before the logger was asked once more what it holds and all of it is kept.

    Raises:
        NotKeptError: the logger holds readings that the archive does not.
        PlanError: the plan does not fit.
        DeviceError: the logger refused, is another one, or went away.
    """
    try:
        with session_with(desk, address, serial) as (session, identity):
            return _launch(desk, session, identity, address, plan)
    except GezeitenError as exc:
        desk.log_alone("launch failed", serial, str(exc), plan=plan.as_dict())
        raise


def _launch(
    desk: Desk, session: LoggerSession, identity: Identity, address: Address, plan: Plan
) -> Launched:
    card = read_card(desk, session, identity, address)
    blocking = [c for c in checks_before_launch(desk, card, plan) if c.weight == "blocking"]
    if card.readings_not_kept - card.readings_just_come:
        raise NotKeptError(blocking[0].sentence)
    if blocking:
        raise PlanError(blocking[0].sentence)
    # the plan goes over and is read back before anything on the logger changes
    session.stage_plan(plan)
    if session.staged_plan() != plan:
        raise LoggerRefusedError(
            f"{card.serial} refused: it holds no whole plan; nothing on it was changed."
        )
    if card.is_recording:
        _stop_whole(desk, session, identity, address)
    session.command(Command.SET_CLOCK, desk.now_ms())
    session.command(Command.LAUNCH)
    taken = session.plan()
    if taken is None or differences(plan, taken):
        raise LoggerRefusedError(
            f"{card.serial} took another plan than the one sent; launch it again."
        )
    return _record_launch(desk, session, identity, address, taken)


def _stop_whole(desk: Desk, session: LoggerSession, identity: Identity, address: Address) -> None:
    """Stop the mission and fetch the readings that came since; all must be kept to go on."""
    session.command(Command.STOP)
    take_all(desk, session, read_card(desk, session, identity, address))
    card = read_card(desk, session, identity, address)
    if card.readings_not_kept:
        raise NotKeptError(
            f"{card.readings_not_kept} readings of {card.serial} could not be fetched; it is "
            "stopped and keeps them, offload it and launch again."
        )


def _record_launch(
    desk: Desk, session: LoggerSession, identity: Identity, address: Address, plan: Plan
) -> Launched:
    [entry] = session.directory()
    with desk.archive.writing() as db:
        logger = find_logger(db, identity.serial, identity.model.name, identity.firmware)
        point = find_point(db, plan.point_name)
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
            identity.serial,
            f"Mission {entry.mission} launched for {plan.point_name}; plan read back, the same.",
            mission=entry.mission,
            first_ms=entry.first_ms,
            plan=plan.as_dict(),
        )
    read_card(desk, session, identity, address)
    return Launched(identity.serial, entry.mission, entry.first_ms, plan)


def stop(desk: Desk, address: Address, serial: str) -> None:
    """Stop the mission of a logger; its memory stays as it is."""
    try:
        with session_with(desk, address, serial) as (session, identity):
            session.command(Command.STOP)
            read_card(desk, session, identity, address)
    except GezeitenError as exc:
        desk.log_alone("stop failed", serial, str(exc))
        raise
    desk.log_alone("stop", serial, f"The mission of {serial} was stopped.")
