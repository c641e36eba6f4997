"""The plan to start from, names by pattern, and plans kept under names: kept, found, handed on."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from gezeiten.archive.queries import missions
from gezeiten.archive.queries import plans as kept_in
from gezeiten.archive.queries.sites import zone_of
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.actions.plans import PlanDeleted, PlanRenamed, PlanSaved
from gezeiten.domain.base.naming import mission_name, name_fault
from gezeiten.domain.facts.sites import split_name
from gezeiten.domain.facts.stored import StoredPlan
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.timeline import from_ms
from gezeiten.errors import InputError
from gezeiten.exchange.plan_file import NamedPlan, read_plan_file, write_plan_file


def usual_plan(desk: Workspace, card: LoggerCard) -> Plan:
    """Return the plan to start from: as the last mission here, else all channels every 10 min."""
    last = latest_plan(desk, card)
    if last is not None:
        return relaunchable_plan(last)
    channels = tuple(spec.key for spec in card.identity.model.channels)
    interval_s = max(600, card.identity.model.shortest_interval_s)
    plan = Plan(channels, interval_s, point_name=card.point)
    return replace(plan, mission_name=pattern_name(desk, card, card.point))


def relaunchable_plan(plan: Plan) -> Plan:
    """Return a plan fit to be launched once more: a start at a set time has passed, its end too."""
    if plan.start == "at":
        plan = replace(plan, start="next_interval", start_ms=0)
    return replace(plan, end="full", end_ms=0) if plan.end == "at" else plan


def latest_plan(desk: Workspace, card: LoggerCard) -> Plan | None:
    """Return the plan of the last mission at the logger's point, else the logger's own last."""
    with desk.archive.reading() as session:
        return missions.latest_plan_of_logger(session, card.serial) or card.plan


def latest_plan_at(desk: Workspace, point_name: str) -> Plan | None:
    """Return the plan of the last mission at a point, None where there was none."""
    with desk.archive.reading() as session:
        return missions.latest_plan_at_point(session, *split_name(point_name))


def pattern_name(desk: Workspace, card: LoggerCard, point_name: str, zone: str = "") -> str:
    """Return the mission name that the pattern of the settings gives at a point now.

    zone: of the site where it is known already; else it is looked up.
    """
    site, point = split_name(point_name)
    if not zone:
        with desk.archive.reading() as session:
            zone = zone_of(session, site)
    return mission_name(
        desk.settings.name_pattern,
        from_ms(desk.now_ms(), zone),
        site=site,
        point=point,
        serial=card.serial,
        model=card.identity.model.name,
        mission=card.state.mission_number + 1,
    )


# -- plans kept under names ----------------------------------------------------------------------
def stored_plans(desk: Workspace, search: str = "") -> list[StoredPlan]:
    """Return the kept plans whose name, model, point or remark hold all words of a search."""
    with desk.archive.reading() as session:
        plans = kept_in.stored_plans(session)
    words = search.casefold().split()
    return [stored for stored in plans if all(word in _searched(stored) for word in words)]


def _searched(kept: StoredPlan) -> str:
    plan = kept.plan
    parts = (kept.name, kept.model, plan.point_name, plan.mission_name, plan.remark)
    return " ".join(parts).casefold()


def save_plan(
    desk: Workspace, name: str, plan: Plan, model: str, *, replacing: bool = False
) -> None:
    """Keep a plan under a name.

    Raises:
        InputError: no name, one that cannot be, or one that is taken and not `replacing`.
    """
    cleaned = " ".join(name.split())
    fault = name_fault(cleaned)
    if not cleaned or len(cleaned) > 80 or fault:
        raise InputError(fault or "A saved plan needs a name of up to 80 characters; type one.")
    with desk.archive.writing() as session:
        there = kept_in.plan_named(session, cleaned)
        replaced = there if replacing else None
        uid = replaced.uid if replaced else fresh_id()
        before = replaced.plan.as_dict() if replaced else None
        desk.do_within(session, PlanSaved(uid, cleaned, model, plan.as_dict(), before))


def rename_plan(desk: Workspace, plan: StoredPlan, name: str) -> None:
    """Give a kept plan another name.

    Raises:
        InputError: no name, or one that is taken.
    """
    cleaned = " ".join(name.split())
    if not cleaned or name_fault(cleaned):
        raise InputError(f"“{cleaned}” cannot be the name of this plan; choose another name.")
    if cleaned != plan.name:
        desk.do(PlanRenamed(plan.uid, plan.name, cleaned))


def delete_plan(desk: Workspace, plan: StoredPlan) -> None:
    """Take a kept plan away; the logbook has what it was."""
    desk.do(PlanDeleted(plan.uid, plan.name, plan.model, plan.plan.as_dict()))


def export_plan(desk: Workspace, plan: StoredPlan, path: Path) -> Path:
    """Write a kept plan as a file that others can take in."""
    with translated(desk.archive.folder):
        return write_plan_file(NamedPlan(plan.name, plan.model, plan.plan), path)


def import_plans(desk: Workspace, paths: list[Path]) -> list[str]:
    """Keep the plans of files; returns their names. A taken name gets a number behind it.

    Raises:
        InputError: a file is no plan; those before it are kept.
    """
    names = []
    for path in paths:
        with translated(desk.archive.folder):
            named = read_plan_file(path)
        name = _free_name(desk, named.name)
        save_plan(desk, name, named.plan, named.model)
        names.append(name)
    return names


def _free_name(desk: Workspace, wanted: str) -> str:
    used = {stored.name for stored in stored_plans(desk)}
    name, number = wanted, 2
    while name in used:
        name, number = f"{wanted} ({number})", number + 1
    return name
