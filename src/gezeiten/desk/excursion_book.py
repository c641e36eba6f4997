"""Excursions: found anew whenever a record changes, listed by site, settled by people.

Only excursions that alarmed are kept; an assessment stays with its excursion (same mission,
rule and start) however often it is found again.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gezeiten.archive.readings import load_recorded
from gezeiten.archive.tables import ExcursionRow, Mission, Point
from gezeiten.desk.context import Desk
from gezeiten.desk.places import PointPlace, points
from gezeiten.desk.records import PlanStretch, in_stretch, plan_stretches, record
from gezeiten.desk.soundness import or_fault
from gezeiten.domain.excursions import Excursion, find_absences, find_excursions
from gezeiten.domain.limits import LimitRule, limit_rule
from gezeiten.domain.plan_words import rule_text
from gezeiten.domain.quantities import quantity
from gezeiten.errors import InputError

CAUSES = (
    "Door or lid",
    "Restocking",
    "Power",
    "Equipment",
    "Sensor",
    "Weather",
    "Own work",
    "Not known",
)


@dataclass(frozen=True, slots=True)
class BookedExcursion:
    """An excursion with its place and assessment. cause is None while it is to assess."""

    id: int
    point: PointPlace
    mission: int
    rule: LimitRule
    start_ms: int
    end_ms: int
    alarm_ms: int
    extreme: float
    extreme_ms: int
    dose: float
    measured: int
    estimated: int
    found_ms: int
    gone: bool
    cause: str | None
    words: str
    settled_ms: int | None
    settled_by: str

    @property
    def is_settled(self) -> bool:
        """Whether somebody has assessed it."""
        return self.settled_ms is not None

    @property
    def draft_key(self) -> str:
        """Under which words about it are kept until it is settled."""
        return f"excursion:{self.point.id}:{self.rule.key}:{self.start_ms}"


def refresh_excursions(desk: Desk, point_id: int) -> None:
    """Find the excursions of a point's record as it is now and book what is new or changed."""
    with desk.archive.reading() as session:
        point = session.get_one(Point, point_id)
        version, zone = point.record_version, point.site.zone
    found: dict[tuple[int, str, int], Excursion] = {}
    for stretch in plan_stretches(desk, point_id):
        for rule in stretch.plan.limits:
            for excursion in _found(desk, point_id, stretch, rule, zone):
                found[(stretch.mission_id, rule.key, excursion.start_ms)] = excursion
    with desk.archive.writing() as session:
        _book(desk, session, point_id, found)
        session.get_one(Point, point_id).excursions_version = version


def _found(
    desk: Desk, point_id: int, stretch: PlanStretch, rule: LimitRule, zone: str
) -> list[Excursion]:
    """Return what one rule finds in one mission; only what alarmed."""
    if rule.side == "absent":
        with desk.archive.reading() as session:
            recorded = load_recorded(session, stretch.mission_id, point_id, rule.channel)
        return find_absences(*recorded, rule)
    series = in_stretch(record(desk, point_id, rule.channel), stretch)
    return find_excursions(series, rule, zone, alarmed_only=True)


def _book(
    desk: Desk, session: Session, point_id: int, found: dict[tuple[int, str, int], Excursion]
) -> None:
    known = {
        (row.mission_id, row.rule_key, row.start_ms): row
        for row in session.scalars(select(ExcursionRow).filter_by(point_id=point_id)).all()
    }
    for key, row in known.items():
        if key not in found:
            if row.settled_ms is None:
                session.delete(row)
            else:
                row.gone = True
    for key, excursion in found.items():
        booked = known.get(key)
        if booked is None:
            booked = ExcursionRow(
                point_id=point_id,
                mission_id=key[0],
                rule_key=key[1],
                start_ms=key[2],
                rule=excursion.rule.as_dict(),
                found_ms=desk.now_ms(),
            )
            session.add(booked)
        _update(booked, excursion)


def _update(row: ExcursionRow, excursion: Excursion) -> None:
    row.end_ms = excursion.end_ms
    row.alarm_ms = excursion.alarm_ms or excursion.start_ms
    row.extreme, row.extreme_ms = excursion.extreme, excursion.extreme_ms
    row.dose = excursion.dose
    row.measured, row.estimated = excursion.measured, excursion.estimated
    row.gone = False


def refresh_stale(desk: Desk) -> None:
    """Find excursions anew where a record changed and the program ended before doing so."""
    with desk.archive.reading() as session:
        stale = session.scalars(
            select(Point.id).where(Point.excursions_version != Point.record_version)
        ).all()
    for point_id in stale:
        or_fault(partial(refresh_excursions, desk, point_id))  # the Tideboard names what cannot be


def excursions(desk: Desk, point_id: int | None = None) -> list[BookedExcursion]:
    """Return the excursions of one point or all, latest first."""
    with desk.archive.reading() as session:
        query = select(ExcursionRow, Mission.number).join(
            Mission, Mission.id == ExcursionRow.mission_id
        )
        if point_id is not None:
            query = query.where(ExcursionRow.point_id == point_id)
        rows = session.execute(query.order_by(ExcursionRow.start_ms.desc())).all()
    places = {point.id: point for point in points(desk)} if rows else {}
    return [_booked(row, number, places[row.point_id]) for row, number in rows]


def _booked(row: ExcursionRow, mission: int, point: PointPlace) -> BookedExcursion:
    return BookedExcursion(
        id=row.id,
        point=point,
        mission=mission,
        rule=limit_rule(row.rule),
        start_ms=row.start_ms,
        end_ms=row.end_ms,
        alarm_ms=row.alarm_ms,
        extreme=row.extreme,
        extreme_ms=row.extreme_ms,
        dose=row.dose,
        measured=row.measured,
        estimated=row.estimated,
        found_ms=row.found_ms,
        gone=row.gone,
        cause=row.cause,
        words=row.words or "",
        settled_ms=row.settled_ms,
        settled_by=row.settled_by or "",
    )


def to_assess(
    desk: Desk, point_ids: set[int] | None = None, found_since_ms: int | None = None
) -> int:
    """Return how many excursions nobody has settled yet, at the given points or anywhere; on
    request only those that were found from an instant on."""
    with desk.archive.reading() as session:
        query = select(func.count()).where(ExcursionRow.settled_ms.is_(None))
        if point_ids is not None:
            query = query.where(ExcursionRow.point_id.in_(point_ids))
        if found_since_ms is not None:
            query = query.where(ExcursionRow.found_ms >= found_since_ms)
        return int(session.scalar(query) or 0)


def settle(desk: Desk, excursion_ids: int | Iterable[int], cause: str, words: str) -> None:
    """Settle excursions with one cause and what happened; settling again replaces both.

    Raises:
        InputError: an unknown cause, or no words.
    """
    if cause not in CAUSES:
        raise InputError("Choose a cause first; “Not known” is one too.")
    if not words.strip():
        raise InputError("Write in a few words what happened and what was done.")
    ids = [excursion_ids] if isinstance(excursion_ids, int) else list(excursion_ids)
    with desk.archive.writing() as session:
        for excursion_id in ids:
            row = session.get_one(ExcursionRow, excursion_id)
            row.cause, row.words = cause, words.strip()
            row.settled_ms, row.settled_by = desk.now_ms(), desk.person
            point = session.get_one(Point, row.point_id)
            desk.log(
                session,
                "settle",
                f"{point.site.name} · {point.name}",
                f"{_rule_words(row)} settled: {cause}.",
                start_ms=row.start_ms,
                words=words.strip(),
            )


def last_words(events: Iterable[BookedExcursion], most: int = 8) -> list[tuple[str, str]]:
    """Return (cause, words) of assessments made last, each once, latest first."""
    settled = [event for event in events if event.is_settled and event.words]
    settled.sort(key=lambda event: -(event.settled_ms or 0))
    return list(dict.fromkeys((event.cause or "", event.words) for event in settled))[:most]


def reopen(desk: Desk, excursion_id: int) -> None:
    """Take an assessment back; the logbook keeps it."""
    with desk.archive.writing() as session:
        row = session.get_one(ExcursionRow, excursion_id)
        point = session.get_one(Point, row.point_id)
        desk.log(
            session,
            "reopen",
            f"{point.site.name} · {point.name}",
            f"{_rule_words(row)}: assessment taken back.",
            start_ms=row.start_ms,
            cause=row.cause,
            words=row.words,
        )
        row.cause = row.words = row.settled_ms = row.settled_by = None


def _rule_words(row: ExcursionRow) -> str:
    """Return "Air temperature: alarm above 28 °C" for the logbook."""
    rule = limit_rule(row.rule)
    return f"{quantity(rule.channel).name}: {rule_text(rule)}"
