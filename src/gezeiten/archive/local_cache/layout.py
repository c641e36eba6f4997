"""Where sources stood, which mission feeds which series and which are calculated from others, as
missions, blocks and what people said make it; kept in memory until one of them changes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from sqlalchemy import String, func, select, type_coerce
from sqlalchemy.orm import Session

from gezeiten.archive.local_cache.tables import Block, RecordRow
from gezeiten.archive.queries.calculated_series import stated_calculations
from gezeiten.archive.queries.clocks import clocks_in_force, wrong_clock_offsets_ms
from gezeiten.archive.queries.sensor_depths import hangings
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.stored_plan import stored_plan
from gezeiten.archive.store.tables import (
    DeploymentRow,
    LogbookRow,
    Logger,
    Mission,
    OverviewRow,
    Point,
    SeriesAssignmentRow,
)
from gezeiten.domain.actions.offloads import SOURCES
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.assignments import (
    NOWHERE,
    Deployment,
    MissionStay,
    SeriesAssignment,
    StatedAssignment,
    StatedDeployment,
    deployments,
    series_assignments,
)
from gezeiten.domain.series.clocks.clock_map import RIGHT, ClockMap
from gezeiten.domain.series.timeline import EVER_MS
from gezeiten.domain.steps.calculated_series import (
    CalculatedSeries,
    Key,
    in_force,
    root,
    transitive_inputs,
)
from gezeiten.errors import ArchiveDamagedError, PlanError


@dataclass(frozen=True, slots=True)
class ShownSeries:
    """A series that is shown at a point."""

    key: str
    unit: str


@dataclass(frozen=True, slots=True)
class Layout:
    """missions: keys in this database by id; plans: of missions as they are stored, by id; points:
    ids by key; stays: all missions where they were launched for; deployments: all of them;
    assignments: of each series, by point (its id) and series, in order of time; by_point,
    by_mission: the same another way; shown: the series of each point; derived: those that are
    calculated; keys: of points by their ids."""

    missions: dict[str, int]
    plans: dict[str, str]
    points: dict[int, str]
    stays: tuple[MissionStay, ...]
    deployments: tuple[Deployment, ...]
    assignments: dict[tuple[str, str], tuple[SeriesAssignment, ...]]
    by_point: dict[str, list[SeriesAssignment]]
    by_mission: dict[str, list[SeriesAssignment]]
    shown: dict[str, tuple[ShownSeries, ...]]
    derived: dict[Key, CalculatedSeries]
    keys: dict[str, int]

    def plan_of(self, mission: str) -> Plan:
        """Return the plan of a mission (its id) as it was launched.

        Raises:
            ArchiveDamagedError: it cannot be read.
        """
        return stored_plan(self.plans[mission])

    def of_series(self, point_id: int, key: str) -> tuple[SeriesAssignment, ...]:
        """Return what feeds a measured series, in order of time."""
        return self.assignments.get((self.points[point_id], key), ())

    def calculated(self, point_id: int, key: str) -> CalculatedSeries | None:
        """Return how a series is calculated, None where it is measured."""
        return self.derived.get((self.points[point_id], key))

    def inputs_of(self, calculated: CalculatedSeries) -> list[tuple[int, str]]:
        """Return the inputs of a calculated series, with the keys of their points."""
        return [(self.keys[point], series) for point, series in calculated.inputs]

    def root_of(self, point_id: int, key: str) -> str:
        """Return the measured series of a point whose instants a series of it has."""
        return root((self.points[point_id], key), self.derived)[1]

    def resting_on(self, point_id: int) -> list[int]:
        """Return the keys of the other points where something is calculated from one's series."""
        uid = self.points[point_id]
        return list(
            dict.fromkeys(
                self.keys[one.point]
                for one in self.derived.values()
                if one.point != uid
                and any(at == uid for at, _ in transitive_inputs(one, self.derived))
            )
        )

    def of_mission(self, mission: str, channel: str) -> list[SeriesAssignment]:
        """Return what a channel of a mission (its id) feeds."""
        return [one for one in self.by_mission.get(mission, ()) if one.channel == channel]

    def points_of(self, mission_id: int) -> list[int]:
        """Return the keys of the points where readings of a mission (its key) are."""
        its = {
            one.point
            for uid, assigned in self.by_mission.items()
            for one in assigned
            if self.missions[uid] == mission_id
        }
        return sorted(self.keys[uid] for uid in its)

    def clock_of(self, mission_id: int) -> ClockMap:
        """Return what puts the instants of a mission's (its key) readings right."""
        its = (one.clock for one in self.stays if self.missions[one.mission] == mission_id)
        return next(its, RIGHT)

    def at_point(self, point_id: int) -> list[SeriesAssignment]:
        """Return all that feeds a series of a point."""
        return list(self.by_point.get(self.points[point_id], ()))


class _RecordedChannel(NamedTuple):
    """A channel of a mission: its unit, its first and last reading, and when it came."""

    channel: str
    unit: str
    first_ms: int
    last_ms: int
    order: int


_RECORDED = PreparedStatement(
    select(
        Block.mission,
        Block.channel,
        Block.unit,
        func.min(Block.start_ms),
        func.max(Block.end_ms),
        func.min(Block.id),
    ).group_by(Block.mission, Block.channel, Block.unit)
)
_POINTS = PreparedStatement(select(Point.id, Point.uid))
_MISSIONS = PreparedStatement(
    select(
        Mission.id,
        Mission.uid,
        Logger.serial,
        Logger.model,
        Mission.point_id,
        Mission.launched_ms,
        Mission.first_ms,
        type_coerce(Mission.plan, String),
    )
    .join(Logger, Logger.id == Mission.logger_id)
    .order_by(Mission.id)
)


def layout(session: Session) -> Layout:
    """Return the layout of an archive as it is now."""
    version = _version(session)
    archive = session.info.get("archive")
    if archive is not None and archive.layout and archive.layout[0] == version:
        known: Layout = archive.layout[1]
        return known
    made = _build(session)
    if archive is not None:
        archive.layout = (version, made)
    return made


_VERSION = PreparedStatement(
    select(
        select(LogbookRow.hash).order_by(LogbookRow.seq.desc()).limit(1).scalar_subquery(),
        select(func.sum(RecordRow.changes)).scalar_subquery(),
        select(func.count(RecordRow.id)).scalar_subquery(),
        select(func.count(Block.id)).scalar_subquery(),
        select(func.max(Block.id)).scalar_subquery(),
    )
)


def _version(session: Session) -> Any:
    return _VERSION.first_row(session.connection())


def _build(session: Session) -> Layout:
    recorded = _recorded(session)
    clocks = {uid: one.map for uid, one in clocks_in_force(session).items()}
    wrong = wrong_clock_offsets_ms(session)
    bare = _overviews(session)
    points = {row[0]: row[1] for row in _POINTS.each(session.connection())}
    stays, missions, plans = [], {}, {}
    texts: dict[str, str] = {}  # most missions have the plan of another
    for row in _MISSIONS.each(session.connection()):
        key, uid, serial, model, point_id, launched_ms, first_ms, plan = row
        missions[uid], plans[uid] = key, texts.setdefault(plan, plan)
        channels, clock = _channels(recorded.get(uid), plan), clocks.get(uid, RIGHT)
        first_ms = clock.corrected_instant(first_ms) if first_ms else first_ms
        stays.append(
            MissionStay(
                uid,
                serial,
                model not in SOURCES,
                points.get(point_id or 0, NOWHERE),
                clock.corrected_instant(launched_ms),
                first_ms,
                channels,
                clock,
                uid in wrong,
            )
        )
    stated = tuple(deployments(stays, _deployments(session)))
    by_series: dict[tuple[str, str], list[SeriesAssignment]] = {}
    by_point: dict[str, list[SeriesAssignment]] = {}
    by_mission: dict[str, list[SeriesAssignment]] = {}
    for series_assignment in series_assignments(stated, _assignments(session)):
        by_series.setdefault((series_assignment.point, series_assignment.series), []).append(
            series_assignment
        )
        by_point.setdefault(series_assignment.point, []).append(series_assignment)
        by_mission.setdefault(series_assignment.deployment.stay.mission, []).append(
            series_assignment
        )
    assigned = {key: tuple(listed) for key, listed in by_series.items()}
    depths = {point: tuple(one.depth for one in its) for point, its in hangings(session).items()}
    derived = in_force(
        replace(stated_calculation, sensor_depths=depths.get(stated_calculation.point, ()))
        for stated_calculation in stated_calculations(session.connection())
    )
    shown = _with_derived(_shown(assigned, recorded, bare), derived)
    keys = {uid: key for key, uid in points.items()}
    return Layout(
        missions,
        plans,
        points,
        tuple(stays),
        stated,
        assigned,
        by_point,
        by_mission,
        shown,
        derived,
        keys,
    )


def _recorded(session: Session) -> dict[str, list[_RecordedChannel]]:
    """Return the channels of each mission that have blocks."""
    found: dict[str, list[_RecordedChannel]] = {}
    for row in _RECORDED.each(session.connection()):
        found.setdefault(row[0], []).append(_RecordedChannel._make(row[1:]))
    return found


def _overviews(session: Session) -> dict[str, int]:
    """Return the missions with overviews, with when the first came."""
    rows = session.execute(
        select(Mission.uid, func.min(OverviewRow.id))
        .join(OverviewRow, OverviewRow.mission_id == Mission.id)
        .group_by(Mission.uid)
    )
    return {row[0]: row[1] for row in rows}


def _channels(recorded: list[_RecordedChannel] | None, plan: str) -> tuple[str, ...]:
    if recorded is not None:
        ordered = sorted(recorded, key=lambda one: one.order)
        return tuple(dict.fromkeys(one.channel for one in ordered))
    try:  # nothing came of it yet
        return stored_plan(plan).channels
    except (PlanError, ArchiveDamagedError):
        return ()


def _deployments(session: Session) -> list[StatedDeployment]:
    rows = session.execute(
        select(Logger.serial, Point.uid, DeploymentRow.start_ms, DeploymentRow.end_ms)
        .join(Logger, Logger.id == DeploymentRow.logger_id)
        .outerjoin(Point, Point.id == DeploymentRow.point_id)
        .where(DeploymentRow.undone_ms.is_(None))
        .order_by(DeploymentRow.said_ms, DeploymentRow.uid)
    )
    return [
        StatedDeployment(serial, point or NOWHERE, start_ms, EVER_MS if end_ms is None else end_ms)
        for serial, point, start_ms, end_ms in rows
    ]


def _assignments(session: Session) -> list[StatedAssignment]:
    rows = session.execute(
        select(
            Point.uid,
            SeriesAssignmentRow.channel,
            SeriesAssignmentRow.label,
            Logger.serial,
            SeriesAssignmentRow.start_ms,
            SeriesAssignmentRow.end_ms,
        )
        .join(Point, Point.id == SeriesAssignmentRow.point_id)
        .join(Logger, Logger.id == SeriesAssignmentRow.logger_id)
        .where(SeriesAssignmentRow.undone_ms.is_(None))
        .order_by(SeriesAssignmentRow.said_ms, SeriesAssignmentRow.uid)
    )
    return [
        StatedAssignment(
            point, channel, label, source, start_ms, EVER_MS if end_ms is None else end_ms
        )
        for point, channel, label, source, start_ms, end_ms in rows
    ]


# -- which are shown -------------------------------------------------------------------------------
def _shown(
    assigned: dict[tuple[str, str], tuple[SeriesAssignment, ...]],
    recorded: dict[str, list[_RecordedChannel]],
    overviews: dict[str, int],
) -> dict[str, tuple[ShownSeries, ...]]:
    """Return the series of each point that have readings, or an overview, by channel in the order
    in which they came."""
    arrivals: dict[tuple[str, str], float] = {}
    found: dict[str, list[tuple[str, ShownSeries]]] = {}
    for (point, key), listed in assigned.items():
        channel = listed[0].channel
        parts = [part for one in listed for part in _within(one, recorded)]
        if parts:
            order = float(min(part.order for part in parts))
            shown = ShownSeries(key, parts[-1].unit)
        elif any(one.mission in overviews and not one.label for one in listed):
            order = 1e15 + min(overviews.get(one.mission, 2**40) for one in listed)
            shown = ShownSeries(key, quantity(channel).unit)
        else:
            continue
        arrivals[point, channel] = min(order, arrivals.get((point, channel), order))
        found.setdefault(point, []).append((channel, shown))
    return {
        point: tuple(
            shown
            for channel, shown in sorted(
                listed, key=lambda one: (arrivals[point, one[0]], one[0], one[1].key)
            )
        )
        for point, listed in found.items()
    }


def _with_derived(
    shown: dict[str, tuple[ShownSeries, ...]], derived: dict[Key, CalculatedSeries]
) -> dict[str, tuple[ShownSeries, ...]]:
    """Return what is shown with what is calculated, after all that is measured at its point, where
    there are readings of all that it rests on."""
    measured = {(point, one.key) for point, listed in shown.items() for one in listed}
    found = dict(shown)
    for series in derived.values():
        if all(key in measured or key in derived for key in transitive_inputs(series, derived)):
            added = ShownSeries(series.series, quantity(series.series).unit)
            found[series.point] = (*found.get(series.point, ()), added)
    return found


def _within(
    assignment: SeriesAssignment, recorded: dict[str, list[_RecordedChannel]]
) -> list[_RecordedChannel]:
    """Return what its mission recorded of its channel in its stretch."""
    channel = assignment.channel
    its = [one for one in recorded.get(assignment.mission, ()) if one.channel == channel]
    if not its:
        return its
    start_ms, end_ms = assignment.clock.shown_span((assignment.start_ms, assignment.end_ms))
    return [one for one in its if one.first_ms < end_ms and one.last_ms >= start_ms]
