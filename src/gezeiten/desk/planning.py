"""The plan to start from, names by pattern, and plans kept under names: kept, found, handed on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.faults import translated
from gezeiten.archive.intake import POINT_SEPARATOR
from gezeiten.archive.tables import KeptPlan, Logger, Mission, Point, Site
from gezeiten.desk.contact import LoggerCard
from gezeiten.desk.context import Desk
from gezeiten.domain.naming import mission_name, name_fault
from gezeiten.domain.plan import Plan, plan_from_dict
from gezeiten.domain.timeline import from_ms
from gezeiten.errors import InputError
from gezeiten.exchange.plan_file import NamedPlan, read_plan_file, write_plan_file


@dataclass(frozen=True, slots=True)
class Kept:
    """A plan kept under a name; model: of the logger it was made for."""

    id: int
    name: str
    model: str
    plan: Plan
    changed_ms: int
    changed_by: str


def usual_plan(desk: Desk, card: LoggerCard) -> Plan:
    """Return the plan to start from: as the last mission here, else all channels every 10 min."""
    last = last_plan(desk, card)
    if last is not None:
        return again(last)
    channels = tuple(spec.key for spec in card.identity.model.channels)
    interval_s = max(600, card.identity.model.shortest_interval_s)
    fresh = Plan(channels, interval_s, point_name=card.point)
    return replace(fresh, mission_name=pattern_name(desk, card, card.point))


def again(plan: Plan) -> Plan:
    """Return a plan fit to be launched once more: a start at a set time has passed, its end too."""
    if plan.start == "at":
        plan = replace(plan, start="next_interval", start_ms=0)
    return replace(plan, end="full", end_ms=0) if plan.end == "at" else plan


def last_plan(desk: Desk, card: LoggerCard) -> Plan | None:
    """Return the plan of the last mission at the logger's point, else the logger's own last."""
    with desk.archive.reading() as session:
        logger = session.scalars(select(Logger).filter_by(serial=card.serial)).first()
        query = select(Mission).order_by(Mission.launched_ms.desc()).limit(1)
        last = None
        if logger and logger.point_id:
            last = session.scalars(query.filter_by(point_id=logger.point_id)).first()
        if last is None and logger:
            last = session.scalars(query.filter_by(logger_id=logger.id)).first()
        return plan_of(session, last) if last is not None else card.plan


def plan_of(session: Session, mission: Mission) -> Plan:
    """Return the plan of a mission, for its point as that is called now: a point may have been
    renamed or moved since."""
    plan = plan_from_dict(mission.plan)
    point = session.get(Point, mission.point_id) if mission.point_id else None
    if point is None:
        return plan
    return replace(plan, point_name=f"{point.site.name}{POINT_SEPARATOR}{point.name}")


def last_plan_at(desk: Desk, point_name: str) -> Plan | None:
    """Return the plan of the last mission at a point, None where there was none."""
    site_name, _, name = (part.strip() for part in point_name.partition(POINT_SEPARATOR))
    with desk.archive.reading() as session:
        last = session.scalars(
            select(Mission)
            .join(Point, Point.id == Mission.point_id)
            .join(Site, Site.id == Point.site_id)
            .where(Site.name == site_name, Point.name == (name or site_name))
            .order_by(Mission.launched_ms.desc())
            .limit(1)
        ).first()
        return plan_of(session, last) if last else None


def pattern_name(desk: Desk, card: LoggerCard, point_name: str, zone: str = "") -> str:
    """Return the mission name that the pattern of the settings gives at a point now.

    zone: of the site where it is known already; else it is looked up.
    """
    site, _, point = (part.strip() for part in point_name.partition(POINT_SEPARATOR))
    if not zone:
        with desk.archive.reading() as session:
            zone = session.scalars(select(Site.zone).filter_by(name=site)).first() or "UTC"
    return mission_name(
        desk.settings.name_pattern,
        from_ms(desk.now_ms(), zone),
        site=site,
        point=point or site,
        serial=card.serial,
        model=card.identity.model.name,
        mission=card.state.mission_number + 1,
    )


# -- plans kept under names ----------------------------------------------------------------------
def kept_plans(desk: Desk, search: str = "") -> list[Kept]:
    """Return the kept plans whose name, model, point or remark hold all words of a search."""
    with desk.archive.reading() as session:
        rows = session.scalars(select(KeptPlan).order_by(KeptPlan.name)).all()
    found = [
        Kept(row.id, row.name, row.model, plan_from_dict(row.plan), row.changed_ms, row.changed_by)
        for row in rows
    ]
    words = search.casefold().split()
    return [kept for kept in found if all(word in _searched(kept) for word in words)]


def _searched(kept: Kept) -> str:
    plan = kept.plan
    parts = (kept.name, kept.model, plan.point_name, plan.mission_name, plan.remark)
    return " ".join(parts).casefold()


def keep_plan(desk: Desk, name: str, plan: Plan, model: str, *, replacing: bool = False) -> int:
    """Keep a plan under a name and return its id.

    Raises:
        InputError: no name, one that cannot be, or one that is taken and not `replacing`.
    """
    cleaned = " ".join(name.split())
    fault = name_fault(cleaned)
    if not cleaned or len(cleaned) > 80 or fault:
        raise InputError(fault or "A kept plan needs a name of up to 80 letters; type one.")
    with desk.archive.writing() as session:
        row = session.scalars(select(KeptPlan).filter_by(name=cleaned)).first()
        if row is not None and not replacing:
            raise InputError(f"A plan “{cleaned}” is kept already; replace it or choose a name.")
        if row is None:
            row = KeptPlan(name=cleaned)
            session.add(row)
        row.model, row.plan = model, plan.as_dict()
        row.changed_ms, row.changed_by = desk.now_ms(), desk.person
        desk.log(session, "plan kept", cleaned, f"Plan “{cleaned}” kept.", plan=plan.as_dict())
        session.flush()
        return row.id


def rename_kept(desk: Desk, kept: Kept, name: str) -> None:
    """Give a kept plan another name.

    Raises:
        InputError: no name, or one that is taken.
    """
    cleaned = " ".join(name.split())
    with desk.archive.writing() as session:
        taken = session.scalars(select(KeptPlan).filter_by(name=cleaned)).first()
        if not cleaned or name_fault(cleaned) or (taken and taken.id != kept.id):
            raise InputError(f"“{cleaned}” cannot name this plan; choose another name.")
        session.get_one(KeptPlan, kept.id).name = cleaned
        desk.log(session, "plan renamed", cleaned, f"Plan “{kept.name}” is now “{cleaned}”.")


def drop_kept(desk: Desk, kept: Kept) -> None:
    """Take a kept plan away; the logbook has what it was."""
    with desk.archive.writing() as session:
        session.delete(session.get_one(KeptPlan, kept.id))
        words = f"Kept plan “{kept.name}” dropped."
        desk.log(session, "plan dropped", kept.name, words, plan=kept.plan.as_dict())


def export_plan(desk: Desk, kept: Kept, path: Path) -> Path:
    """Write a kept plan as a file that others can take in."""
    with translated(desk.archive.folder):
        return write_plan_file(NamedPlan(kept.name, kept.model, kept.plan), path)


def import_plans(desk: Desk, paths: list[Path]) -> list[str]:
    """Keep the plans of files; returns their names. A taken name gets a number behind it.

    Raises:
        InputError: a file is no plan; those before it are kept.
    """
    names = []
    for path in paths:
        with translated(desk.archive.folder):
            named = read_plan_file(path)
        name = _free_name(desk, named.name)
        keep_plan(desk, name, named.plan, named.model)
        names.append(name)
    return names


def _free_name(desk: Desk, wanted: str) -> str:
    taken = {kept.name for kept in kept_plans(desk)}
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted} ({number})", number + 1
    return name
