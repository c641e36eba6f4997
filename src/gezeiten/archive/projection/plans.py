"""Plans and ties kept under names, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select

from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, change, update_by_uid
from gezeiten.archive.store.tables import PlanRow, StoredImportTemplate
from gezeiten.domain.actions.base import Change
from gezeiten.domain.actions.plans import (
    ImportTemplateDeleted,
    ImportTemplateSaved,
    PlanDeleted,
    PlanRenamed,
    PlanSaved,
)
from gezeiten.errors import InputError

_PLANS, _TIES = PlanRow.__table__, StoredImportTemplate.__table__


def _apply_plan_saved(connection: Connection, act: PlanSaved, said: Authorship) -> None:
    by = {"changed_ms": said.at_ms, "changed_by": said.person}
    if act.before is None:
        add(connection, _PLANS, uid=act.plan, name=act.name, model=act.model, plan=act.kept, **by)
    else:
        update_by_uid(connection, _PLANS, act.plan, model=act.model, plan=act.kept, **by)


def _plan_renamed(connection: Connection, act: PlanRenamed, _said: Authorship) -> Misfits:
    return change(connection, _PLANS, act.plan, [Change("name", act.before, act.after)])


def _plan_dropped(connection: Connection, act: PlanDeleted, _said: Authorship) -> None:
    connection.execute(delete(PlanRow).where(PlanRow.uid == act.plan))


def _apply_template_saved(
    connection: Connection, act: ImportTemplateSaved, said: Authorship
) -> None:
    by = {"changed_ms": said.at_ms, "changed_by": said.person}
    if act.before is None:
        add(connection, _TIES, uid=act.tie, name=act.name, tie=act.kept, **by)
    else:
        update_by_uid(connection, _TIES, act.tie, tie=act.kept, **by)


def _apply_template_deleted(
    connection: Connection, act: ImportTemplateDeleted, _said: Authorship
) -> None:
    connection.execute(delete(StoredImportTemplate).where(StoredImportTemplate.uid == act.tie))


def _refuse_plan_renamed(connection: Connection, act: PlanRenamed) -> None:
    query = select(PlanRow.id).where(PlanRow.name == act.after, PlanRow.uid != act.plan)
    if connection.execute(query).first():
        raise InputError(f"“{act.after}” cannot name this plan; choose another name.")


def _refuse_plan(connection: Connection, act: PlanSaved) -> None:
    query = select(PlanRow.id).where(PlanRow.name == act.name, PlanRow.uid != act.plan)
    if connection.execute(query).first():
        raise InputError(f"A plan “{act.name}” is kept already; replace it or choose a name.")


FAMILY = Family(
    {
        PlanSaved: _apply_plan_saved,
        PlanRenamed: _plan_renamed,
        PlanDeleted: _plan_dropped,
        ImportTemplateSaved: _apply_template_saved,
        ImportTemplateDeleted: _apply_template_deleted,
    },
    {PlanSaved: _refuse_plan, PlanRenamed: _refuse_plan_renamed},
)
