"""Rounds and their tasks, as acts make them."""

from __future__ import annotations

from sqlalchemy import Connection

from gezeiten.archive.projection.rows import (
    Authorship,
    Family,
    Misfits,
    add,
    change,
    key_of,
    update_by_uid,
)
from gezeiten.archive.store.tables import Point, RoundTask, Site, VisitRound
from gezeiten.domain.actions.base import Change
from gezeiten.domain.actions.visits import RoundClosed, RoundMade, TaskOmitted, TaskPlanned

_ROUNDS, _TASKS = VisitRound.__table__, RoundTask.__table__


def _apply_round_planned(connection: Connection, act: RoundMade, said: Authorship) -> None:
    add(
        connection,
        _ROUNDS,
        uid=act.round,
        day_ms=act.day_ms,
        made_ms=said.at_ms,
        made_by=said.person,
    )
    made = key_of(connection, _ROUNDS, act.round)
    for position, task in enumerate(act.tasks):
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


def _task_planned(connection: Connection, act: TaskPlanned, _said: Authorship) -> Misfits:
    return change(connection, _TASKS, act.task, [Change("plan", act.before, act.after)])


def _apply_task_omitted(connection: Connection, act: TaskOmitted, _said: Authorship) -> Misfits:
    changed = Change("left_out", act.before, act.after or None)
    return change(connection, _TASKS, act.task, [changed])


def _round_closed(connection: Connection, act: RoundClosed, said: Authorship) -> Misfits:
    update_by_uid(connection, _ROUNDS, act.round, closed_ms=said.at_ms)
    misfits: Misfits = []
    for visit in act.visits:
        changed = Change("next_visit_ms", visit.before_ms, visit.after_ms)
        misfits += change(connection, Site.__table__, visit.site, [changed])
    return misfits


FAMILY = Family(
    {
        RoundMade: _apply_round_planned,
        TaskPlanned: _task_planned,
        TaskOmitted: _apply_task_omitted,
        RoundClosed: _round_closed,
    },
    {},
)
