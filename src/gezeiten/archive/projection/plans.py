"""Plans and ties kept under names, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    add,
    change,
    update_by_uid,
)
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

_PLANS, _TEMPLATES = PlanRow.__table__, StoredImportTemplate.__table__


def _apply_plan_saved(connection: Connection, action: PlanSaved, authorship: Authorship) -> None:
    by = {"changed_ms": authorship.at_ms, "changed_by": authorship.person}
    if action.before is None:
        add(
            connection,
            _PLANS,
            uid=action.plan,
            name=action.name,
            model=action.model,
            plan=action.kept,
            **by,
        )
    else:
        update_by_uid(connection, _PLANS, action.plan, model=action.model, plan=action.kept, **by)


def _plan_renamed(
    connection: Connection, action: PlanRenamed, _authorship: Authorship
) -> Conflicts:
    return change(connection, _PLANS, action.plan, [Change("name", action.before, action.after)])


def _plan_dropped(connection: Connection, action: PlanDeleted, _authorship: Authorship) -> None:
    connection.execute(delete(PlanRow).where(PlanRow.uid == action.plan))


def _apply_template_saved(
    connection: Connection, action: ImportTemplateSaved, authorship: Authorship
) -> None:
    by = {"changed_ms": authorship.at_ms, "changed_by": authorship.person}
    if action.before is None:
        add(connection, _TEMPLATES, uid=action.tie, name=action.name, tie=action.kept, **by)
    else:
        update_by_uid(connection, _TEMPLATES, action.tie, tie=action.kept, **by)


def _apply_template_deleted(
    connection: Connection, action: ImportTemplateDeleted, _authorship: Authorship
) -> None:
    connection.execute(delete(StoredImportTemplate).where(StoredImportTemplate.uid == action.tie))


def _refuse_plan_renamed(connection: Connection, action: PlanRenamed) -> None:
    query = select(PlanRow.id).where(PlanRow.name == action.after, PlanRow.uid != action.plan)
    if connection.execute(query).first():
        raise InputError(f"“{action.after}” cannot be the name of this plan; choose another name.")


def _refuse_plan(connection: Connection, action: PlanSaved) -> None:
    query = select(PlanRow.id).where(PlanRow.name == action.name, PlanRow.uid != action.plan)
    if connection.execute(query).first():
        raise InputError(
            f"There is already a saved plan “{action.name}”; replace it or choose another name."
        )


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
