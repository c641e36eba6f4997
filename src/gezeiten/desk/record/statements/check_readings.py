"""Check readings: all that is done with this one kind of statement.

Entered, doubted where they cannot well be, held against the record, which can be tied to them.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.queries.check_readings import checks_at
from gezeiten.archive.queries.corrections import chain_of
from gezeiten.archive.queries.sensor_depths import hangings
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.corrections import proposed
from gezeiten.desk.record.views.records import read_around, uncorrected
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.check_readings import CheckRead, CheckWithdrawn
from gezeiten.domain.actions.corrections import CorrectionSet, CorrectionWithdrawn
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series import join_series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import EVER_MS, HOUR_MS, Span
from gezeiten.domain.steps.chain import Correction, below, corrected
from gezeiten.domain.steps.checks.comparing import CheckComparison, compared
from gezeiten.domain.steps.checks.plausibility import Doubt, ExpectedReading, doubt, limit_of
from gezeiten.domain.steps.checks.reading import (
    DIPPED,
    LEVELS,
    CheckReading,
    base_of_dip,
    checked,
    dip_of_value,
    dip_uncertainty_m,
    value_of_dip,
)
from gezeiten.domain.steps.checks.reference_fit import ReferenceFit, Way, fit
from gezeiten.domain.steps.checks.schedule import CheckScheduleDay, schedule_days
from gezeiten.domain.steps.corrections import TIE
from gezeiten.domain.steps.formulas.formula import LONGEST_MS
from gezeiten.domain.steps.sensor_depth import depth_at
from gezeiten.errors import InputError

_NOT_YET_MS = HOUR_MS


@dataclass(frozen=True, slots=True)
class TypedCheck:
    """What somebody typed of one series of a point, in the unit it is recorded in. value: NaN where
    only lowest and highest were read; is_dip: the value is a dip in metres; u: None for the usual
    uncertainty."""

    point: PointPlace
    series: str
    at_ms: int
    value: float
    by: str
    is_dip: bool = False
    u: float | None = None
    low: float | None = None
    high: float | None = None
    remark: str = ""


@dataclass(frozen=True, slots=True)
class CheckQuestion:
    """What may be wrong with what was typed: of which, what, at which other point it would fit, and
    what was expected (a dip where one was typed)."""

    typed: TypedCheck
    doubt: Doubt
    fits: str
    expected: float


@dataclass(frozen=True, slots=True)
class FitTrial:
    """A record tied to checks that nobody kept yet: the step, how it was fitted, and the checks it
    rests on beside the record without it."""

    step: Correction
    fit: ReferenceFit
    checks: tuple[CheckComparison, ...]


# -- looking ---------------------------------------------------------------------------------------
def checks_of(desk: Workspace, point_id: int, series: str = "") -> list[CheckReading]:
    """Return the check readings of a series of a point, or of all, in order of time."""
    with desk.archive.reading() as session:
        bases = _Bases(session, point_id)
        listed = [bases.with_expected(check) for check in checks_at(session, point_id)]
    return [one for one in listed if series in ("", one.series)]


class _Bases:
    """What the series of a point say where the water stands at its measuring point, by how sensors
    hung, and by what their levels were tied to."""

    def __init__(self, session: ArchiveSession, point_id: int) -> None:
        point = stored_point(session, point_id)
        self._sensor_depths = [one.depth for one in hangings(session).get(point.uid, [])]
        self._rim_m = point.facts.measuring_point_height_m or 0.0
        self._session, self._point_id = session, point_id
        self._fits: dict[str, list[Correction]] = {}

    def rim_m(self, at_ms: int) -> float:
        """Return the height that a dip at an instant was taken from: as the sensor was said to hang
        then, else as it is said of the point now; 0 where nobody said it, so that heights count
        from there."""
        sensor_depth = depth_at(self._sensor_depths, at_ms)
        return sensor_depth.rim_m if sensor_depth is not None else self._rim_m

    def of(self, series: str, at_ms: int, rim_m: float) -> float:
        """Return what a series says then where the water stands at the measuring point."""
        if series not in self._fits:
            chain = chain_of(self._session, self._point_id, series)
            self._fits[series] = [
                correction
                for correction in chain
                if correction.is_on and correction.kind == TIE.key
            ]
        fitted = next((one for one in self._fits[series] if one.touches(at_ms, at_ms + 1)), None)
        sensor_depth = depth_at(self._sensor_depths, at_ms)
        is_height = fitted is not None and fitted.parameters.get("to") != "level"
        return base_of_dip(
            channel_of(series),
            rim_m,
            sensor_depth.length_m if sensor_depth else None,
            is_height=is_height,
        )

    def with_expected(self, check: CheckReading) -> CheckReading:
        """Return a check with the value that its series should say then."""
        if check.dip_m is None:
            return check
        base_m = self.of(check.series, check.at_ms, check.rim_m or 0.0)
        return replace(check, value=value_of_dip(channel_of(check.series), check.dip_m, base_m))


def compare_checks(desk: Workspace, point_id: int, series: str) -> list[CheckComparison]:
    """Return the checks of a series beside its record as it stands.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    return _compared(desk, point_id, checks_of(desk, point_id, series))


def compare_checks_with_source(
    desk: Workspace, point_id: int, series: str, span: Span
) -> list[CheckComparison]:
    """Return the checks of a series in [start, end) beside what its source gave, before all
    corrections.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    listed = [
        check for check in checks_of(desk, point_id, series) if span[0] <= check.at_ms < span[1]
    ]
    parts = [uncorrected(desk, point_id, series, _wider(one)) for one in _spans(listed)]
    return compared(listed, join_series(parts))


def _compared(
    desk: Workspace, point_id: int, checks: Sequence[CheckReading]
) -> list[CheckComparison]:
    if not checks:
        return []
    key = checks[0].series
    parts = [read_around(desk, point_id, key, span) for span in _spans(checks)]
    return compared(checks, join_series(parts))


def _spans(checks: Iterable[CheckReading]) -> list[Span]:
    """Return the stretches that checks are compared with: their instant, back to the look before
    where lowest and highest were read."""
    spans, look_ms = [], None
    for check in checks:
        has_ends = check.low is not None or check.high is not None
        begin = look_ms if has_ends and look_ms is not None else check.at_ms
        look_ms = check.at_ms if has_ends else look_ms
        spans.append((begin, check.at_ms + 1))
    return spans


def check_schedule_days(
    desk: Workspace, point_id: int, span: Span, zone: str
) -> list[CheckScheduleDay]:
    """Return the days of a stretch on which checks were due at a point; none without a duty."""
    with desk.archive.reading() as session:
        facts = stored_point(session, point_id).facts
        looks = [check.at_ms for check in checks_at(session, point_id)]
    if facts.checks_a_day is None:
        return []
    return schedule_days(
        looks, span, zone, facts.checks_a_day, working_days=facts.checks_working_days
    )


# -- entering --------------------------------------------------------------------------------------
def questions(desk: Workspace, typed: Sequence[TypedCheck]) -> list[CheckQuestion]:
    """Return what may be wrong with what was typed: a sign, a unit, another well. Only what can be
    expected by the record and earlier checks is doubted.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    expected = [
        (typed_check, _expected(desk, typed_check))
        for typed_check in typed
        if math.isfinite(typed_check.value)
    ]
    found = []
    for one, its in expected:
        if its is None:
            continue
        others = [
            (other.point.full_name, theirs)
            for other, theirs in expected
            if other is not one and theirs is not None and _is_comparable(one, other)
        ]
        doubted = doubt(one.value, its, quantity(channel_of(one.series)).unit, others)
        if doubted is not None:
            found.append(CheckQuestion(one, *doubted, its.value))
    return found


def _is_comparable(check: TypedCheck, other: TypedCheck) -> bool:
    return check.is_dip == other.is_dip and channel_of(check.series) == channel_of(other.series)


def _expected(desk: Workspace, check: TypedCheck) -> ExpectedReading | None:
    """Return what a check may say, by the record and how earlier checks differed from it; None
    where the record holds nothing there, or where nothing ties it to what is dipped."""
    its, base_m = _as_check(desk, check, "")
    known = compare_checks(desk, check.point.id, check.series)
    before = [was.difference for was in known if math.isfinite(was.difference)]
    [now] = _compared(desk, check.point.id, [its])
    if math.isnan(now.recorded) or (check.is_dip and math.isnan(base_m)):
        return None
    if check.is_dip and not before and not _is_bound(desk, check):
        return None
    usual = float(np.median(before)) if before else 0.0
    unit = quantity(channel_of(check.series)).unit
    value = now.recorded + usual
    if check.is_dip:
        value = dip_of_value(channel_of(check.series), value, base_m)
    return ExpectedReading(value, limit_of(unit, now.u, before))


def _is_bound(desk: Workspace, check: TypedCheck) -> bool:
    """Whether what is dipped and what is recorded are known to count from the same: by a tie, or by
    how the sensor hangs."""
    with desk.archive.reading() as session:
        chain = chain_of(session, check.point.id, check.series)
        point = stored_point(session, check.point.id)
        depth = depth_at([its.depth for its in hangings(session).get(point.uid, [])], check.at_ms)
    return depth is not None or any(step.is_on and step.kind == TIE.key for step in chain)


def enter(desk: Workspace, typed: Sequence[TypedCheck]) -> int:
    """Enter check readings, all or none; returns how many.

    Raises:
        InputError: one of them cannot be; nothing was entered.
    """
    if not typed:
        raise InputError("There is no value; type one first.")
    readings = [checked(_entered(desk, typed_check)) for typed_check in typed]
    late = desk.now_ms() + _NOT_YET_MS
    if any(one.at_ms > late for one in readings):
        raise InputError("A check reading cannot be in the future; correct its time.")
    with desk.archive.writing() as session:
        for one in readings:
            value = None if math.isnan(one.value) else one.value
            desk.do_within(
                session,
                CheckRead(
                    one.point,
                    one.uid,
                    one.series,
                    one.at_ms,
                    value,
                    one.u,
                    one.low,
                    one.high,
                    one.dip_m,
                    one.rim_m,
                    one.by.strip(),
                    one.remark.strip(),
                ),
            )
    return len(readings)


def _entered(desk: Workspace, check: TypedCheck) -> CheckReading:
    """Return what is kept of a check: of a dip of a level whose sensor hangs nobody knows how far
    down its height, as it always was; it is held against nothing then."""
    its, base_m = _as_check(desk, check, fresh_id())
    if its.dip_m is None or math.isfinite(base_m):
        return its
    height_m = value_of_dip(channel_of(check.series), its.dip_m, its.rim_m or 0.0)
    return replace(its, value=height_m)


def _as_check(desk: Workspace, check: TypedCheck, uid: str) -> tuple[CheckReading, float]:
    """Return a check as it is held against its series, and what that says where the water stands at
    the measuring point, NaN where nobody knows."""
    with desk.archive.reading() as session:
        point, bases = stored_point(session, check.point.id), _Bases(session, check.point.id)
        rim = bases.rim_m(check.at_ms)
        base_m = bases.of(check.series, check.at_ms, rim)
    channel, value = channel_of(check.series), check.value
    dip_m = rim_m = None
    if check.is_dip:
        if channel not in DIPPED:
            raise InputError(f"{quantity(channel).name} is not dipped; type its value.")
        dip_m, rim_m = check.value, rim
        value = value_of_dip(channel, dip_m, base_m)
    usual = dip_uncertainty_m(dip_m) if dip_m is not None else 0.0
    made = CheckReading(
        uid,
        point.uid,
        check.series,
        check.at_ms,
        value,
        usual if check.u is None else check.u,
        check.low,
        check.high,
        dip_m,
        rim_m,
        check.by,
        check.remark,
        0,
        "",
    )
    return made, base_m


def withdraw_check(desk: Workspace, check: CheckReading) -> None:
    """Take a check reading back; what it said stays in the logbook."""
    desk.do(CheckWithdrawn(check.point, check.uid, check.series, check.at_ms))


# -- tying -----------------------------------------------------------------------------------------
def try_tying(
    desk: Workspace, point: PointPlace, series: str, span: tuple[int, int | None], method: Way
) -> FitTrial:
    """Return the step that would tie the record of a stretch to the checks in it.

    Raises:
        InputError: there are too few checks of which the record says something.
        ArchiveDamagedError: readings are damaged.
    """
    until_ms = EVER_MS if span[1] is None else span[1]
    listed = [
        check for check in checks_of(desk, point.id, series) if span[0] <= check.at_ms < until_ms
    ]
    with desk.archive.reading() as session:
        corrections = chain_of(session, point.id, series)
    empty = {"way": method, "knots": [[0, 0.0]], "checks": 0}
    bare = proposed(point, series, TIE.key, span, empty)
    before = below(bare, corrections)
    steps = [correction for correction in corrections if correction.uid in before]
    parts = [
        corrected(uncorrected(desk, point.id, series, _wider(one)), steps) for one in _spans(listed)
    ]
    checks = compared(listed, join_series(parts))
    fitted = fit(method, checks)
    if fitted is None and any(one.dip_m is not None and math.isnan(one.value) for one in listed):
        raise InputError(
            "A dip is measured from the reference mark: enter the sensor depth below "
            "it first (Sites and points, Sensor depth)."
        )
    if fitted is None:
        least = (
            "three check readings at different times" if method == "line" else "one check reading"
        )
        raise InputError(
            f"At least {least} with readings in the record at the same time are needed; "
            "enter some, or choose another period."
        )
    used = [check for check in checks if math.isfinite(check.difference)]
    earlier = [
        correction
        for correction in corrections
        if correction.is_on and correction.kind == TIE.key and correction.touches(span[0], until_ms)
    ]
    is_height = channel_of(series) not in LEVELS or any(
        one.parameters.get("to") != "level" for one in earlier
    )
    to = "height" if is_height else "level"
    parameters = {
        "way": method,
        "knots": [list(knot) for knot in fitted.knots],
        "u": fitted.u,
        "checks": len(used),
        "below": before,
        "to": to,
    }
    return FitTrial(proposed(point, series, TIE.key, span, parameters), fitted, tuple(used))


def _wider(span: Span) -> Span:
    """Return a stretch with the readings on either side that values between may follow from."""
    return (span[0] - LONGEST_MS, span[1] + LONGEST_MS)


def save_fit(desk: Workspace, point: PointPlace, tried: FitTrial, words: str) -> None:
    """Save a reference correction; an earlier one in the same period is withdrawn with it.

    Raises:
        InputError: no words; or an earlier tie reaches beyond this stretch.
    """
    step = tried.step
    if not words.strip():
        raise InputError("Enter a reason; it is shown beside the correction.")
    with desk.archive.reading() as session:
        uid = stored_point(session, point.id).uid
        corrections = chain_of(session, point.id, step.series)
    its = (step.start_ms, step.until_ms)
    earlier = [
        correction
        for correction in corrections
        if correction.kind == TIE.key and correction.touches(*its)
    ]
    if any(one.start_ms < its[0] or one.until_ms > its[1] for one in earlier):
        raise InputError(
            "A reference correction already covers more than this period; undo it "
            "under “From source to record”, or choose its whole period."
        )
    with desk.archive.writing() as session:
        for one in earlier:
            desk.do_within(
                session,
                CorrectionWithdrawn(one.point, one.uid, one.series, one.start_ms, one.end_ms),
            )
        desk.do_within(
            session,
            CorrectionSet(
                uid,
                fresh_id(),
                step.series,
                step.kind,
                step.version,
                step.start_ms,
                step.end_ms,
                step.parameters,
                words.strip(),
            ),
        )
