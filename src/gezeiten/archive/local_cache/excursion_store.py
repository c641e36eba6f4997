"""Excursions as this computer finds them, kept beside its readings; and in which state of a record
they were found."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, NamedTuple, TypeAlias

from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.changes import note_detection
from gezeiten.archive.local_cache.excursions import (
    assessed_excursion,
    match_assessments,
    mismatched_assessments,
    mission_names,
    rule_of,
)
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.tables import ExcursionRow, RecordRow
from gezeiten.archive.store.tables import FoundRow, Mission, Point, Site
from gezeiten.domain.actions.assessments import DetectedExcursion
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.limits.assessments import AssessedExcursion
from gezeiten.domain.limits.excursions import Excursion
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.timeline import EVER_MS, Span

FoundNow: TypeAlias = dict[tuple[int, str, int], Excursion]
"""Excursions by mission key, rule and begin (UTC ms)."""
FoundKey: TypeAlias = tuple[str, str, int]
"""Mission (its id), rule and begin of an excursion."""
FoundRows: TypeAlias = dict[FoundKey, tuple[LimitRule, AssessedExcursion]]


@dataclass(frozen=True, slots=True)
class SearchScope:
    """Where excursions were looked for: those of a rule that begin in [start, end), in a mission
    (its key), or in any where the rule was set for a series. rule_key None: those of all rules."""

    mission: int | None
    rule_key: str | None
    starts_in: Span


def store_excursions(
    session: Session,
    at: DetectionState,
    found: FoundNow,
    now_ms: int,
    state: str,
    scopes: list[SearchScope] | None = None,
) -> list[DetectedExcursion]:
    """Keep the excursions of a point as they are found now, by mission key, rule and begin; those
    that are not found any more go. Returns those that were not found before, by nobody.

    Args:
        state: by which limits and sources they were found.
        scopes: where they were looked for; None: everywhere, for all that there are.
    """
    missions = _mission_ids(session, at.point_id) if found or scopes else {}
    now = excursion_rows(found, missions)
    known = _stored_rows(session, at, now, _hull(scopes))
    if scopes is not None:
        known = _within(known, scopes, missions)
    is_known = now.keys() <= known.keys()
    before = [] if is_known else _earlier_findings(session, at.point_id, now, known.values())
    gone = [row.id for key, row in known.items() if key not in now]
    for first in range(0, len(gone), _AT_ONCE):
        its = ExcursionRow.id.in_(gone[first : first + _AT_ONCE])
        session.execute(delete(ExcursionRow).where(its))
    fresh: list[tuple[str, LimitRule, AssessedExcursion]] = []
    added: list[dict[str, Any]] = []
    changed: list[dict[str, Any]] = []
    for key, (rule, seen) in now.items():
        values = {"point": at.uid, "rule": rule.as_dict(), **_columns(seen)}
        if key not in known:
            first_ms = _first_found_ms(before, key, seen)
            fresh += [(key[0], rule, seen)] if first_ms is None else []
            added.append(
                {
                    **values,
                    "mission": key[0],
                    "rule_key": key[1],
                    "found_ms": now_ms if first_ms is None else first_ms,
                }
            )
        elif any(getattr(known[key], name) != value for name, value in values.items()):
            changed.append({"id": known[key].id, **values})
    changed += _wrongly_dated(session, [row for key, row in known.items() if key in now])
    if added:
        session.execute(insert(ExcursionRow), added)
    if changed:
        session.execute(update(ExcursionRow), changed)
    session.expire_all()
    if now or known:
        match_assessments(session, [at.point_id])
    note_detection(session, at.uid, at.version, state)
    names = mission_names(session) if fresh else {}
    return [
        DetectedExcursion(names[mission], rule.as_dict(), seen.start_ms, seen.end_ms, now_ms)
        for mission, rule, seen in fresh
    ]


_AT_ONCE = 500
"""Keys in one statement."""


def _wrongly_dated(session: Session, rows: Iterable[Any]) -> list[dict[str, Any]]:
    """Return the excursions that are kept as found at an instant that no action tells, though one
    tells of them, as rows with the earliest instant that is told."""
    its = list(rows)
    content: dict[tuple[str, str], list[tuple[int, int, int]]] = {}
    query = (
        select(Mission.uid, FoundRow.rule_key, FoundRow.start_ms, FoundRow.end_ms, FoundRow.at_ms)
        .join(Mission, Mission.id == FoundRow.mission_id)
        .where(Mission.uid.in_({row.mission for row in its}))
    )
    for mission, rule_key, *when in session.execute(query) if its else ():
        content.setdefault((mission, rule_key), []).append((when[0], when[1], when[2]))
    wrong = []
    for row in its:
        known = content.get((row.mission, row.rule_key), [])
        its_own = [
            at_ms for start, end, at_ms in known if start <= row.end_ms and end >= row.start_ms
        ]
        if its_own and row.found_ms not in {at_ms for _, _, at_ms in known}:
            wrong.append({"id": row.id, "found_ms": min(its_own)})
    return wrong


def _columns(excursion: AssessedExcursion) -> dict[str, Any]:
    return {name: getattr(excursion, name) for name in AssessedExcursion.__slots__}


def _hull(scopes: list[SearchScope] | None) -> Span:
    """Return from when to when excursions may begin that were looked for."""
    if scopes is None:
        return (-EVER_MS, EVER_MS)
    begins = [scope.starts_in for scope in scopes if scope.starts_in[1] > scope.starts_in[0]]
    return (min((a for a, _ in begins), default=0), max((b for _, b in begins), default=0))


def _stored_rows(
    session: Session, at: DetectionState, now: FoundRows, begins: Span
) -> dict[FoundKey, Any]:
    """Return the excursions that are kept of a point, and of those kept of another one which are
    found at this one now: their readings were moved here. Of these all that begin in a stretch."""
    missions = {mission for mission, _, _ in now}
    its = (ExcursionRow.point == at.uid) | ExcursionRow.mission.in_(missions)
    rows = session.execute(
        select(*ExcursionRow.__table__.columns).where(
            its, ExcursionRow.start_ms >= begins[0], ExcursionRow.start_ms < begins[1]
        )
    )
    by_key = {(row.mission, row.rule_key, row.start_ms): row for row in rows}
    return {key: row for key, row in by_key.items() if row.point == at.uid or key in now}


def _within(
    known: dict[FoundKey, Any], scopes: list[SearchScope], missions: dict[int, str]
) -> dict[FoundKey, Any]:
    """Return those that lie where excursions were looked for."""
    spans: dict[tuple[str | None, str | None], list[Span]] = {}
    for scope in scopes:
        name = (missions.get(scope.mission) if scope.mission is not None else None, scope.rule_key)
        spans.setdefault(name, []).append(scope.starts_in)
    return {
        key: row
        for key, row in known.items()
        if any(
            start <= key[2] < end
            for name in ((key[0], key[1]), (None, key[1]), (None, None))
            for start, end in spans.get(name, ())
        )
    }


def _mission_ids(session: Session, point_id: int) -> dict[int, str]:
    made = layout(session)
    return {
        made.missions[assignment.mission]: assignment.mission
        for assignment in made.at_point(point_id)
    }


class _EarlierFinding(NamedTuple):
    mission: str
    rule_key: str
    start_ms: int
    end_ms: int
    at_ms: int


def _earlier_findings(
    session: Session, point_id: int, now: FoundRows, known: Iterable[Any]
) -> list[_EarlierFinding]:
    """Return what was found at a point before, as actions tell it and as it is known here."""
    recorded = (
        select(Mission.uid, FoundRow.rule_key, FoundRow.start_ms, FoundRow.end_ms, FoundRow.at_ms)
        .join(Mission, Mission.id == FoundRow.mission_id)
        .where(
            (FoundRow.point_id == point_id) | Mission.uid.in_({mission for mission, _, _ in now}),
            FoundRow.start_ms <= max(seen.end_ms for _, seen in now.values()),
            FoundRow.end_ms >= min(seen.start_ms for _, seen in now.values()),
        )
    )
    here = [
        _EarlierFinding(row.mission, row.rule_key, row.start_ms, row.end_ms, row.found_ms)
        for row in known
    ]
    return [_EarlierFinding(*row) for row in session.execute(recorded)] + here


def _first_found_ms(
    before: list[_EarlierFinding], key: FoundKey, excursion: AssessedExcursion
) -> int | None:
    """When an excursion, or one of its mission and rule that overlaps it, was found first."""
    mission, rule, _ = key
    return min(
        (
            one.at_ms
            for one in before
            if (one.mission, one.rule_key) == (mission, rule)
            and one.start_ms <= excursion.end_ms
            and one.end_ms >= excursion.start_ms
        ),
        default=None,
    )


def excursion_rows(found: FoundNow, missions: dict[int, str]) -> FoundRows:
    """Return excursions as they are kept: their rule, and how they are seen. missions: ids of
    missions by their keys."""
    return {
        (missions[mission], rule, start_ms): (
            one.rule,
            AssessedExcursion(
                one.start_ms,
                one.end_ms,
                one.alarm_ms or one.start_ms,
                one.extreme,
                one.extreme_ms,
                one.dose,
                one.measured,
                one.estimated,
            ),
        )
        for (mission, rule, start_ms), one in found.items()
    }


def differs(session: Session, at: DetectionState, found: FoundNow) -> bool:
    """Whether other excursions are kept of a point than are found now."""
    rows = list(session.scalars(select(ExcursionRow).filter_by(point=at.uid)))
    stored = {
        (row.mission, row.rule_key, row.start_ms): (rule_of(row), assessed_excursion(row))
        for row in rows
    }
    if excursion_rows(found, _mission_ids(session, at.point_id)) != stored:
        return True
    return bool(mismatched_assessments(session, at.point_id)) or bool(_wrongly_dated(session, rows))


# -- in which state of the record they were found ---------------------------------------------
@dataclass(frozen=True, slots=True)
class DetectionState:
    """A point whose excursions are found. version: of its record as it is now; is_current: whether
    they were found in that one; found_by: by what; changed: in which stretch readings changed
    since, an empty one: nowhere."""

    point_id: int
    uid: str
    name: str
    zone: str
    version: int
    is_current: bool
    found_by: str
    changed: Span


def detection_states(session: Session, point_id: int | None = None) -> list[DetectionState]:
    """Return all points, or one, and whether their excursions were found in the present record."""
    query = (
        select(Point, Site, RecordRow)
        .join(Site, Site.id == Point.site_id)
        .outerjoin(RecordRow, RecordRow.point == Point.uid)
        .order_by(Point.id)
    )
    if point_id is not None:
        query = query.where(Point.id == point_id)
    return [
        DetectionState(
            point.id,
            point.uid,
            full_name(site.name, point.name),
            site.zone,
            here.changes if here else 0,
            here is None or here.changes == here.found_in,
            here.found_by if here else "",
            _changed(here),
        )
        for point, site, here in session.execute(query)
    ]


def _changed(here: RecordRow | None) -> Span:
    if here is None or here.changed_ms is None or here.changed_until_ms is None:
        return (EVER_MS, EVER_MS)
    return (here.changed_ms, here.changed_until_ms)
