"""Plans and ties kept under names, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select

from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, change, put
from gezeiten.archive.store.tables import KeptPlan, KeptTie
from gezeiten.domain.actions.base import Change
from gezeiten.domain.actions.plans import PlanDropped, PlanKept, PlanRenamed, TieForgotten, TieKept
from gezeiten.errors import InputError

_PLANS, _TIES = KeptPlan.__table__, KeptTie.__table__


def _plan_kept(connection: Connection, act: PlanKept, said: Authorship) -> None:
    by = {"changed_ms": said.at_ms, "changed_by": said.person}
    if act.before is None:
        add(connection, _PLANS, uid=act.plan, name=act.name, model=act.model, plan=act.kept, **by)
    else:
        put(connection, _PLANS, act.plan, model=act.model, plan=act.kept, **by)


def _plan_renamed(connection: Connection, act: PlanRenamed, _said: Authorship) -> Misfits:
    return change(connection, _PLANS, act.plan, [Change("name", act.before, act.after)])


def _plan_dropped(connection: Connection, act: PlanDropped, _said: Authorship) -> None:
    connection.execute(delete(KeptPlan).where(KeptPlan.uid == act.plan))


def _tie_kept(connection: Connection, act: TieKept, said: Authorship) -> None:
    by = {"changed_ms": said.at_ms, "changed_by": said.person}
    if act.before is None:
        add(connection, _TIES, uid=act.tie, name=act.name, tie=act.kept, **by)
    else:
        put(connection, _TIES, act.tie, tie=act.kept, **by)


def _tie_forgotten(connection: Connection, act: TieForgotten, _said: Authorship) -> None:
    connection.execute(delete(KeptTie).where(KeptTie.uid == act.tie))


def _refuse_plan_renamed(connection: Connection, act: PlanRenamed) -> None:
    query = select(KeptPlan.id).where(KeptPlan.name == act.after, KeptPlan.uid != act.plan)
    if connection.execute(query).first():
        raise InputError(f"“{act.after}” cannot name this plan; choose another name.")


def _refuse_plan_kept(connection: Connection, act: PlanKept) -> None:
    query = select(KeptPlan.id).where(KeptPlan.name == act.name, KeptPlan.uid != act.plan)
    if connection.execute(query).first():
        raise InputError(f"A plan “{act.name}” is kept already; replace it or choose a name.")


FAMILY = Family(
    {
        PlanKept: _plan_kept, PlanRenamed: _plan_renamed, PlanDropped: _plan_dropped,
        TieKept: _tie_kept, TieForgotten: _tie_forgotten,
    },
    {PlanKept: _refuse_plan_kept, PlanRenamed: _refuse_plan_renamed},
)  # fmt: skip
