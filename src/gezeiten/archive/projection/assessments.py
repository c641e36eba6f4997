"""Excursions told when they were found, and assessments of them, as actions make them. Which there
are now, and for which of them an assessment holds, is found and not kept here
(`archive/local_cache/excursions.py`)."""

from __future__ import annotations

from dataclasses import asdict

from sqlalchemy import Connection, delete, select

from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    add,
    key_of,
    only,
    update_by_uid,
)
from gezeiten.archive.store.tables import AssessmentRow, FoundRow, Logger, Mission, Point
from gezeiten.domain.actions.assessments import (
    AssessmentWithdrawn,
    ExcursionAssessed,
    ExcursionsFound,
)
from gezeiten.domain.actions.missions import MissionName
from gezeiten.domain.limits.limits import limit_rule

_TABLE = AssessmentRow.__table__


def _assessed(
    connection: Connection, action: ExcursionAssessed, authorship: Authorship
) -> Conflicts:
    words = {
        "cause": action.said.cause,
        "words": action.said.words,
        "at_ms": authorship.at_ms,
        "person": authorship.person,
        "seen": asdict(action.seen),
    }
    if action.before is None:
        add(
            connection,
            _TABLE,
            uid=action.assessment,
            point_id=key_of(connection, Point.__table__, action.point),
            mission_id=_mission(connection, action.mission),
            rule=action.rule,
            rule_key=limit_rule(action.rule).key,
            **words,
        )
        return []
    found = only(connection, select(_TABLE).where(AssessmentRow.uid == action.assessment))
    update_by_uid(connection, _TABLE, action.assessment, **words)
    is_as_said = (found.cause, found.words) == (action.before.cause, action.before.words)
    return (
        [] if is_as_said else [f"the assessment was {found.cause!r}, not {action.before.cause!r}"]
    )


def _mission(connection: Connection, name: MissionName) -> int:
    query = (
        select(Mission.id)
        .join(Logger, Logger.id == Mission.logger_id)
        .where(
            Logger.serial == name.serial,
            Mission.number == name.number,
            Mission.launched_ms == name.launched_ms,
        )
    )
    return int(only(connection, query)[0])


def _apply_withdrawn(
    connection: Connection, action: AssessmentWithdrawn, _authorship: Authorship
) -> Conflicts:
    key = connection.execute(
        select(AssessmentRow.id).where(AssessmentRow.uid == action.assessment)
    ).scalar()
    if key is None:
        return ["the excursion had already been reopened"]
    connection.execute(delete(AssessmentRow).where(AssessmentRow.id == key))
    return []


def _apply_found(connection: Connection, action: ExcursionsFound, _authorship: Authorship) -> None:
    point = key_of(connection, Point.__table__, action.point)
    for one in action.found:
        add(
            connection,
            FoundRow.__table__,
            point_id=point,
            mission_id=_mission(connection, one.mission),
            rule_key=limit_rule(one.rule).key,
            start_ms=one.start_ms,
            end_ms=one.end_ms,
            at_ms=one.at_ms,
        )


FAMILY = Family(
    {
        ExcursionsFound: _apply_found,
        ExcursionAssessed: _assessed,
        AssessmentWithdrawn: _apply_withdrawn,
    },
    {},
)
