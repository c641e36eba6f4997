"""The round of visits under way, out of the archive."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import RoundTask, VisitRound


@dataclass(frozen=True, slots=True)
class StoredTask:
    """What is to be done at one point. id: this database's key, uid: its name for ever; plan: to be
    launched there; omitted_because: why it was not done."""

    id: int
    uid: str
    round: str
    point_id: int
    plan: dict[str, Any] | None
    omitted_because: str


@dataclass(frozen=True, slots=True)
class StoredRound:
    """A round as it was made."""

    id: int
    uid: str
    day_ms: int
    planned_ms: int
    planned_by: str
    tasks: tuple[StoredTask, ...]


def find_open_round(session: Session) -> StoredRound | None:
    """Return the round that was made last and is not closed, None without one."""
    query = select(VisitRound).filter_by(closed_ms=None).order_by(VisitRound.id.desc()).limit(1)
    row = session.scalars(query).first()
    if row is None:
        return None
    tasks = tuple(_task(task) for task in row.tasks)
    return StoredRound(row.id, row.uid, row.day_ms, row.made_ms, row.made_by, tasks)


def stored_task(session: Session, task_id: int) -> StoredTask:
    """Return a task of a round by this database's key."""
    return _task(session.get_one(RoundTask, task_id))


def _task(row: RoundTask) -> StoredTask:
    return StoredTask(row.id, row.uid, row.round.uid, row.point_id, row.plan, row.left_out or "")
