"""A day's round: which sites in which order, what to bring, plans ready to send, what is left."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.intake.missions import stored_ranges
from gezeiten.archive.queries.loggers import last_seen_logger
from gezeiten.archive.queries.missions import latest_mission_at_point, plan_of
from gezeiten.archive.queries.offloads import has_offloads_since
from gezeiten.archive.queries.rounds import StoredRound, StoredTask, find_open_round, stored_task
from gezeiten.archive.queries.sites import StoredPoint, StoredSite, stored_point, stored_site
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.logger.launch.planning import relaunchable_plan
from gezeiten.domain.actions.visits import (
    DueVisit,
    PlannedTask,
    RoundClosed,
    RoundMade,
    TaskOmitted,
    TaskPlanned,
)
from gezeiten.domain.board.board import Board
from gezeiten.domain.board.facts import BoardSite
from gezeiten.domain.board.route import Position, length_km, round_order
from gezeiten.domain.board.rows import BoardRow
from gezeiten.domain.board.thresholds import BATTERY_TO_TAKE, CALIBRATION_TO_TAKE_MS
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.facts.stored import KnownLogger, KnownMission
from gezeiten.domain.plan.models import find_model, logger_model
from gezeiten.domain.plan.plan import Plan, plan_from_dict
from gezeiten.domain.series.coverage import size
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError
from gezeiten.link.registers import Flag

USUAL_VISIT_DAYS = 60


@dataclass(frozen=True, slots=True)
class VisitTask:
    """What is to be done at a point. plan: to be launched there, None: only offload.

    offloaded, launched: seen since the round was made. omitted_because: why it was not done, or "".
    """

    id: int
    point_id: int
    site: str
    point: str
    zone: str
    serial: str
    model: str
    reasons: tuple[str, ...]
    plan: Plan | None
    offloaded: bool
    launched: bool
    omitted_because: str

    @property
    def is_done(self) -> bool:
        """Left out with a reason, or offloaded and, where that was asked, launched."""
        return bool(self.omitted_because) or (
            self.offloaded and (self.plan is None or self.launched)
        )


@dataclass(frozen=True, slots=True)
class Round:
    """A round as it stands. distance_km: straight-line distance along the sites."""

    id: int
    uid: str
    day_ms: int
    planned_by: str
    tasks: tuple[VisitTask, ...]
    bring: tuple[str, ...]
    distance_km: float

    @property
    def sites(self) -> tuple[str, ...]:
        """The sites in the order of the way, each once."""
        return tuple(dict.fromkeys(task.site for task in self.tasks))

    @property
    def left(self) -> tuple[VisitTask, ...]:
        """The tasks that are not done yet."""
        return tuple(task for task in self.tasks if not task.is_done)


def make_round(desk: Workspace, site_ids: list[int], day_ms: int) -> Round:
    """Make the round of a day; an open one is closed first. The most pressing site comes first.

    Raises:
        InputError: no site, or none with a point in use.
    """
    shown = board(desk)
    selected = [(site, rows) for site, rows in shown.sites if site.id in site_ids and rows]
    if not selected:
        raise InputError("A round needs a site with an active point; select at least one.")
    close_round(desk)
    with desk.archive.writing() as session:
        order = _order(session, [site.id for site, _ in selected], _most_pressing(selected, shown))
        rows = [row for i in order for row in selected[i][1]]
        tasks = [_planned(session, row, day_ms) for row in rows]
        names = ", ".join(selected[i][0].name for i in order)
        desk.do_within(session, RoundMade(fresh_id(), day_ms, names, tuple(tasks)))
    found = open_round(desk)
    assert found is not None
    return found


def _planned(session: ArchiveSession, row: BoardRow, day_ms: int) -> PlannedTask:
    plan = _plan_to_launch(session, row, day_ms)
    point = stored_point(session, row.point.id)
    return PlannedTask(fresh_id(), point.uid, plan.as_dict() if plan else None)


def _most_pressing(selected: list[tuple[BoardSite, tuple[BoardRow, ...]]], shown: Board) -> int:
    """Index of the site whose visit is due first."""
    due = {visit.site.id: visit.due_ms for visit in shown.visits}
    return min(range(len(selected)), key=lambda i: due.get(selected[i][0].id, 2**62))


def _order(session: ArchiveSession, site_ids: list[int], first: int) -> list[int]:
    return round_order(_positions(session, site_ids), first)


def _positions(session: ArchiveSession, site_ids: list[int]) -> list[Position | None]:
    found: list[Position | None] = []
    for site_id in site_ids:
        at = stored_site(session, site_id).facts
        known = at.latitude is not None and at.longitude is not None
        found.append((at.latitude or 0.0, at.longitude or 0.0) if known else None)
    return found


def _plan_to_launch(session: ArchiveSession, row: BoardRow, day_ms: int) -> Plan | None:
    """The last plan where the logger must be launched again: it has ended, ends before the visit
    after this one, or its clock is off."""
    last = latest_mission_at_point(session, row.point.id)
    if last is None:
        return None
    site = stored_site(session, row.point.site_id).facts
    following = day_ms + (site.visit_every_days or USUAL_VISIT_DAYS) * DAY_MS
    ends_early = row.ends_ms is not None and row.ends_ms < following
    clock_off = any(need.kind == "clock" for need in row.needs)
    if row.is_recording and not ends_early and not clock_off:
        return None
    return relaunchable_plan(plan_of(session, last))


def open_round(desk: Workspace) -> Round | None:
    """Return the round under way, None where there is none."""
    with desk.archive.reading() as session:
        row = find_open_round(session)
        if row is None:
            return None
        shown = {r.point.id: r for _, rows in board(desk).sites for r in rows}
        tasks = [_task(session, task, row, shown.get(task.point_id)) for task in row.tasks]
        site_ids = list(dict.fromkeys(t.point_id for t in row.tasks))
        sites = dict.fromkeys(stored_point(session, i).site_id for i in site_ids)
        places = [p for p in _positions(session, list(sites)) if p is not None]
        bring = _to_bring(desk, session, tasks)
        return Round(
            row.id,
            row.uid,
            row.day_ms,
            row.planned_by,
            tuple(tasks),
            tuple(bring),
            length_km(places),
        )


def _task(
    session: ArchiveSession, task: StoredTask, row: StoredRound, shown: BoardRow | None
) -> VisitTask:
    point = stored_point(session, task.point_id)
    site = stored_site(session, point.site_id).facts
    last = latest_mission_at_point(session, point.id)
    logger = last.logger if last else None
    offloaded = _is_offloaded_since(session, point.id, last, row.planned_ms)
    return VisitTask(
        task.id,
        point.id,
        site.name,
        point.facts.name,
        site.zone,
        logger.serial if logger else "",
        _model_text(logger),
        tuple(need.words for need in shown.needs) if shown else (),
        plan_from_dict(task.plan) if task.plan else None,
        offloaded,
        bool(last and last.launched_ms >= row.planned_ms),
        task.omitted_because,
    )


def _model_text(logger: KnownLogger | None) -> str:
    """The model, and that the logger is one to practise with where it is."""
    if logger is None:
        return ""
    return f"{logger.model} (practice)" if logger.practice else logger.model


def _is_offloaded_since(
    session: ArchiveSession, point_id: int, last: KnownMission | None, since_ms: int
) -> bool:
    """Whether something was offloaded there since, or all was found to be kept."""
    has_new = has_offloads_since(session, point_id, since_ms)
    if has_new or last is None:
        return has_new
    seen = last.logger.seen_ms or 0
    held = last.readings - last.first_held
    return seen >= since_ms and size(stored_ranges(session, last.id)) >= held


def _to_bring(desk: Workspace, session: ArchiveSession, tasks: list[VisitTask]) -> list[str]:
    """What the round needs, in sentences without a full stop."""
    cells: dict[str, list[str]] = {}
    texts = []
    for task in tasks:
        logger = last_seen_logger(session, task.serial)
        if logger is not None and find_model(logger.model) is None:
            continue  # a text or a live line: nothing is carried there
        if logger is None:
            texts.append(f"A logger for {task.point}: nothing has measured there yet")
            continue
        state = logger.state or {}
        battery = int(state.get("battery_permille", 1000)) / 1000
        if battery < BATTERY_TO_TAKE or "battery" in task.reasons:
            cells.setdefault(logger_model(logger.model).battery.name, []).append(task.serial)
        due_day = int(state.get("calibration_due_day", 0))
        if due_day and due_day * DAY_MS - desk.now_ms() < CALIBRATION_TO_TAKE_MS:
            texts.append(f"A calibrated {logger.model} in exchange for {task.serial}")
        if int(state.get("flags", 0)) & Flag.LOCKED:
            texts.append(f"The PIN of {task.site} for {task.serial}")
    batteries = [f"{cell} for {', '.join(serials)}" for cell, serials in cells.items()]
    routes = ["Network cable and adapter"] if tasks else []
    return batteries + texts + routes


def set_task_plan(desk: Workspace, task: VisitTask, plan: Plan | None) -> None:
    """Say what is to be launched at a point of the round; None: only offload."""
    here = full_name(task.site, task.point)
    after = replace(plan, point_name=here).as_dict() if plan else None
    with desk.archive.writing() as session:
        row = stored_task(session, task.id)
        point = stored_point(session, task.point_id)
        action = TaskPlanned(row.round, row.uid, point.uid, row.plan, after)
        desk.do_within(session, action)


def omit_task(desk: Workspace, task: VisitTask, reason: str) -> None:
    """Say why a point of the round is not done; "" takes that back.

    Raises:
        InputError: the reason is too long.
    """
    cleaned = " ".join(reason.split())
    if len(cleaned) > 200:
        raise InputError("A reason has up to 200 characters; shorten it.")
    with desk.archive.writing() as session:
        row = stored_task(session, task.id)
        point = stored_point(session, task.point_id)
        action = TaskOmitted(row.round, row.uid, point.uid, row.omitted_because, cleaned)
        desk.do_within(session, action)


def close_round(desk: Workspace) -> None:
    """End the round under way. Sites all of whose points are done get their next visit by duty."""
    under_way = open_round(desk)
    if under_way is None:
        return
    left = {task.site for task in under_way.left}
    done = len(under_way.tasks) - len(under_way.left)
    with desk.archive.writing() as session:
        visited = {point.site_id for point in _points_of(session, under_way, left)}
        visits = [_due_visit(desk, stored_site(session, site_id)) for site_id in sorted(visited)]
        due = tuple(visit for visit in visits if visit is not None)
        names = ", ".join(under_way.sites)
        desk.do_within(session, RoundClosed(under_way.uid, names, done, len(under_way.tasks), due))


def _points_of(session: ArchiveSession, under_way: Round, but_at: set[str]) -> list[StoredPoint]:
    """The points of a round but those at some sites."""
    tasks = [task for task in under_way.tasks if task.site not in but_at]
    return [stored_point(session, task.point_id) for task in tasks]


def _due_visit(desk: Workspace, site: StoredSite) -> DueVisit | None:
    """The next visit of a site by its duty, after it has been visited today."""
    days = site.facts.visit_every_days
    if not days:
        return None
    after_ms = desk.now_ms() + days * DAY_MS
    return DueVisit(site.uid, site.facts.name, site.facts.next_visit_ms, after_ms)
