"""Excursions as found, and the assessments that hold for them, out of the archive and into it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import TypeAlias

from sqlalchemy import Select, delete, func, select, update
from sqlalchemy.orm import Session, joinedload

from gezeiten.archive.tables import AssessmentRow, ExcursionRow, Mission, Point, Site
from gezeiten.domain.acts.assessments import Words
from gezeiten.domain.acts.missions import MissionName
from gezeiten.domain.assessments import Seen, matched
from gezeiten.domain.excursions import Excursion
from gezeiten.domain.limits import LimitRule, limit_rule
from gezeiten.domain.sites import full_name
from gezeiten.errors import ArchiveDamagedError

FoundNow: TypeAlias = dict[tuple[int, str, int], Excursion]
"""Excursions by mission key, rule and begin (UTC ms)."""
FoundRows: TypeAlias = dict[tuple[int, str, int], tuple[LimitRule, Seen]]


@dataclass(frozen=True, slots=True)
class Assessment:
    """What somebody said of an excursion as it was seen then. at_ms: UTC ms."""

    id: int
    uid: str
    seen: Seen
    said: Words
    at_ms: int
    person: str


@dataclass(frozen=True, slots=True)
class Found:
    """An excursion with its assessment. id: negative where the record holds no excursion any more
    for which the assessment could hold; the excursion is as it was seen then."""

    id: int
    point_id: int
    mission: MissionName
    rule: LimitRule
    now: Seen
    found_ms: int
    assessment: Assessment | None

    @property
    def is_gone(self) -> bool:
        """Whether only the assessment is left of it."""
        return self.id < 0


def kept_excursions(session: Session, point_id: int | None = None) -> list[Found]:
    """Return the excursions of one point or all, latest first."""
    names = _mission_names(session)
    rows = select(ExcursionRow)
    said = select(AssessmentRow)
    if point_id is not None:
        rows, said = rows.filter_by(point_id=point_id), said.filter_by(point_id=point_id)
    assessments = {row.id: row for row in session.scalars(said)}
    found = []
    for row in session.scalars(rows):
        holding = assessments.pop(row.assessment_id, None) if row.assessment_id else None
        found.append(_found(row, names[row.mission_id], holding))
    found += [_gone(row, names[row.mission_id]) for row in assessments.values()]
    return sorted(found, key=lambda one: -one.now.start_ms)


def _mission_names(session: Session) -> dict[int, MissionName]:
    """The missions that have excursions or assessments, by key."""
    keys = select(ExcursionRow.mission_id).union(select(AssessmentRow.mission_id))
    query = select(Mission).where(Mission.id.in_(keys)).options(joinedload(Mission.logger))
    return {
        row.id: MissionName(row.logger.serial, row.number, row.launched_ms)
        for row in session.scalars(query)
    }


def _found(row: ExcursionRow, mission: MissionName, holding: AssessmentRow | None) -> Found:
    return Found(
        row.id, row.point_id, mission, _rule(row), _seen(row), row.found_ms,
        _assessment(holding) if holding else None,
    )  # fmt: skip


def _gone(row: AssessmentRow, mission: MissionName) -> Found:
    said = _assessment(row)
    return Found(-row.id, row.point_id, mission, _rule(row), said.seen, row.at_ms, said)


def _rule(row: ExcursionRow | AssessmentRow) -> LimitRule:
    try:
        return limit_rule(row.rule)
    except (KeyError, TypeError, ValueError) as exc:
        raise ArchiveDamagedError(
            f"The limit of {row.__tablename__} {row.id} cannot be read; verify the archive."
        ) from exc


def _assessment(row: AssessmentRow) -> Assessment:
    return Assessment(
        row.id, row.uid, Seen(**row.seen), Words(row.cause, row.words), row.at_ms, row.person
    )


def _seen(row: ExcursionRow) -> Seen:
    return Seen(row.start_ms, row.end_ms, row.alarm_ms, row.extreme, row.extreme_ms, row.dose,
                row.measured, row.estimated)  # fmt: skip


def count_to_assess(
    session: Session, point_ids: set[int] | None = None, found_since_ms: int | None = None
) -> int:
    """Return for how many excursions no assessment holds, at the given points or anywhere; on
    request only those found from an instant on."""
    query = select(func.count(ExcursionRow.id)).where(ExcursionRow.assessment_id.is_(None))
    if point_ids is not None:
        query = query.where(ExcursionRow.point_id.in_(point_ids))
    if found_since_ms is not None:
        query = query.where(ExcursionRow.found_ms >= found_since_ms)
    return int(session.scalar(query) or 0)


# -- what this computer finds --------------------------------------------------------------------
def book_found(session: Session, point_id: int, found: FoundNow, now_ms: int) -> None:
    """Keep the excursions of a point as they are found now, by mission key, rule and begin; those
    that are not found any more go."""
    known = {
        (row.mission_id, row.rule_key, row.start_ms): row
        for row in session.scalars(select(ExcursionRow).filter_by(point_id=point_id))
    }
    for key, row in known.items():
        if key not in found:
            session.delete(row)
    for key, (rule, seen) in as_found(found).items():
        row = known.get(key) or ExcursionRow(
            point_id=point_id, mission_id=key[0], rule_key=key[1], found_ms=now_ms
        )
        row.rule = rule.as_dict()
        for name, value in asdict(seen).items():
            setattr(row, name, value)
        session.add(row)
    session.flush()
    match_assessments(session, [point_id])


def as_found(found: FoundNow) -> FoundRows:
    """Return excursions as they are kept: their rule, and how they are seen."""
    return {
        key: (one.rule, Seen(one.start_ms, one.end_ms, one.alarm_ms or one.start_ms,
                                       one.extreme, one.extreme_ms, one.dose, one.measured,
                                       one.estimated))
        for key, one in found.items()
    }  # fmt: skip


def found_at(session: Session, point_id: int) -> FoundRows:
    """Return the excursions kept of a point, by mission key, rule and begin."""
    rows = session.scalars(select(ExcursionRow).filter_by(point_id=point_id))
    return {(row.mission_id, row.rule_key, row.start_ms): (_rule(row), _seen(row)) for row in rows}


def of_nothing() -> Select[int]:
    """Excursions of no point or mission."""
    return select(ExcursionRow.id).where(
        ExcursionRow.point_id.not_in(select(Point.id))
        | ExcursionRow.mission_id.not_in(select(Mission.id))
    )


def clear_of_nothing(session: Session) -> None:
    """Take out excursions of no point or mission, and what does not hold for them any more."""
    session.execute(delete(ExcursionRow).where(ExcursionRow.id.in_(of_nothing())))
    gone = ExcursionRow.assessment_id.not_in(select(AssessmentRow.id))
    session.execute(update(ExcursionRow).where(gone).values(assessment_id=None))


def match_all_assessments(session: Session) -> None:
    """Find which assessment holds for each excursion, wherever there are assessments."""
    match_assessments(session, session.scalars(select(AssessmentRow.point_id).distinct()))


def match_assessments(session: Session, point_ids: Iterable[int]) -> None:
    """Find which assessment holds for each excursion of some points."""
    for point_id in set(point_ids):
        by_rule: dict[tuple[int, str], tuple[list[ExcursionRow], list[AssessmentRow]]] = {}
        query = select(ExcursionRow).filter_by(point_id=point_id).order_by(ExcursionRow.start_ms)
        for found in session.scalars(query):
            by_rule.setdefault((found.mission_id, found.rule_key), ([], []))[0].append(found)
        said = select(AssessmentRow).filter_by(point_id=point_id).order_by(AssessmentRow.id)
        for row in session.scalars(said):
            by_rule.setdefault((row.mission_id, row.rule_key), ([], []))[1].append(row)
        for excursions, assessments in by_rule.values():
            holds = matched(
                [(row.start_ms, row.end_ms) for row in excursions],
                [Seen(**row.seen).span for row in assessments],
            )
            for found, number in zip(excursions, holds, strict=True):
                found.assessment_id = None if number is None else assessments[number].id


# -- in which state of the record they were found ---------------------------------------------
@dataclass(frozen=True, slots=True)
class FoundIn:
    """A point whose excursions are found. version: of its record as it is now; is_current: whether
    they were found in that one."""

    point_id: int
    name: str
    zone: str
    version: int
    is_current: bool


def points_found(session: Session, point_id: int | None = None) -> list[FoundIn]:
    """Return all points, or one, and whether their excursions were found in the present record."""
    query = select(Point, Site).join(Site, Site.id == Point.site_id).order_by(Point.id)
    if point_id is not None:
        query = query.where(Point.id == point_id)
    return [
        FoundIn(point.id, full_name(site.name, point.name), site.zone, point.record_version,
                point.record_version == point.excursions_version)
        for point, site in session.execute(query)
    ]  # fmt: skip


def stale_points(session: Session) -> list[int]:
    """Return the points whose record changed since their excursions were found."""
    query = select(Point.id).where(Point.excursions_version != Point.record_version)
    return list(session.scalars(query))


def note_found(session: Session, point_id: int, version: int) -> None:
    """Note in which state of a point's record its excursions were found."""
    session.execute(update(Point).where(Point.id == point_id).values(excursions_version=version))
