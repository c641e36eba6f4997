"""Missions and what was offloaded of them, out of the archive."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from gezeiten.archive.here.readings import (
    kept_of_text,
    offload_spans,
    reach_into,
    unused_readings,
)
from gezeiten.archive.intake.missions import kept_ranges, known_mission
from gezeiten.archive.store.tables import Logger, Mission, Offload, Point, Site, Step
from gezeiten.domain.acts.offloads import SOURCES
from gezeiten.domain.coverage import Range, size
from gezeiten.domain.kept import NamedRaw
from gezeiten.domain.plan import Plan, plan_from_dict
from gezeiten.domain.sites import full_name
from gezeiten.domain.timeline import Span


@dataclass(frozen=True, slots=True)
class KeptMission:
    """A mission of a logger as the archive has it. point_id: where it was launched for; readings:
    how many there are as of the last contact; kept: how many are here. Instants are UTC ms."""

    number: int
    point_id: int | None
    plan: Plan
    launched_ms: int
    first_ms: int
    interval_ms: int
    state: str
    readings: int
    kept: int


def missions_of(session: Session, logger_id: int) -> list[KeptMission]:
    """Return the missions of a logger, launched last first."""
    query = select(Mission).filter_by(logger_id=logger_id).order_by(Mission.launched_ms.desc())
    return [
        KeptMission(m.number, m.point_id, plan_from_dict(m.plan), m.launched_ms, m.first_ms,
                    m.interval_ms, m.state, *_counts(session, m))
        for m in session.scalars(query)
    ]  # fmt: skip


def _counts(session: Session, mission: Mission) -> tuple[int, int]:
    """How many readings there are of a mission, and how many are kept."""
    if mission.logger.model in SOURCES:
        kept = kept_of_text(session, mission.uid)
        return kept, kept
    return mission.readings, size(kept_ranges(session, mission.id))


def launched_since(session: Session, logger_id: int, since_ms: int) -> tuple[int, int] | None:
    """Return number and launch of a logger's newest mission since an instant, None without one."""
    row = session.execute(
        select(Mission.number, Mission.launched_ms)
        .where(Mission.logger_id == logger_id, Mission.launched_ms >= since_ms)
        .order_by(Mission.launched_ms.desc())
    ).first()
    return None if row is None else (row[0], row[1])


def offloaded_since(session: Session, logger_id: int, since_ms: int) -> list[tuple[int, int]]:
    """Return how many new readings each offload of a logger since an instant brought, and when."""
    rows = session.execute(
        select(Offload.added, Offload.at_ms)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.logger_id == logger_id, Offload.at_ms >= since_ms)
    )
    return [(size([(a, b) for a, b in added]), at_ms) for added, at_ms in rows]


def newest_mission_ms(session: Session, point_id: int) -> int | None:
    """Return when the mission at a point began that began last, None without one."""
    return session.scalar(select(func.max(Mission.first_ms)).filter_by(point_id=point_id))


def offload_instants(session: Session, point_id: int) -> list[int]:
    """Return when something was offloaded of a point, latest first."""
    return list(session.scalars(
        select(Offload.at_ms)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.point_id == point_id)
        .order_by(Offload.at_ms.desc())
    ))  # fmt: skip


def raw_of_mission(session: Session, serial: str, number: int, launched_ms: int) -> list[str]:
    """Return the fingerprints of all bytes that were offloaded of a mission."""
    return list(session.scalars(
        select(Offload.sha256).join(Mission).join(Logger).where(
            Logger.serial == serial, Mission.number == number, Mission.launched_ms == launched_ms,
        )
    ))  # fmt: skip


def ways_of_reading(session: Session) -> list[dict[str, Any]]:
    """Return how each text was read that was taken in, oldest first."""
    query = select(Offload.reading).where(Offload.reading.is_not(None)).order_by(Offload.id)
    return [reading for reading in session.scalars(query) if reading]


def offloads_by_id(session: Session, ids: tuple[int, ...]) -> list[Offload]:
    """Return offloads by this database's keys."""
    return list(session.scalars(select(Offload).where(Offload.id.in_(ids))))


def all_offload_instants(session: Session) -> dict[int, list[int]]:
    """Return when something was offloaded of each point, oldest first, by the point's key."""
    found: dict[int, list[int]] = {}
    for point_id, at_ms in session.execute(
        select(Mission.point_id, Offload.at_ms)
        .join(Mission, Mission.id == Offload.mission_id)
        .where(Mission.point_id.is_not(None))
        .order_by(Offload.at_ms)
    ):
        found.setdefault(int(point_id or 0), []).append(at_ms)
    return found


def are_kept(session: Session, sha256: str) -> bool:
    """Whether exactly these bytes were offloaded, by their fingerprint."""
    return session.scalars(select(Offload.id).filter_by(sha256=sha256)).first() is not None


def kept_of(session: Session, serial: str, number: int, launched_ms: int) -> list[Range]:
    """Return which readings of a mission are kept; none of one that is not known."""
    key = session.scalars(
        select(Mission.id).join(Logger).where(
            Logger.serial == serial, Mission.number == number, Mission.launched_ms == launched_ms,
        )
    ).first()  # fmt: skip
    return kept_ranges(session, key) if key is not None else []


def plans_at(session: Session, point_id: int) -> list[tuple[int, int, Plan, int]]:
    """Return the missions at a point, begun first first: key, number, plan, begin (UTC ms)."""
    return [
        (m.id, m.number, plan_from_dict(m.plan), m.first_ms) for m in missions_at(session, point_id)
    ]


def last_plan_of(session: Session, serial: str) -> Plan | None:
    """Return the plan of the last mission at a logger's point, else of the logger's own last."""
    logger = session.scalars(select(Logger).filter_by(serial=serial)).first()
    if logger is None:
        return None
    query = select(Mission).order_by(Mission.launched_ms.desc()).limit(1)
    last = None
    if logger.point_id:
        last = session.scalars(query.filter_by(point_id=logger.point_id)).first()
    if last is None:
        last = session.scalars(query.filter_by(logger_id=logger.id)).first()
    return plan_of(session, last) if last is not None else None


def last_plan_at(session: Session, site: str, point: str) -> Plan | None:
    """Return the plan of the last mission at the point of these names, None without one."""
    last = session.scalars(
        select(Mission)
        .join(Point, Point.id == Mission.point_id)
        .join(Site, Site.id == Point.site_id)
        .where(Site.name == site, Point.name == point)
        .order_by(Mission.launched_ms.desc())
        .limit(1)
    ).first()
    return plan_of(session, last) if last else None


def plan_of(session: Session, mission: Mission) -> Plan:
    """Return the plan of a mission, for its point as that is called now: a point may have been
    renamed or moved since."""
    plan = plan_from_dict(mission.plan)
    point = session.get(Point, mission.point_id) if mission.point_id else None
    if point is None:
        return plan
    return replace(plan, point_name=full_name(point.site.name, point.name))


def kept_and_damaged(
    session: Session, logger_id: int, number: int, launched_ms: int
) -> tuple[list[Range], list[Range]]:
    """Return which readings of a mission are kept, and which came damaged at the last offload."""
    mission = known_mission(session, logger_id, number, launched_ms)
    if mission is None:
        return [], []
    return kept_ranges(session, mission.id), [(a, b) for a, b in mission.damaged or []]


def raws_named(session: Session) -> list[NamedRaw]:
    """Return every raw offload with its names, oldest first."""
    spans = offload_spans(session)
    rows = session.execute(
        select(Offload, Mission.number, Logger.serial, Point.name, Site.name)
        .join(Mission, Mission.id == Offload.mission_id)
        .join(Logger, Logger.id == Mission.logger_id)
        .join(Point, Point.id == Mission.point_id)
        .join(Site, Site.id == Point.site_id)
        .order_by(Offload.id)
    )
    named = []
    for offload, number, serial, point, site in rows:
        its = spans.get((offload.mission_id, offload.sha256), [])
        named.append(
            NamedRaw(
                offload.sha256, offload.size, site, point, serial, number, offload.at_ms,
                offload.person, offload.route, min((first for first, _ in its), default=None),
                max((last for _, last in its), default=None), offload.clock_difference_ms,
                offload.clock_uncertainty_ms, offload.carried, offload.reading,
            )
        )  # fmt: skip
    return named


def missions_at(session: Session, point_id: int) -> list[Mission]:
    """Return the missions at a point, begun first first."""
    query = select(Mission).filter_by(point_id=point_id).order_by(Mission.first_ms)
    return list(session.scalars(query))


def last_mission_at(session: Session, point_id: int) -> Mission | None:
    """Return the mission that was launched last at a point, None without one."""
    query = select(Mission).filter_by(point_id=point_id).order_by(Mission.launched_ms.desc())
    return session.scalars(query.limit(1)).first()


def mission_due_at(session: Session, point_id: int, at_ms: int) -> Mission | None:
    """Return the mission of a point under which a reading was due at an instant."""
    query = select(Mission).filter_by(point_id=point_id).where(Mission.first_ms <= at_ms)
    return session.scalars(query.order_by(Mission.first_ms.desc()).limit(1)).first()


def newest_number(session: Session, logger_id: int) -> int | None:
    """Return the number of the mission that a logger was launched for last."""
    query = select(Mission.number).filter_by(logger_id=logger_id)
    return session.scalars(query.order_by(Mission.launched_ms.desc()).limit(1)).first()


def latest_missions(session: Session) -> dict[int, Mission]:
    """Return the mission that began last at each point, by point; the others are not even read."""
    begun = func.row_number().over(
        partition_by=Mission.point_id, order_by=(Mission.first_ms.desc(), Mission.id.desc())
    )
    ranked = select(Mission.id, begun.label("place")).where(Mission.point_id.is_not(None))
    inner = ranked.subquery()
    rows = session.scalars(
        select(Mission)
        .join(inner, inner.c.id == Mission.id)
        .where(inner.c.place == 1)
        .options(joinedload(Mission.logger))
    )
    return {mission.point_id or 0: mission for mission in rows}


def offloads_in(session: Session, mission_id: int, span: Span) -> list[Offload]:
    """Return the offloads of a mission whose bytes hold readings of a stretch, oldest first."""
    spans = offload_spans(session, mission_id=mission_id)
    query = select(Offload).filter_by(mission_id=mission_id).order_by(Offload.at_ms)
    return [row for row in session.scalars(query)
            if reach_into(spans.get((mission_id, row.sha256), []), span)]  # fmt: skip


def offload_of(session: Session, offload_id: int) -> Offload:
    """Return an offload by this database's key."""
    return session.get_one(Offload, offload_id)


def something_offloaded_since(session: Session, point_id: int, since_ms: int) -> bool:
    """Whether something of a point was offloaded since an instant."""
    query = select(Offload.id).join(Mission, Mission.id == Offload.mission_id)
    query = query.where(Mission.point_id == point_id, Offload.at_ms >= since_ms).limit(1)
    return session.scalars(query).first() is not None


def switched_off(session: Session, mission: Mission, wanted: Range) -> tuple[Offload, Range] | None:
    """Return an offload that a fetch brought which is undone, and which of its readings would fill
    some that are wanted; None where there is none."""
    steps = session.scalars(select(Step).filter_by(point_id=mission.point_id)).all()
    for one in unused_readings(session, steps):
        for first, end in one.numbers:
            if one.mission_id == mission.id and first < wanted[1] and end > wanted[0]:
                return session.get_one(Offload, one.offload_id), (first, end)
    return None
