"""Plans and ties out of the archive, kept under names."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import Offload, PlanRow, StoredImportTemplate
from gezeiten.domain.facts.stored import StoredPlan
from gezeiten.domain.plan.plan import plan_from_dict


def stored_plans(session: Session) -> list[StoredPlan]:
    """Return all kept plans, by name."""
    return [_plan_view(row) for row in session.scalars(select(PlanRow).order_by(PlanRow.name))]


def plan_named(session: Session, name: str) -> StoredPlan | None:
    """Return the plan kept under a name, None where there is none."""
    row = session.scalars(select(PlanRow).filter_by(name=name)).first()
    return _plan_view(row) if row else None


def _plan_view(row: PlanRow) -> StoredPlan:
    plan = plan_from_dict(row.plan)
    return StoredPlan(row.uid, row.name, row.model, plan, row.changed_ms, row.changed_by)


def stored_import_templates(session: Session) -> list[dict[str, Any]]:
    """Return the kept ties as dicts, those used last first."""
    taken = select(Offload.at_ms, Offload.reading).where(Offload.reading.is_not(None))
    used = {
        str(reading.get("kind") or reading["name"]): at_ms
        for at_ms, reading in session.execute(taken.order_by(Offload.at_ms))
        if reading
    }
    rows = session.scalars(select(StoredImportTemplate)).all()
    return [row.tie for row in sorted(rows, key=lambda r: -max(r.changed_ms, used.get(r.name, 0)))]


def find_import_template(session: Session, name: str) -> tuple[str, dict[str, Any]] | None:
    """Return id and dict of the tie kept under a name, None where there is none."""
    row = session.scalars(select(StoredImportTemplate).filter_by(name=name)).first()
    return (row.uid, row.tie) if row else None
