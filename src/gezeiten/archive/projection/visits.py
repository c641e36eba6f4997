"""Rounds and their tasks, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    add,
    change,
    key_of,
    update_by_uid,
)
from gezeiten.archive.store.tables import Point, RoundTask, Site, VisitRound
from gezeiten.domain.actions.base import Change
from gezeiten.domain.actions.visits import RoundClosed, RoundMade, TaskOmitted, TaskPlanned

_ROUNDS, _TASKS = VisitRound.__table__, RoundTask.__table__


def _apply_round_planned(connection: Connection, action: RoundMade, authorship: Authorship) -> None:
    add(
        connection,
        _ROUNDS,
        uid=action.round,
        day_ms=action.day_ms,
        made_ms=authorship.at_ms,
        made_by=authorship.person,
    )
    made = key_of(connection, _ROUNDS, action.round)
    for position, task in enumerate(action.tasks):
        point = key_of(connection, Point.__table__, task.point)
        add(
            connection,
            _TASKS,
            uid=task.task,
            round_id=made,
            point_id=point,
            position=position,
            plan=task.plan,
        )


def _task_planned(
    connection: Connection, action: TaskPlanned, _authorship: Authorship
) -> Conflicts:
    return change(connection, _TASKS, action.task, [Change("plan", action.before, action.after)])


def _apply_task_omitted(
    connection: Connection, action: TaskOmitted, _authorship: Authorship
) -> Conflicts:
    changed = Change("left_out", action.before, action.after or None)
    return change(connection, _TASKS, action.task, [changed])


def _round_closed(connection: Connection, action: RoundClosed, authorship: Authorship) -> Conflicts:
    update_by_uid(connection, _ROUNDS, action.round, closed_ms=authorship.at_ms)
    conflicts: Conflicts = []
    for visit in action.visits:
        changed = Change("next_visit_ms", visit.before_ms, visit.after_ms)
        conflicts += change(connection, Site.__table__, visit.site, [changed])
    return conflicts


FAMILY = Family(
    {
        RoundMade: _apply_round_planned,
        TaskPlanned: _task_planned,
        TaskOmitted: _apply_task_omitted,
        RoundClosed: _round_closed,
    },
    {},
)
