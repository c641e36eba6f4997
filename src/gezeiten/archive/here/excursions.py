"""Excursions as found, and the assessments that hold for them, out of the archive and into it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, NamedTuple, TypeAlias

from sqlalchemy import Select, String, delete, func, insert, select, type_coerce, union, update
from sqlalchemy.orm import Session

from gezeiten.archive.here.changes import note_found
from gezeiten.archive.here.layout import Layout, layout
from gezeiten.archive.here.tables import ExcursionRow, RecordRow
from gezeiten.archive.store.stored import stored_value
from gezeiten.archive.store.tables import AssessmentRow, FoundRow, Logger, Mission, Point, Site
from gezeiten.domain.acts.assessments import FoundOne, Words
from gezeiten.domain.acts.missions import MissionName
from gezeiten.domain.limits.assessments import Seen, matched
from gezeiten.domain.limits.excursions import Excursion
from gezeiten.domain.limits.limits import LimitRule, limit_rule
from gezeiten.domain.series.timeline import EVER_MS, Span
from gezeiten.domain.sites import full_name
from gezeiten.errors import ArchiveDamagedError

FoundNow: TypeAlias = dict[tuple[int, str, int], Excursion]
"""Excursions by mission key, rule and begin (UTC ms)."""
FoundKey: TypeAlias = tuple[str, str, int]
"""Mission (its id), rule and begin of an excursion."""
FoundRows: TypeAlias = dict[FoundKey, tuple[LimitRule, Seen]]


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
    for which the assessment could hold; the excursion is as it was seen then. mission_id: for
    ever; was_part_of: what was said of a longer one that became several; that holds for another of
    them."""

    id: int
    point_id: int
    mission_id: str
    mission: MissionName
    rule: LimitRule
    now: Seen
    found_ms: int
    assessment: Assessment | None
    was_part_of: Assessment | None = None

    @property
    def is_gone(self) -> bool:
        """Whether only the assessment is left of it."""
        return self.id < 0


def kept_excursions(session: Session, point_id: int | None = None) -> list[Found]:
    """Return the excursions of one point or all, latest first."""
    names = _mission_names(session)
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
        rule, now = rules.of(text, key), Seen(*seen)
        part_of = None if said_of_it else _overlapping(by_rule.get((mission, rule.key), ()), now)
        found.append(
            Found(key, point, mission, names[mission], rule, now, found_ms, said_of_it, part_of)
        )
    held = set(session.scalars(select(ExcursionRow.assessment)))  # at another point, it may be
    found += [
        _gone(*one)
        for uid, one in assessments.items()
        if uid not in held and point_id in (None, one[0].point_id)
    ]
    return sorted(found, key=lambda one: -one.now.start_ms)


def _by_rule(
    assessments: Iterable[tuple[AssessmentRow, str, MissionName]],
) -> dict[tuple[str, str], list[AssessmentRow]]:
    found: dict[tuple[str, str], list[AssessmentRow]] = {}
    for row, mission, _ in assessments:
        found.setdefault((mission, row.rule_key), []).append(row)
    return found


def _overlapping(rows: Iterable[AssessmentRow], now: Seen) -> Assessment | None:
    """Return the assessment that was made when an excursion was part of a longer one, None where
    there is none: it holds for another part now."""
    for row in rows:
        said = _assessment(row)
        if said.seen.start_ms < now.end_ms and said.seen.end_ms > now.start_ms:
            return said
    return None


_FACTS = (
    ExcursionRow.id, ExcursionRow.mission, type_coerce(ExcursionRow.rule, String),
    ExcursionRow.found_ms, ExcursionRow.assessment,
    *(getattr(ExcursionRow, name) for name in Seen.__slots__),
)  # fmt: skip


@dataclass(slots=True)
class _Rules:
    """Limits by how they are stored: few, for however many excursions."""

    known: dict[str, LimitRule] = field(default_factory=dict)

    def of(self, text: str, key: int) -> LimitRule:
        """Return the limit of the excursion of a key."""
        if text not in self.known:
            self.known[text] = _read_rule(stored_value(text), ExcursionRow.__tablename__, key)
        return self.known[text]


def series_of(made: Layout, found: Found) -> str:
    """Return the series that an excursion is in: what its mission's channel fed when it began."""
    fed = made.of_mission(found.mission_id, found.rule.channel)
    begin = found.now.start_ms
    return next((one.series for one in fed if one.start_ms <= begin < one.end_ms),
                found.rule.channel)  # fmt: skip


def _mission_names(session: Session) -> dict[str, MissionName]:
    """The missions that have excursions or assessments, by id."""
    assessed = select(Mission.uid).join(AssessmentRow, AssessmentRow.mission_id == Mission.id)
    concerned = union(select(ExcursionRow.mission), assessed)
    query = select(Mission.uid, Logger.serial, Mission.number, Mission.launched_ms)
    rows = session.execute(query.join(Logger).where(Mission.uid.in_(concerned)))
    return {row[0]: MissionName(*row[1:]) for row in rows}


def _gone(row: AssessmentRow, mission_id: str, mission: MissionName) -> Found:
    said = _assessment(row)
    return Found(-row.id, row.point_id, mission_id, mission, _rule(row), said.seen, row.at_ms,
                 said)  # fmt: skip


def _rule(row: ExcursionRow | AssessmentRow) -> LimitRule:
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


# -- what this computer finds --------------------------------------------------------------------
@dataclass(frozen=True, slots=True)
class Scope:
    """Where excursions were looked for: those of a rule that begin in [start, end), in a mission
    (its key), or in any where the rule was set for a series."""

    mission: int | None
    rule_key: str
    begins: Span


def book_found(
    session: Session, at: FoundIn, found: FoundNow, now_ms: int, state: str,
    scopes: list[Scope] | None = None,
) -> list[FoundOne]:  # fmt: skip
    """Keep the excursions of a point as they are found now, by mission key, rule and begin; those
    that are not found any more go. Returns those that were not found before, by nobody.

    Args:
        state: by which limits and sources they were found.
        scopes: where they were looked for; None: everywhere, for all that there are.
    """
    missions = _mission_ids(session, at.point_id) if found or scopes else {}
    now = as_found(found, missions)
    known = _known_rows(session, at, now, _hull(scopes))
    if scopes is not None:
        known = _within(known, scopes, missions)
    is_known = now.keys() <= known.keys()
    before = [] if is_known else _found_before(session, at.point_id, now, known.values())
    gone = [row.id for key, row in known.items() if key not in now]
    for first in range(0, len(gone), _AT_ONCE):
        its = ExcursionRow.id.in_(gone[first : first + _AT_ONCE])
        session.execute(delete(ExcursionRow).where(its))
    fresh: list[tuple[str, LimitRule, Seen]] = []
    added: list[dict[str, Any]] = []
    changed: list[dict[str, Any]] = []
    for key, (rule, seen) in now.items():
        values = {"point": at.uid, "rule": rule.as_dict(), **_columns(seen)}
        if key not in known:
            first_ms = _first_ms(before, key, seen)
            fresh += [(key[0], rule, seen)] if first_ms is None else []
            added.append({**values, "mission": key[0], "rule_key": key[1],
                          "found_ms": now_ms if first_ms is None else first_ms})  # fmt: skip
        elif any(getattr(known[key], name) != value for name, value in values.items()):
            changed.append({"id": known[key].id, **values})
    if added:
        session.execute(insert(ExcursionRow), added)
    if changed:
        session.execute(update(ExcursionRow), changed)
    session.expire_all()
    if now or known:
        match_assessments(session, [at.point_id])
    note_found(session, at.uid, at.version, state)
    names = _mission_names(session) if fresh else {}
    return [FoundOne(names[mission], rule.as_dict(), seen.start_ms, seen.end_ms, now_ms)
            for mission, rule, seen in fresh]  # fmt: skip


_AT_ONCE = 500
"""Keys in one statement."""


def _columns(seen: Seen) -> dict[str, Any]:
    return {name: getattr(seen, name) for name in Seen.__slots__}


def _hull(scopes: list[Scope] | None) -> Span:
    """Return from when to when excursions may begin that were looked for."""
    if scopes is None:
        return (-EVER_MS, EVER_MS)
    begins = [one.begins for one in scopes if one.begins[1] > one.begins[0]]
    return (min((a for a, _ in begins), default=0), max((b for _, b in begins), default=0))


def _known_rows(session: Session, at: FoundIn, now: FoundRows, begins: Span) -> dict[FoundKey, Any]:
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
    known: dict[FoundKey, Any], scopes: list[Scope], missions: dict[int, str]
) -> dict[FoundKey, Any]:
    """Return those that lie where excursions were looked for."""
    spans: dict[tuple[str | None, str], list[Span]] = {}
    for one in scopes:
        name = (missions.get(one.mission) if one.mission is not None else None, one.rule_key)
        spans.setdefault(name, []).append(one.begins)
    return {
        key: row
        for key, row in known.items()
        if any(
            start <= key[2] < end
            for name in ((key[0], key[1]), (None, key[1]))
            for start, end in spans.get(name, ())
        )
    }


def _mission_ids(session: Session, point_id: int) -> dict[int, str]:
    made = layout(session)
    return {made.missions[one.mission]: one.mission for one in made.at_point(point_id)}


class _Before(NamedTuple):
    mission: str
    rule_key: str
    start_ms: int
    end_ms: int
    at_ms: int


def _found_before(
    session: Session, point_id: int, now: FoundRows, known: Iterable[Any]
) -> list[_Before]:
    """Return what was found at a point before, as acts tell it and as it is known here."""
    told = (
        select(Mission.uid, FoundRow.rule_key, FoundRow.start_ms, FoundRow.end_ms, FoundRow.at_ms)
        .join(Mission, Mission.id == FoundRow.mission_id)
        .where(
            (FoundRow.point_id == point_id) | Mission.uid.in_({mission for mission, _, _ in now}),
            FoundRow.start_ms <= max(seen.end_ms for _, seen in now.values()),
            FoundRow.end_ms >= min(seen.start_ms for _, seen in now.values()),
        )
    )
    here = [
        _Before(row.mission, row.rule_key, row.start_ms, row.end_ms, row.found_ms) for row in known
    ]
    return [_Before(*row) for row in session.execute(told)] + here


def _first_ms(before: list[_Before], key: FoundKey, seen: Seen) -> int | None:
    """When an excursion, or one of its mission and rule that overlaps it, was found first."""
    mission, rule, _ = key
    return min(
        (one.at_ms for one in before
         if (one.mission, one.rule_key) == (mission, rule)
         and one.start_ms <= seen.end_ms and one.end_ms >= seen.start_ms),
        default=None,
    )  # fmt: skip


def as_found(found: FoundNow, missions: dict[int, str]) -> FoundRows:
    """Return excursions as they are kept: their rule, and how they are seen. missions: ids of
    missions by their keys."""
    return {
        (missions[mission], rule, start_ms):
        (one.rule, Seen(one.start_ms, one.end_ms, one.alarm_ms or one.start_ms, one.extreme,
                        one.extreme_ms, one.dose, one.measured, one.estimated))
        for (mission, rule, start_ms), one in found.items()
    }  # fmt: skip


def differs(session: Session, at: FoundIn, found: FoundNow) -> bool:
    """Whether other excursions are kept of a point than are found now."""
    rows = session.scalars(select(ExcursionRow).filter_by(point=at.uid))
    kept = {(row.mission, row.rule_key, row.start_ms): (_rule(row), _seen(row)) for row in rows}
    return as_found(found, _mission_ids(session, at.point_id)) != kept


def of_nothing() -> Select[int]:
    """Excursions of no point or mission."""
    return select(ExcursionRow.id).where(
        ExcursionRow.point.not_in(select(Point.uid))
        | ExcursionRow.mission.not_in(select(Mission.uid))
    )


def clear_of_nothing(session: Session) -> None:
    """Take out excursions of no point or mission."""
    session.execute(delete(ExcursionRow).where(ExcursionRow.id.in_(of_nothing())))


def match_all_assessments(session: Session) -> None:
    """Find which assessment holds for each excursion, wherever there are assessments or were."""
    matched_once = select(Point.id).join(ExcursionRow, ExcursionRow.point == Point.uid)
    with_some = select(AssessmentRow.point_id)
    points = union(with_some, matched_once.where(ExcursionRow.assessment.is_not(None)))
    match_assessments(session, session.scalars(points))


def match_assessments(session: Session, point_ids: Iterable[int]) -> None:
    """Find which assessment holds for each excursion of some points."""
    for point_id in set(point_ids):
        _match(session, point_id)


def _match(session: Session, point_id: int) -> None:
    columns = (ExcursionRow.id, ExcursionRow.mission, ExcursionRow.rule_key, ExcursionRow.start_ms,
               ExcursionRow.end_ms, ExcursionRow.assessment)  # fmt: skip
    query = select(*columns).join(Point, Point.uid == ExcursionRow.point)
    found = session.execute(query.where(Point.id == point_id).order_by(ExcursionRow.start_ms)).all()
    its = Mission.uid.in_({row.mission for row in found})  # wherever they were then
    said = select(AssessmentRow, Mission.uid).join(Mission).order_by(AssessmentRow.id)
    said = said.where((AssessmentRow.point_id == point_id) | its)
    assessments: dict[tuple[str, str], list[AssessmentRow]] = {}
    for row, mission in session.execute(said):
        assessments.setdefault((mission, row.rule_key), []).append(row)
    by_rule: dict[tuple[str, str], list[Any]] = {}
    for one in found:
        by_rule.setdefault((one.mission, one.rule_key), []).append(one)
    changed = []
    for key, excursions in by_rule.items():
        its_own = assessments.get(key, [])
        holds = matched([(one.start_ms, one.end_ms) for one in excursions],
                        [Seen(**row.seen).span for row in its_own])  # fmt: skip
        for one, number in zip(excursions, holds, strict=True):
            holding = None if number is None else its_own[number].uid
            if holding != one.assessment:
                changed.append({"id": one.id, "assessment": holding})
    if changed:
        session.execute(update(ExcursionRow), changed)
        session.expire_all()


# -- in which state of the record they were found ---------------------------------------------
@dataclass(frozen=True, slots=True)
class FoundIn:
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


def points_found(session: Session, point_id: int | None = None) -> list[FoundIn]:
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
        FoundIn(point.id, point.uid, full_name(site.name, point.name), site.zone,
                here.changes if here else 0, here is None or here.changes == here.found_in,
                here.found_by if here else "", _changed(here))
        for point, site, here in session.execute(query)
    ]  # fmt: skip


def _changed(here: RecordRow | None) -> Span:
    if here is None or here.changed_ms is None or here.changed_until_ms is None:
        return (EVER_MS, EVER_MS)
    return (here.changed_ms, here.changed_until_ms)
