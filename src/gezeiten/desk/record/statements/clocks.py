"""Clocks of loggers put right, mission by mission: by contacts, by an amount, by the data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.local_cache.layout import Layout, layout
from gezeiten.archive.queries.clocks import (
    clocks_in_force,
    disabled_clocks,
    drifts_of_models,
    measured_differences,
)
from gezeiten.archive.queries.corrections import corrections_at
from gezeiten.archive.queries.missions import missions_by_id
from gezeiten.archive.queries.steps import active_steps
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.clocks import (
    ClockCorrected,
    ClockCorrectionDisabled,
    ClockCorrectionEnabled,
    ClockCorrectionWithdrawn,
)
from gezeiten.domain.facts.stored import StoredClockCorrection
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.clocks.clock_map import ClockMap, clock_map
from gezeiten.domain.series.clocks.clock_uncertainty import USUAL_DRIFT_PPM, ClockUncertainty
from gezeiten.domain.series.timeline import EVER_MS, Span, from_ms
from gezeiten.domain.steps.chain import in_order
from gezeiten.domain.steps.clock_corrections import ClockFit, ClockRead, drift_between_contacts
from gezeiten.domain.steps.corrections import Order
from gezeiten.errors import InputError

MEASURED, SHIFTED, FOUND = "measured at contacts", "shifted", "found from the data"
SAID_U_MS = 30_000
"""How sure (k = 2) an amount is that somebody said, where nothing was measured."""
_LAUNCH_U_MS = 500.0
"""Standard uncertainty of a clock that was set at launch, to the second."""


@dataclass(frozen=True, slots=True)
class MissionClock:
    """The clock of a mission that feeds a series. span: of its readings there, true time; reads:
    when it was read; correction: what puts it right, None where nothing does; disabled_correction:
    what would if it were switched on; drift_ppm: by how much clocks of its model run wrong (k = 2);
    last_shown_ms: what it showed at the last reading that is known."""

    mission: str
    serial: str
    number: int
    span: Span
    reads: tuple[ClockRead, ...]
    correction: StoredClockCorrection | None
    disabled_correction: StoredClockCorrection | None = None
    drift_ppm: float = USUAL_DRIFT_PPM
    last_shown_ms: int = 0


def mission_clocks(desk: Workspace, point: PointPlace, series: str) -> list[MissionClock]:
    """Return the clocks of the loggers' missions that feed a series, in order of time."""
    with desk.archive.reading() as session:
        made = layout(session)
        assignments = made.of_series(point.id, made.root_of(point.id, series))
        stored, off = clocks_in_force(session), disabled_clocks(session)
        its = [feed for feed in assignments if feed.deployment.stay.is_logger]
        drifts = drifts_of_models(session)
        return [
            _clock(session, one, (stored.get(one.mission), off.get(one.mission)), drifts)
            for one in its
        ]


def _clock(
    session: ArchiveSession,
    assignment: SeriesAssignment,
    said: tuple[StoredClockCorrection | None, StoredClockCorrection | None],
    drifts: Mapping[str, float],
) -> MissionClock:
    stay = assignment.deployment.stay
    mission = missions_by_id(session, [assignment.mission])[assignment.mission]
    launched = mission.launched_ms
    reads = [ClockRead(launched, launched, _LAUNCH_U_MS)]
    for at_ms, ahead_ms, u_ms in measured_differences(session, assignment.mission):
        if at_ms > launched:
            reads.append(ClockRead(round(at_ms + ahead_ms), at_ms, max(u_ms, 1.0)))
    span = (max(assignment.start_ms, stay.first_ms), assignment.end_ms)
    drift_ppm = drifts.get(mission.logger.model, USUAL_DRIFT_PPM)
    last_ms = mission.first_ms + max(mission.readings - 1, 0) * mission.interval_ms
    return MissionClock(
        assignment.mission,
        stay.source,
        mission.number,
        span,
        tuple(reads),
        *said,
        drift_ppm,
        last_ms,
    )


def by_contacts(clock: MissionClock) -> ClockFit:
    """Return a clock stretched from its launch, when it was set, over all contacts.

    Raises:
        InputError: it was read at no contact since.
    """
    if len(clock.reads) < 2:
        raise InputError(
            f"The clock of {clock.serial} was not read during mission {clock.number}; "
            "enter the shift, or match it with another series."
        )
    try:
        return drift_between_contacts(clock.reads, clock.drift_ppm)
    except ValueError as exc:
        raise InputError(f"These clock readings cannot all be right: {exc}.") from exc


def by_amount(clock: MissionClock, shift_ms: int) -> ClockMap:
    """Return a clock that is off by one amount all the time, beyond what already puts it right.

    Raises:
        InputError: the amount is nothing.
    """
    if not shift_ms:
        raise InputError("A shift of 0 changes nothing; enter a shift.")
    at_ms = clock.reads[0].shown_ms
    now = clock.correction.map if clock.correction is not None else clock_map([(at_ms, at_ms)], 1.0)
    moved = ((shown, true + shift_ms) for shown, true in now.pairs)
    return clock_map(moved, now.rate_beyond)


def uncertainty_of_amount(clock: MissionClock, put_right: ClockMap, u_ms: int) -> ClockUncertainty:
    """Return the uncertainty of a clock that is off by an amount known to u_ms (k = 2), and drifts
    from there on as clocks of its model do."""
    return ClockUncertainty(u_ms, (u_ms,) * len(put_right.pairs), clock.drift_ppm)


def by_zone(clock: MissionClock, zone: str) -> ClockMap:
    """Return a clock that was set to the wall clock of its site at the launch, and kept going."""
    there = from_ms(clock.reads[0].true_ms, zone).utcoffset() or timedelta(0)
    return by_amount(clock, -round(there.total_seconds() * 1000))


def save_clock_correction(
    desk: Workspace,
    clock: MissionClock,
    put_right: ClockMap,
    method: str,
    uncertainty: ClockUncertainty,
    words: str,
) -> None:
    """Save a clock correction of a mission; an earlier one is withdrawn by the same action.

    Raises:
        InputError: no words; or steps stand on its present instants.
    """
    if not words.strip():
        raise InputError("Enter a reason; it is shown beside the correction.")
    _refuse_if_steps_exist(desk, clock)
    with desk.archive.writing() as session:
        for before in filter(None, (clock.correction, clock.disabled_correction)):
            desk.do_within(session, _withdrawal(before))
        its = (clock.serial, clock.mission, clock.number, fresh_id())
        action = ClockCorrected(
            *its,
            method,
            put_right.pairs,
            uncertainty.u_ms,
            words.strip(),
            uncertainty.us_ms,
            put_right.rate_beyond,
            uncertainty.drift_ppm,
        )
        desk.do_within(session, action)


def withdraw_clock_correction(desk: Workspace, clock: MissionClock) -> None:
    """Withdraw a clock correction, in force or disabled: every instant is what its logger wrote.

    Raises:
        InputError: nothing does, or steps stand on the present instants.
    """
    its = clock.correction or clock.disabled_correction
    if its is None:
        raise InputError("This clock has no correction; there is nothing to undo.")
    if clock.correction:
        _refuse_if_steps_exist(desk, clock)
    desk.do(_withdrawal(its))


def switch_clock(desk: Workspace, clock: MissionClock, words: str) -> None:
    """Switch off what puts a clock right, or on again what would.

    Raises:
        InputError: no words; there is neither; or steps stand on the present instants.
    """
    its = clock.correction or clock.disabled_correction
    if its is None:
        raise InputError("This clock has no correction; there is nothing to disable.")
    if not words.strip():
        raise InputError("Enter a reason; it is shown beside the correction.")
    _refuse_if_steps_exist(desk, clock)
    which = (its.serial, its.mission, its.number, its.uid)
    if clock.correction:
        desk.do(ClockCorrectionDisabled(*which, words.strip()))
    else:
        desk.do(ClockCorrectionEnabled(*which, fresh_id(), words.strip()))


def _withdrawal(clock_correction: StoredClockCorrection) -> ClockCorrectionWithdrawn:
    return ClockCorrectionWithdrawn(
        clock_correction.serial,
        clock_correction.mission,
        clock_correction.number,
        clock_correction.uid,
    )


def _refuse_if_steps_exist(desk: Workspace, clock: MissionClock) -> None:
    """Raise InputError where fills, marks, ties or decisions on gaps were set by the present
    instants of a mission's readings."""
    with desk.archive.reading() as session:
        made = layout(session)
        assigned = made.by_mission.get(clock.mission, [])
        points = made.points_of(made.missions[clock.mission])
        count = sum(
            _count_dependent_steps(session, made, point_id, assigned) for point_id in points
        )
    if count:
        one = "1 change depends" if count == 1 else f"{count} changes depend"
        raise InputError(
            f"{one} on the present times of these readings (fills, marks, gaps left "
            "open, reference corrections); undo them, correct the clock, then do "
            "them again."
        )


def _count_dependent_steps(
    session: ArchiveSession, made: Layout, point_id: int, assigned: list[SeriesAssignment]
) -> int:
    """Return how many steps of a point, or of what rests on it, would have to move along."""
    spans = [(assignment.start_ms, assignment.end_ms) for assignment in assigned]
    count = 0
    for at in (point_id, *made.resting_on(point_id)):
        steps = [(one.start_ms, one.end_ms) for one in active_steps(session, at).get(at, [])]
        steps += [
            (one.start_ms, EVER_MS if one.end_ms is None else one.end_ms)
            for one in in_order(corrections_at(session, at))
            if one.does.order is not Order.CALIBRATION
        ]
        count += sum(any(a < end and b > begin for begin, end in spans) for a, b in steps)
    return count
