"""Excursions as found, and the assessments that hold for them, out of the archive."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Select, String, delete, func, select, type_coerce, union, update
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.layout import Layout
from gezeiten.archive.local_cache.tables import ExcursionRow
from gezeiten.archive.queries.clocks import ClockHistory, clock_histories
from gezeiten.archive.store.stored import stored_value
from gezeiten.archive.store.tables import AssessmentRow, Logger, Mission, Point
from gezeiten.domain.actions.assessments import AssessmentWords
from gezeiten.domain.actions.missions import MissionName
from gezeiten.domain.limits.assessments import AssessedExcursion, matched
from gezeiten.domain.limits.limits import LimitRule, limit_rule
from gezeiten.domain.series.timeline import Span
from gezeiten.errors import ArchiveDamagedError


@dataclass(frozen=True, slots=True)
class Assessment:
    """What somebody said of an excursion as it was seen then. at_ms: UTC ms."""

    id: int
    uid: str
    excursion: AssessedExcursion
    text: AssessmentWords
    at_ms: int
    person: str


@dataclass(frozen=True, slots=True)
class StoredExcursion:
    """An excursion with its assessment. id: negative where the record holds no excursion any more
    for which the assessment could hold; the excursion is as it was seen then. mission_id: for
    ever; merged_with: what was said of a longer one that became several; that holds for another of
    them."""

    id: int
    point_id: int
    mission_id: str
    mission: MissionName
    rule: LimitRule
    excursion: AssessedExcursion
    found_ms: int
    assessment: Assessment | None
    merged_with: Assessment | None = None

    @property
    def is_only_assessment(self) -> bool:
        """Whether only the assessment is left of it."""
        return self.id < 0


def stored_excursions(session: Session, point_id: int | None = None) -> list[StoredExcursion]:
    """Return the excursions of one point or all, latest first."""
    names = mission_names(session)
    rows = select(*_FACTS, Point.id).join(Point, Point.uid == ExcursionRow.point)
    said = select(AssessmentRow, Mission.uid).join(Mission, Mission.id == AssessmentRow.mission_id)
    if point_id is not None:
        rows = rows.where(Point.id == point_id)
    assessments = {
        row.uid: (row, mission, names[mission]) for row, mission in session.execute(said)
    }
    found, rules = [], _Rules()
    by_rule = _by_rule(assessments.values())
    for key, mission, text, found_ms, assessment, *seen, point in session.execute(rows):
        holding = assessments.pop(assessment or "", None)
        said_of_it = _assessment(holding[0]) if holding else None
        rule, now = rules.of(text, key), AssessedExcursion(*seen)
        part_of = None if said_of_it else _overlapping(by_rule.get((mission, rule.key), ()), now)
        found.append(
            StoredExcursion(
                key, point, mission, names[mission], rule, now, found_ms, said_of_it, part_of
            )
        )
    held = set(session.scalars(select(ExcursionRow.assessment)))  # at another point, it may be
    found += [
        _orphaned_assessment(*one)
        for uid, one in assessments.items()
        if uid not in held and point_id in (None, one[0].point_id)
    ]
    return sorted(found, key=lambda one: -one.excursion.start_ms)


def _by_rule(
    assessments: Iterable[tuple[AssessmentRow, str, MissionName]],
) -> dict[tuple[str, str], list[AssessmentRow]]:
    found: dict[tuple[str, str], list[AssessmentRow]] = {}
    for row, mission, _ in assessments:
        found.setdefault((mission, row.rule_key), []).append(row)
    return found


def _overlapping(rows: Iterable[AssessmentRow], now: AssessedExcursion) -> Assessment | None:
    """Return the assessment that was made when an excursion was part of a longer one, None where
    there is none: it holds for another part now."""
    for row in rows:
        said = _assessment(row)
        if said.excursion.start_ms < now.end_ms and said.excursion.end_ms > now.start_ms:
            return said
    return None


_FACTS = (
    ExcursionRow.id,
    ExcursionRow.mission,
    type_coerce(ExcursionRow.rule, String),
    ExcursionRow.found_ms,
    ExcursionRow.assessment,
    *(getattr(ExcursionRow, name) for name in AssessedExcursion.__slots__),
)


@dataclass(slots=True)
class _Rules:
    """Limits by how they are stored: few, for however many excursions."""

    known: dict[str, LimitRule] = field(default_factory=dict)

    def of(self, text: str, key: int) -> LimitRule:
        """Return the limit of the excursion of a key."""
        if text not in self.known:
            self.known[text] = _read_rule(stored_value(text), ExcursionRow.__tablename__, key)
        return self.known[text]


def series_of(layout: Layout, excursion: StoredExcursion) -> str:
    """Return the series that an excursion is in: what its mission's channel fed when it began."""
    assigned = layout.of_mission(excursion.mission_id, excursion.rule.channel)
    begin = excursion.excursion.start_ms
    return next(
        (
            assignment.series
            for assignment in assigned
            if assignment.start_ms <= begin < assignment.end_ms
        ),
        excursion.rule.channel,
    )


def mission_names(session: Session) -> dict[str, MissionName]:
    """Return the missions that have excursions or assessments, by id."""
    assessed = select(Mission.uid).join(AssessmentRow, AssessmentRow.mission_id == Mission.id)
    concerned = union(select(ExcursionRow.mission), assessed)
    query = select(Mission.uid, Logger.serial, Mission.number, Mission.launched_ms)
    rows = session.execute(query.join(Logger).where(Mission.uid.in_(concerned)))
    return {row[0]: MissionName(*row[1:]) for row in rows}


def _orphaned_assessment(
    row: AssessmentRow, mission_id: str, mission: MissionName
) -> StoredExcursion:
    said = _assessment(row)
    return StoredExcursion(
        -row.id, row.point_id, mission_id, mission, rule_of(row), said.excursion, row.at_ms, said
    )


def rule_of(row: ExcursionRow | AssessmentRow) -> LimitRule:
    """Return the limit of an excursion or assessment.

    Raises:
        ArchiveDamagedError: it cannot be read.
    """
    return _read_rule(row.rule, row.__tablename__, row.id)


def _read_rule(stored: Any, table: str, key: int) -> LimitRule:
    try:
        return limit_rule(stored)
    except (KeyError, TypeError, ValueError) as exc:
        raise ArchiveDamagedError(
            f"The limit of {table} {key} cannot be read; verify the archive."
        ) from exc


def _assessment(row: AssessmentRow) -> Assessment:
    return Assessment(
        row.id,
        row.uid,
        AssessedExcursion(**row.seen),
        AssessmentWords(row.cause, row.words),
        row.at_ms,
        row.person,
    )


def assessed_excursion(row: ExcursionRow) -> AssessedExcursion:
    """Return an excursion as it is seen now."""
    return AssessedExcursion(
        row.start_ms,
        row.end_ms,
        row.alarm_ms,
        row.extreme,
        row.extreme_ms,
        row.dose,
        row.measured,
        row.estimated,
    )


def count_to_assess(
    session: Session, point_ids: set[int] | None = None, found_since_ms: int | None = None
) -> int:
    """Return for how many excursions no assessment holds, at the given points or anywhere; on
    request only those found from an instant on."""
    query = (
        select(func.count(ExcursionRow.id))
        .join(Point, Point.uid == ExcursionRow.point)
        .outerjoin(AssessmentRow, AssessmentRow.uid == ExcursionRow.assessment)
        .where(AssessmentRow.id.is_(None))
    )
    if point_ids is not None:
        query = query.where(Point.id.in_(point_ids))
    if found_since_ms is not None:
        query = query.where(ExcursionRow.found_ms >= found_since_ms)
    return int(session.scalar(query) or 0)


def orphaned_ids() -> Select[int]:
    """Excursions of no point or mission."""
    return select(ExcursionRow.id).where(
        ExcursionRow.point.not_in(select(Point.uid))
        | ExcursionRow.mission.not_in(select(Mission.uid))
    )


def delete_orphans(session: Session) -> None:
    """Take out excursions of no point or mission."""
    session.execute(delete(ExcursionRow).where(ExcursionRow.id.in_(orphaned_ids())))


def match_all_assessments(session: Session) -> None:
    """Find which assessment holds for each excursion, wherever there are assessments or were."""
    matched_once = select(Point.id).join(ExcursionRow, ExcursionRow.point == Point.uid)
    with_some = select(AssessmentRow.point_id)
    points = union(with_some, matched_once.where(ExcursionRow.assessment.is_not(None)))
    match_assessments(session, session.scalars(points))


def match_assessments(session: Session, point_ids: Iterable[int]) -> None:
    """Find which assessment holds for each excursion of some points."""
    for point_id in set(point_ids):
        changed = mismatched_assessments(session, point_id)
        if changed:
            session.execute(update(ExcursionRow), changed)
            session.expire_all()


def _current_span(row: AssessmentRow, clock: ClockHistory | None) -> Span:
    """Return where what was assessed lies now, should its logger's clock have been put right."""
    span = AssessedExcursion(**row.seen).span
    return span if clock is None else clock.current_span(span, row.at_ms)


def mismatched_assessments(session: Session, point_id: int) -> list[dict[str, Any]]:
    """Return the excursions of a point of which another assessment holds than is kept, as rows with
    the right one."""
    columns = (
        ExcursionRow.id,
        ExcursionRow.mission,
        ExcursionRow.rule_key,
        ExcursionRow.start_ms,
        ExcursionRow.end_ms,
        ExcursionRow.assessment,
    )
    here = Point.id == point_id
    query = select(*columns).join(Point, Point.uid == ExcursionRow.point).where(here)
    its = select(ExcursionRow.mission).join(Point, Point.uid == ExcursionRow.point).where(here)
    said = select(AssessmentRow, Mission.uid).join(Mission).order_by(AssessmentRow.id)
    # those of its missions too, wherever they were then
    said = said.where((AssessmentRow.point_id == point_id) | Mission.uid.in_(its))
    assessments: dict[tuple[str, str], list[AssessmentRow]] = {}
    for row, mission in session.execute(said):
        assessments.setdefault((mission, row.rule_key), []).append(row)
    if not assessments:
        query = query.where(ExcursionRow.assessment.is_not(None))
    found = session.execute(query.order_by(ExcursionRow.start_ms)).all()
    clocks = clock_histories(session) if assessments else {}
    by_rule: dict[tuple[str, str], list[Any]] = {}
    for one in found:
        by_rule.setdefault((one.mission, one.rule_key), []).append(one)
    changed = []
    for key, excursions in by_rule.items():
        its_own = assessments.get(key, [])
        holds = matched(
            [(excursion.start_ms, excursion.end_ms) for excursion in excursions],
            [_current_span(row, clocks.get(key[0])) for row in its_own],
        )
        for one, number in zip(excursions, holds, strict=True):
            holding = None if number is None else its_own[number].uid
            if holding != one.assessment:
                changed.append({"id": one.id, "assessment": holding})
    return changed
