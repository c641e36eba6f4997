"""The Tideboard's rows: what we hold, what we lack, what is at risk, when to go; and the visits."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import Literal

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.here.coverage import Coverage, coverage
from gezeiten.archive.missions import latest_missions, missions_beside
from gezeiten.archive.offloads import all_offload_instants
from gezeiten.archive.steps import active_steps
from gezeiten.desk.context import Desk
from gezeiten.desk.field.gaps import BookedGap, gaps_of
from gezeiten.desk.places import PointPlace, SitePlace, sites
from gezeiten.desk.record.excursion_book import BookedExcursion, excursions
from gezeiten.desk.soundness import Fault, or_fault
from gezeiten.domain.acts.offloads import SOURCES
from gezeiten.domain.kept import KnownLogger, KnownMission
from gezeiten.domain.plan.models import known_model
from gezeiten.domain.plan.outlook import battery_days, ends_ms, readings_that_fit
from gezeiten.domain.plan.plan import plan_from_dict
from gezeiten.domain.series.timeline import DAY_MS, Span, about_text, duration_text
from gezeiten.domain.steps.steps import RecordStep

NeedKind = Literal["end", "gap", "offload", "clock", "calibration", "not recording", "fault"]
EndReason = Literal["memory full", "battery empty"]
CLOCK_OFF_MS = 30_000
LONG_NOT_OFFLOADED_MS = 7 * DAY_MS
SOON_MS = 14 * DAY_MS
_ASKS_FOR_A_VISIT = ("end", "not recording", "fault")
"""Needs for which somebody has to go, whether a visit is planned or not."""
RECORDING = ("logging", "waiting", "")
"""States of a mission that goes on, "": nobody has asked since its launch."""
FORESEEN_MS = 60 * DAY_MS
"""What lies farther ahead is no need yet."""


@dataclass(frozen=True, slots=True)
class Need:
    """Why to go to a point, and by when; weight 2 is urgent, 1 soon, 0 for knowing. serial: of a
    logger beside the one that the point's row is about, "" for that one."""

    kind: NeedKind
    words: str
    due_ms: int
    weight: int
    serial: str = ""


@dataclass(frozen=True, slots=True)
class BoardRow:
    """One point on the board. Spans are UTC ms.

    on_logger: what the logger has recorded since the last offload, as far as is known.
    ends_ms: when recording ends (None: it goes on), with the reason. fault: why the point cannot
    be shown, "" for all that can.
    """

    point: PointPlace
    serial: str
    held: tuple[Span, ...]
    estimated: tuple[Span, ...]
    gaps: tuple[BookedGap, ...]
    excursions: tuple[BookedExcursion, ...]
    offloads_ms: tuple[int, ...]
    on_logger: Span | None
    ends_ms: int | None
    end_reason: EndReason
    is_recording: bool
    needs: tuple[Need, ...]
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Visit:
    """What is due at a site on a day."""

    site: SitePlace
    due_ms: int
    loggers: int
    needs: tuple[str, ...]
    is_urgent: bool


@dataclass(frozen=True, slots=True)
class Board:
    """Everything the tideboard shows, as of `now_ms` (UTC ms)."""

    now_ms: int
    sites: tuple[tuple[SitePlace, tuple[BoardRow, ...]], ...]
    visits: tuple[Visit, ...]


def board(desk: Desk) -> Board:
    """Return the whole board from the archive and the loggers' last known state."""
    by_point_events: dict[int, list[BookedExcursion]] = {}
    for event in excursions(desk):
        by_point_events.setdefault(event.point.id, []).append(event)
    now = desk.now_ms()
    listed = []
    with desk.archive.reading() as session:
        past = _Past.of(session)
        for site in sites(desk):
            if site.retired:
                continue
            rows = []
            for point in site.points:
                if point.retired:
                    continue
                events = by_point_events.get(point.id, [])
                made = or_fault(partial(_row, past, point, events, site.next_visit_ms, now))
                if isinstance(made, Fault):
                    made = _unreadable(point, events, now, made.sentence)
                rows.append(made)
            listed.append((site, tuple(rows)))
    visits = [_visit(site, rows, now) for site, rows in listed]
    due = sorted((visit for visit in visits if visit), key=lambda visit: visit.due_ms)
    return Board(now, tuple(listed), tuple(due))


def _unreadable(point: PointPlace, events: list[BookedExcursion], now: int, why: str) -> BoardRow:
    """The row of a point that cannot be read; it says why."""
    need = Need("fault", "cannot be read", now, 2)
    return BoardRow(point, point.serial, (), (), (), tuple(events), (), None, None,
                    "memory full", False, (need,), why)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Past:
    """What was done at all points, by point: a few questions for a board of any size."""

    missions: dict[int, tuple[KnownMission, bool]]
    beside: dict[int, list[KnownMission]]
    offloads_ms: dict[int, list[int]]
    steps: dict[int, list[RecordStep]]
    held: Coverage

    @staticmethod
    def of(session: ArchiveSession) -> _Past:
        return _Past(latest_missions(session), missions_beside(session),
                     all_offload_instants(session),
                     active_steps(session), coverage(session))  # fmt: skip


def _row(
    past: _Past,
    point: PointPlace,
    events: list[BookedExcursion],
    visit_ms: int | None,
    now: int,
) -> BoardRow:
    mission, is_there = past.missions.get(point.id, (None, False))
    held: tuple[Span, ...] = ()
    if point.measured:
        held = tuple(past.held.runs(point.id, point.measured[0].channel).spans)
    steps = past.steps.get(point.id, [])
    booked = gaps_of(point, steps, past.held)
    estimated = [(step.start_ms, step.end_ms) for step in steps if step.does.has_estimates]
    logger = mission.logger if mission else None
    ends, reason = _ends(mission, logger, now)
    recording = mission is not None and is_there and mission.state in RECORDING
    on_logger = _on_logger(mission, held, ends, now) if mission and recording else None
    row = BoardRow(
        point,
        logger.serial if logger else "",
        held,
        tuple(dict.fromkeys(estimated)),
        tuple(booked),
        tuple(events),
        tuple(past.offloads_ms.get(point.id, [])),
        on_logger,
        ends if recording else None,
        reason,
        recording,
        (),
    )
    needs = _needs(row, logger, visit_ms, now)
    for other in past.beside.get(point.id, ()):
        needs += _needs_beside(past, row, other, visit_ms, now)
    return replace(row, needs=tuple(sorted(needs, key=_by_weight)))


def _needs_beside(
    past: _Past, row: BoardRow, mission: KnownMission, visit_ms: int | None, now: int
) -> list[Need]:
    """Return what a second logger at a point asks for, named by its serial."""
    logger = mission.logger
    ends, reason = _ends(mission, logger, now)
    recording = mission.state in RECORDING
    fed = next((feed for feed in past.held.layout.at_point(row.point.id)
                if past.held.layout.missions[feed.mission] == mission.id), None)  # fmt: skip
    held = tuple(past.held.runs(row.point.id, fed.series).spans) if fed else ()
    on_logger = _on_logger(mission, held, ends, now) if recording else None
    its = replace(row, serial=logger.serial, gaps=(), on_logger=on_logger,
                  ends_ms=ends if recording else None, end_reason=reason,
                  is_recording=recording)  # fmt: skip
    return [replace(need, words=f"{logger.serial}: {need.words}", serial=logger.serial)
            for need in _needs(its, logger, visit_ms, now)]  # fmt: skip


def _ends(
    mission: KnownMission | None, logger: KnownLogger | None, now: int
) -> tuple[int | None, EndReason]:
    """Return when recording ends and why; None when the memory wraps and the battery lasts."""
    if mission is None or logger is None:
        return None, "memory full"
    plan, model = plan_from_dict(mission.plan), known_model(logger.model)
    if model is None:
        return None, "memory full"  # a text or a live line has neither memory nor battery
    memory_ms = None
    if mission.first_ms:  # 0: it waits for its button, and so does its end
        fit = readings_that_fit(model, plan)
        memory_ms = ends_ms(plan, fit, mission.first_ms, plan.interval_s)
    battery_ms = None
    if logger.state and logger.seen_ms:
        charge = float(logger.state["battery_permille"]) / 1000
        battery_ms = logger.seen_ms + int(battery_days(model, plan, charge) * DAY_MS)
    if battery_ms is not None and (memory_ms is None or battery_ms < memory_ms):
        return battery_ms, "battery empty"
    return memory_ms, "memory full"


def _on_logger(
    mission: KnownMission, held: tuple[Span, ...], ends: int | None, now: int
) -> Span | None:
    if not mission.first_ms:
        return None
    until = now if ends is None else min(now, ends)
    since = max(held[-1][1] if held else mission.first_ms, mission.first_ms)
    if until - since < 2 * mission.interval_ms:
        return None
    if held and since - held[-1][1] > 2 * mission.interval_ms:
        since = mission.first_ms
    return (since, until)


def _needs(row: BoardRow, logger: KnownLogger | None, visit_ms: int | None, now: int) -> list[Need]:
    """Return what a point asks for by its logger, most pressing first."""
    needs: list[Need] = []
    visit = max(visit_ms or now, now)  # what has no date of its own waits for the visit
    pressing = 2 if visit_ms is not None and visit - now < 2 * DAY_MS else 1
    if row.ends_ms is not None and row.ends_ms - now < FORESEEN_MS:
        left = row.ends_ms - now
        words = "memory full" if row.end_reason == "memory full" else "battery"
        weight = 2 if left < 4 * DAY_MS else 1 if left < SOON_MS else 0
        needs.append(Need("end", words, row.ends_ms, weight))
    open_count = sum(1 for booked in row.gaps if booked.state == "open")
    if open_count:
        words = "gap" if open_count == 1 else f"{open_count} gaps"
        needs.append(Need("gap", words, visit, pressing))
    if row.on_logger and row.on_logger[1] - row.on_logger[0] > DAY_MS:
        length = row.on_logger[1] - row.on_logger[0]
        weight = pressing if length > LONG_NOT_OFFLOADED_MS or pressing == 2 else 0
        needs.append(Need("offload", "offload", visit, weight))
    if logger and logger.clock_difference_ms is not None:
        off = logger.clock_difference_ms
        if abs(off) > CLOCK_OFF_MS:
            words = f"clock {duration_text(round(off))}"
            needs.append(Need("clock", words, visit, pressing))
    if logger and logger.state and logger.state["calibration_due_day"]:
        due = int(logger.state["calibration_due_day"]) * DAY_MS
        if due - now < FORESEEN_MS:
            needs.append(Need("calibration", "calibration", due, 1 if due - now < SOON_MS else 0))
    is_logger = logger is None or logger.model not in SOURCES  # a text has nothing to go to
    if not row.is_recording and is_logger:
        needs.append(Need("not recording", "not recording", now, 2))
    return sorted(needs, key=_by_weight)


_RANK = ("not recording", "end", "clock", "gap", "offload", "calibration", "fault")


def _by_weight(need: Need) -> tuple[int, int, int]:
    return (-need.weight, _RANK.index(need.kind), need.due_ms)


def _visit(site: SitePlace, rows: tuple[BoardRow, ...], now: int) -> Visit | None:
    """The visit that follows from a site's rows: the planned one, or an earlier one that a need
    asks for; where none is planned only what cannot wait asks for one."""
    if site.next_visit_ms is not None:
        ends = [row.ends_ms for row in rows if row.ends_ms is not None]
        due = min([site.next_visit_ms, *ends])
    else:
        asking = [need.due_ms for row in rows if row.serial or row.fault for need in row.needs
                  if need.kind in _ASKS_FOR_A_VISIT and need.weight]  # fmt: skip
        if not asking:
            return None
        due = max(min(asking), now)
    words = [sentence for row in rows for sentence in _sentences(row, now)]
    urgent = due - now < 2 * DAY_MS
    return Visit(site, due, len([row for row in rows if row.serial]), tuple(words), urgent)


def _end_words(row: BoardRow, left_ms: int) -> str:
    is_battery = row.end_reason == "battery empty"
    if left_ms <= 0:
        return "battery must be empty" if is_battery else "memory is full"
    left = about_text(left_ms)
    return f"battery lasts {left}" if is_battery else f"full in {left}"


def _sentences(row: BoardRow, now: int) -> list[str]:
    """What is to do at a point in one line; none where there is nothing."""
    if row.fault:
        return [f"{row.point.name} cannot be read: {row.fault}"]
    said = []
    if row.ends_ms is not None and row.ends_ms - now < SOON_MS:
        said.append(_end_words(row, row.ends_ms - now))
    if any(need.kind == "not recording" and not need.serial for need in row.needs):
        said.append("not recording")
    for need in row.needs:
        if need.serial:
            said += [need.words] if need.weight else []
        elif need.kind == "clock":
            said.append(f"{need.words} off")
        elif need.kind == "calibration" and need.weight:
            said.append("calibration due")
    if row.on_logger and row.on_logger[1] - row.on_logger[0] > LONG_NOT_OFFLOADED_MS:
        said.append(f"{(row.on_logger[1] - row.on_logger[0]) // DAY_MS} d to offload")
    said += [
        f"gap of {duration_text(booked.gap.length_ms)}"
        for booked in row.gaps
        if booked.state == "open"
    ]
    return [f"{row.point.name}: {', '.join(said)}"] if said else []
