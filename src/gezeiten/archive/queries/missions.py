"""Missions out of the archive."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session, joinedload

from gezeiten.archive.intake.missions import find_mission, stored_ranges
from gezeiten.archive.local_cache.layout import Layout, layout
from gezeiten.archive.local_cache.readings import text_reading_count
from gezeiten.archive.queries.loggers import logger_view
from gezeiten.archive.store.tables import Logger, Mission, Point, SeriesAssignmentRow, Site
from gezeiten.domain.actions.offloads import SOURCES
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.facts.stored import GOING_ON, KnownMission
from gezeiten.domain.plan.plan import Plan, plan_from_dict
from gezeiten.domain.series.assignments import Deployment
from gezeiten.domain.series.coverage import Range, size
from gezeiten.domain.series.timeline import EVER_MS

_IS_LOGGER = Logger.model.not_in(SOURCES)


def missions_of(session: Session, logger_id: int) -> list[tuple[KnownMission, int]]:
    """Return the missions of a logger, launched last first, and how many readings of each are here;
    of a source there are as many as are here."""
    query = _missions().where(Mission.logger_id == logger_id).order_by(Mission.launched_ms.desc())
    return [_with_reading_count(session, row) for row in session.scalars(query)]


def _with_reading_count(session: Session, row: Mission) -> tuple[KnownMission, int]:
    if row.logger.model in SOURCES:
        stored = text_reading_count(session, row.uid)
        return replace(mission_view(row), readings=stored), stored
    return mission_view(row), size(stored_ranges(session, row.id))


def newest_launch_since(session: Session, logger_id: int, since_ms: int) -> tuple[int, int] | None:
    """Return number and launch of a logger's newest mission since an instant, None without one."""
    row = session.execute(
        select(Mission.number, Mission.launched_ms)
        .where(Mission.logger_id == logger_id, Mission.launched_ms >= since_ms)
        .order_by(Mission.launched_ms.desc())
    ).first()
    return None if row is None else (row[0], row[1])


def newest_mission_ms(session: Session, point_id: int) -> int | None:
    """Return when the mission at a point began that began last, None without one."""
    query = select(func.max(Mission.first_ms)).join(Logger, Logger.id == Mission.logger_id)
    return session.scalar(query.where(Mission.point_id == point_id, _IS_LOGGER))


def mission_ranges(session: Session, serial: str, number: int, launched_ms: int) -> list[Range]:
    """Return which readings of a mission are kept; none of one that is not known."""
    key = session.scalars(
        select(Mission.id)
        .join(Logger)
        .where(
            Logger.serial == serial,
            Mission.number == number,
            Mission.launched_ms == launched_ms,
        )
    ).first()
    return stored_ranges(session, key) if key is not None else []


def latest_plan_of_logger(session: Session, serial: str) -> Plan | None:
    """Return the plan of the last mission at a logger's point, else of the logger's own last."""
    logger = session.scalars(select(Logger).filter_by(serial=serial)).first()
    if logger is None:
        return None
    query = select(Mission).order_by(Mission.launched_ms.desc()).limit(1)
    last = None
    if logger.point_id:
        there = query.join(Logger).where(Mission.point_id == logger.point_id, _IS_LOGGER)
        last = session.scalars(there).first()
    if last is None:
        last = session.scalars(query.filter_by(logger_id=logger.id)).first()
    return plan_of(session, mission_view(last)) if last is not None else None


def latest_plan_at_point(session: Session, site: str, point: str) -> Plan | None:
    """Return the plan of the last mission at the point of these names, None without one."""
    last = session.scalars(
        select(Mission)
        .join(Point, Point.id == Mission.point_id)
        .join(Site, Site.id == Point.site_id)
        .join(Logger, Logger.id == Mission.logger_id)
        .where(Site.name == site, Point.name == point, _IS_LOGGER)
        .order_by(Mission.launched_ms.desc())
        .limit(1)
    ).first()
    return plan_of(session, mission_view(last)) if last else None


def plan_of(session: Session, mission: KnownMission) -> Plan:
    """Return the plan of a mission, for its point as that is called now: a point may have been
    renamed or moved since."""
    plan = plan_from_dict(mission.plan)
    point = session.get(Point, mission.point_id) if mission.point_id else None
    if point is None:
        return plan
    return replace(plan, point_name=full_name(point.site.name, point.name))


def stored_and_damaged_ranges(
    session: Session, logger_id: int, number: int, launched_ms: int
) -> tuple[list[Range], list[Range]]:
    """Return which readings of a mission are kept, and which came damaged at the last offload."""
    mission = find_mission(session, logger_id, number, launched_ms)
    if mission is None:
        return [], []
    return stored_ranges(session, mission.id), [(a, b) for a, b in mission.damaged or []]


def missions_by_id(session: Session, uids: Iterable[str]) -> dict[str, KnownMission]:
    """Return missions by their ids."""
    query = _missions().where(Mission.uid.in_(list(uids)))
    return {row.uid: mission_view(row) for row in session.scalars(query)}


def recording_at(session: Session, point_id: int, but: str) -> list[str]:
    """Return the serials of the loggers, but one, whose missions go on at a point as far as is
    known."""
    last: dict[str, KnownMission] = {}
    for mission, deployments in missions_at(session, point_id):
        if deployments is not None and mission.logger.model not in SOURCES:
            last[mission.logger.serial] = mission
    return sorted(
        serial for serial, mission in last.items() if serial != but and mission.state in GOING_ON
    )


def missions_at(session: Session, point_id: int) -> list[tuple[KnownMission, Deployment | None]]:
    """Return the missions that stood at a point, begun first first, with when they did; None for
    one that was launched for it and waits for its button."""
    made = layout(session)
    deployments = [
        deployment for deployment in made.deployments if deployment.point == made.points[point_id]
    ]
    by_id = missions_by_id(session, {one.stay.mission for one in deployments})
    waiting = _missions().where(Mission.point_id == point_id, Mission.first_ms == 0)
    found: list[tuple[KnownMission, Deployment | None]] = [
        (mission_view(row), None) for row in session.scalars(waiting)
    ]
    found += [(by_id[one.stay.mission], one) for one in deployments]
    return sorted(found, key=lambda one: (one[0].first_ms, one[1].start_ms if one[1] else 0))


def latest_mission_at_point(session: Session, point_id: int) -> KnownMission | None:
    """Return the mission that a logger was launched for last at a point, None without one."""
    query = _missions().join(Logger).where(Mission.point_id == point_id, _IS_LOGGER)
    query = query.order_by(Mission.launched_ms.desc())
    row = session.scalars(query.limit(1)).first()
    return None if row is None else mission_view(row)


def mission_due_at(session: Session, point_id: int, at_ms: int) -> KnownMission | None:
    """Return the logger's mission at a point under which a reading was due at an instant."""
    made = layout(session)
    there = [
        deployment
        for deployment in made.deployments
        if deployment.point == made.points[point_id]
        and deployment.stay.is_logger
        and deployment.start_ms <= at_ms
    ]
    if not there:
        return None
    last = max(there, key=lambda one: one.start_ms).stay.mission
    return missions_by_id(session, [last])[last]


def _missions() -> Select[Mission]:
    return select(Mission).options(joinedload(Mission.logger))


def mission_view(row: Mission) -> KnownMission:
    """Return a mission as it is handed out."""
    return KnownMission(
        row.id,
        row.point_id,
        logger_view(row.logger),
        row.number,
        row.launched_ms,
        row.first_ms,
        row.interval_ms,
        row.plan,
        row.state,
        row.first_held,
        row.readings,
    )


def newest_number(session: Session, logger_id: int) -> int | None:
    """Return the number of the mission that a logger was launched for last."""
    query = select(Mission.number).filter_by(logger_id=logger_id)
    return session.scalars(query.order_by(Mission.launched_ms.desc()).limit(1)).first()


def latest_missions(session: Session) -> dict[int, tuple[KnownMission, bool]]:
    """Return the logger's mission that began last at each point, by point, and whether it stands
    there still; that of a text or a live line where no logger was. The others are not even read."""
    made, archive = layout(session), session.info.get("archive")
    if archive is None:
        return _latest(session, made)
    if archive.latest is None or archive.latest[0] is not made:
        archive.latest = (made, _latest(session, made))
    return dict(archive.latest[1])


def _latest(session: Session, made: Layout) -> dict[int, tuple[KnownMission, bool]]:
    last: dict[str, Deployment] = {}
    for deployment in made.deployments:
        before = last.get(deployment.point)
        if before is None or _newer(deployment) > _newer(before):
            last[deployment.point] = deployment
    found = missions_by_id(session, {deployment.stay.mission for deployment in last.values()})
    latest = _waiting(session)
    for key, uid in made.points.items():
        if uid in last:
            mission = found[last[uid].stay.mission]
            latest[key] = (mission, last[uid].end_ms == EVER_MS)
    return latest


def _newer(deployment: Deployment) -> tuple[bool, int, int]:
    return (deployment.stay.is_logger, deployment.start_ms, deployment.stay.first_ms)


def _waiting(session: Session) -> dict[int, tuple[KnownMission, bool]]:
    """The missions that wait for their button, by the point they were launched for."""
    query = _missions().where(Mission.first_ms == 0, Mission.point_id.is_not(None))
    rows = session.scalars(query.order_by(Mission.id))
    return {row.point_id or 0: (mission_view(row), True) for row in rows}


def missions_of_labelled_series(session: Session) -> dict[int, list[KnownMission]]:
    """Return the missions of loggers that are said to feed a labelled series of a point still, and
    stand there, by point: those beside the one that began last."""
    made = layout(session)
    said = set(
        session.scalars(
            select(Logger.serial)
            .join(SeriesAssignmentRow, SeriesAssignmentRow.logger_id == Logger.id)
            .where(
                SeriesAssignmentRow.undone_ms.is_(None),
                SeriesAssignmentRow.end_ms.is_(None),
                SeriesAssignmentRow.label != "",
            )
        )
    )
    still = [
        deployment
        for deployment in made.deployments
        if deployment.end_ms == EVER_MS and deployment.stay.is_logger
    ]
    there = [one for one in still if one.stay.source in said]
    known = missions_by_id(session, {one.stay.mission for one in there})
    latest = latest_missions(session) if there else {}
    keys = made.keys
    found: dict[int, list[KnownMission]] = {}
    for one in there:
        mission, point = known[one.stay.mission], keys.get(one.point)
        if point is not None and latest[point][0].id != mission.id:
            found.setdefault(point, []).append(mission)
    return found
