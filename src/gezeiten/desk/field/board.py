"""What the archive knows of all points on the Tideboard; what follows from it: `domain/board`."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.local_cache.coverage import Coverage, coverage
from gezeiten.archive.queries.clocks import wrong_clock_offsets_ms
from gezeiten.archive.queries.missions import latest_missions, missions_of_labelled_series
from gezeiten.archive.queries.offloads import all_offload_instants
from gezeiten.archive.queries.steps import active_steps
from gezeiten.desk.base.fault_isolation import Fault, or_fault
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import BookedGap, gaps_of
from gezeiten.desk.record.excursion_book import BookedExcursion, excursions
from gezeiten.desk.sites.places import PointPlace, SitePlace, sites
from gezeiten.domain.actions.offloads import SOURCES
from gezeiten.domain.board.board import Board, board_of
from gezeiten.domain.board.facts import (
    BoardExcursion,
    BoardFacts,
    BoardGap,
    BoardPoint,
    BoardSite,
    EndReason,
    LoggerSnapshot,
    PointSnapshot,
    WrongClock,
)
from gezeiten.domain.facts.stored import GOING_ON, KnownLogger, KnownMission
from gezeiten.domain.plan.models import find_model
from gezeiten.domain.plan.outlook import battery_days, ends_ms, readings_that_fit
from gezeiten.domain.plan.plan import last_reading_number, plan_from_dict
from gezeiten.domain.series.timeline import DAY_MS, Span
from gezeiten.domain.steps.steps import RecordStep


def board(desk: Workspace) -> Board:
    """Return the whole board from the archive and the loggers' last known state."""
    return board_of(board_facts(desk), desk.now_ms())


def board_facts(desk: Workspace) -> BoardFacts:
    """Return what is known of all points in use."""
    events: dict[int, list[BoardExcursion]] = {}
    for event in excursions(desk):
        events.setdefault(event.point.id, []).append(_excursion(event))
    with desk.archive.reading() as session:
        past = _PointHistory.of(session)
        listed = []
        for site in sites(desk):
            if site.retired:
                continue
            used = [point for point in site.points if not point.retired]
            known = tuple(_facts(past, point, tuple(events.get(point.id, ()))) for point in used)
            listed.append((_site(site), known))
    return BoardFacts(tuple(listed))


def _site(site: SitePlace) -> BoardSite:
    return BoardSite(site.id, site.name, site.kind, site.zone, site.next_visit_ms)


def _point(point: PointPlace) -> BoardPoint:
    return BoardPoint(point.id, point.site_id, point.site, point.name, point.zone, point.practice)


def _excursion(event: BookedExcursion) -> BoardExcursion:
    return BoardExcursion(event.id, event.rule.side, event.start_ms, event.is_settled)


def _gap(booked: BookedGap) -> BoardGap:
    return BoardGap(booked.key, booked.state)


@dataclass(frozen=True, slots=True)
class _PointHistory:
    """What was done at all points, by point: a few questions for a board of any size."""

    missions: dict[int, tuple[KnownMission, bool]]
    alternatives: dict[int, list[KnownMission]]
    offloads_ms: dict[int, list[int]]
    steps: dict[int, list[RecordStep]]
    coverage: Coverage
    wrong_clock_offsets_ms: dict[str, float]

    @staticmethod
    def of(session: ArchiveSession) -> _PointHistory:
        return _PointHistory(
            latest_missions(session),
            missions_of_labelled_series(session),
            all_offload_instants(session),
            active_steps(session),
            coverage(session),
            wrong_clock_offsets_ms(session),
        )


def _facts(
    past: _PointHistory, point: PointPlace, events: tuple[BoardExcursion, ...]
) -> PointSnapshot:
    made = or_fault(partial(_readable, past, point, events))
    if isinstance(made, Fault):
        unknown = LoggerSnapshot(
            point.serial, True, 0, 0, False, None, "memory full", (), None, None
        )
        its = unknown if point.serial else None
        return PointSnapshot(_point(point), its, (), (), (), (), events, (), made.sentence)
    return made


def _readable(
    past: _PointHistory, point: PointPlace, events: tuple[BoardExcursion, ...]
) -> PointSnapshot:
    mission, is_there = past.missions.get(point.id, (None, False))
    held: tuple[Span, ...] = ()
    if point.measured:
        held = tuple(past.coverage.runs(point.id, point.measured[0].channel).spans)
    steps = past.steps.get(point.id, [])
    estimated = [(step.start_ms, step.end_ms) for step in steps if step.does.has_estimates]
    beside = past.alternatives.get(point.id, ())
    return PointSnapshot(
        _point(point),
        _logger(mission, held, is_there=is_there) if mission else None,
        tuple(
            _logger(one, _periods_at_other_points(past, point, one), is_there=True)
            for one in beside
        ),
        held,
        tuple(dict.fromkeys(estimated)),
        tuple(map(_gap, gaps_of(point, steps, past.coverage))),
        events,
        tuple(past.offloads_ms.get(point.id, ())),
        wrong_clocks=_missions_with_wrong_clock(past, point),
    )


def _missions_with_wrong_clock(past: _PointHistory, point: PointPlace) -> tuple[WrongClock, ...]:
    """Return the missions at a point whose readings are dated by a wrong clock."""
    found: dict[str, WrongClock] = {}
    for feed in past.coverage.layout.at_point(point.id):
        if feed.mission in past.wrong_clock_offsets_ms:
            serial, ahead_ms = (
                feed.deployment.stay.source,
                past.wrong_clock_offsets_ms[feed.mission],
            )
            found.setdefault(feed.mission, WrongClock(serial, feed.series, ahead_ms))
    return tuple(found.values())


def _periods_at_other_points(
    past: _PointHistory, point: PointPlace, mission: KnownMission
) -> tuple[Span, ...]:
    layout = past.coverage.layout
    assigned = next(
        (feed for feed in layout.at_point(point.id) if layout.missions[feed.mission] == mission.id),
        None,
    )
    return tuple(past.coverage.runs(point.id, assigned.series).spans) if assigned else ()


def _logger(mission: KnownMission, held: tuple[Span, ...], *, is_there: bool) -> LoggerSnapshot:
    logger = mission.logger
    ends, reason = _ends(mission, logger)
    due_day = int(logger.state["calibration_due_day"]) if logger.state else 0
    return LoggerSnapshot(
        logger.serial,
        logger.model not in SOURCES,
        mission.first_ms,
        mission.interval_ms,
        is_there and mission.state in GOING_ON,
        ends,
        reason,
        held,
        logger.clock_difference_ms,
        due_day * DAY_MS if due_day else None,
    )


def _ends(mission: KnownMission, logger: KnownLogger) -> tuple[int | None, EndReason]:
    """Return when recording ends and why; None when the memory wraps and the battery lasts."""
    plan, model = plan_from_dict(mission.plan), find_model(logger.model)
    if model is None:
        return None, "memory full"  # a text or a live line has neither memory nor battery
    memory_ms: int | None = None
    reason: EndReason = "memory full"
    if mission.first_ms:  # 0: it waits for its button, and so does its end
        fit = readings_that_fit(model, plan)
        memory_ms = ends_ms(plan, fit, mission.first_ms, plan.interval_s)
        most = last_reading_number(plan, mission.first_ms)
        reason = "plan ends" if most is not None and most <= fit else "memory full"
    battery_ms = None
    if logger.state and logger.seen_ms:
        charge = float(logger.state["battery_permille"]) / 1000
        battery_ms = logger.seen_ms + int(battery_days(model, plan, charge) * DAY_MS)
    if battery_ms is not None and (memory_ms is None or battery_ms < memory_ms):
        return battery_ms, "battery empty"
    return memory_ms, reason
