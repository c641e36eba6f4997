"""Missions out of the archive."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session, joinedload

from gezeiten.archive.here.readings import (
    kept_of_text,
)
from gezeiten.archive.intake.missions import kept_ranges, known_mission
from gezeiten.archive.loggers import known_logger_of
from gezeiten.archive.store.tables import Logger, Mission, Point, Site
from gezeiten.domain.acts.offloads import SOURCES
from gezeiten.domain.coverage import Range, size
from gezeiten.domain.kept import KnownMission
from gezeiten.domain.plan import Plan, plan_from_dict
from gezeiten.domain.sites import full_name


def missions_of(session: Session, logger_id: int) -> list[tuple[KnownMission, int]]:
    """Return the missions of a logger, launched last first, and how many readings of each are here;
    of a source there are as many as are here."""
    query = _missions().where(Mission.logger_id == logger_id).order_by(Mission.launched_ms.desc())
    return [_with_kept(session, row) for row in session.scalars(query)]


def _with_kept(session: Session, row: Mission) -> tuple[KnownMission, int]:
    if row.logger.model in SOURCES:
        kept = kept_of_text(session, row.uid)
        return replace(known(row), readings=kept), kept
    return known(row), size(kept_ranges(session, row.id))


def launched_since(session: Session, logger_id: int, since_ms: int) -> tuple[int, int] | None:
    """Return number and launch of a logger's newest mission since an instant, None without one."""
    row = session.execute(
        select(Mission.number, Mission.launched_ms)
        .where(Mission.logger_id == logger_id, Mission.launched_ms >= since_ms)
        .order_by(Mission.launched_ms.desc())
    ).first()
    return None if row is None else (row[0], row[1])


def newest_mission_ms(session: Session, point_id: int) -> int | None:
    """Return when the mission at a point began that began last, None without one."""
    return session.scalar(select(func.max(Mission.first_ms)).filter_by(point_id=point_id))


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
    return plan_of(session, known(last)) if last is not None else None


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
    return plan_of(session, known(last)) if last else None


def plan_of(session: Session, mission: KnownMission) -> Plan:
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


def missions_at(session: Session, point_id: int) -> list[KnownMission]:
    """Return the missions at a point, begun first first."""
    query = _missions().where(Mission.point_id == point_id).order_by(Mission.first_ms)
    return [known(row) for row in session.scalars(query)]


def last_mission_at(session: Session, point_id: int) -> KnownMission | None:
    """Return the mission that was launched last at a point, None without one."""
    query = _missions().where(Mission.point_id == point_id).order_by(Mission.launched_ms.desc())
    row = session.scalars(query.limit(1)).first()
    return None if row is None else known(row)


def mission_due_at(session: Session, point_id: int, at_ms: int) -> KnownMission | None:
    """Return the mission of a point under which a reading was due at an instant."""
    query = _missions().where(Mission.point_id == point_id, Mission.first_ms <= at_ms)
    row = session.scalars(query.order_by(Mission.first_ms.desc()).limit(1)).first()
    return None if row is None else known(row)


def _missions() -> Select[Mission]:
    return select(Mission).options(joinedload(Mission.logger))


def known(row: Mission) -> KnownMission:
    """Return a mission as it is handed out."""
    return KnownMission(
        row.id, row.point_id, known_logger_of(row.logger), row.number, row.launched_ms,
        row.first_ms, row.interval_ms, row.plan, row.state, row.first_held, row.readings,
    )  # fmt: skip


def newest_number(session: Session, logger_id: int) -> int | None:
    """Return the number of the mission that a logger was launched for last."""
    query = select(Mission.number).filter_by(logger_id=logger_id)
    return session.scalars(query.order_by(Mission.launched_ms.desc()).limit(1)).first()


def latest_missions(session: Session) -> dict[int, KnownMission]:
    """Return the mission that began last at each point, by point; the others are not even read."""
    begun = func.row_number().over(
        partition_by=Mission.point_id, order_by=(Mission.first_ms.desc(), Mission.id.desc())
    )
    ranked = select(Mission.id, begun.label("place")).where(Mission.point_id.is_not(None))
    inner = ranked.subquery()
    rows = session.scalars(
        _missions().join(inner, inner.c.id == Mission.id).where(inner.c.place == 1)
    )
    return {row.point_id or 0: known(row) for row in rows}
