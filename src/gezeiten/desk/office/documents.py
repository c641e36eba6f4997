"""All that documents of a point hold, gathered in one place from one reading of the archive;
laid out by `exchange` and `report`."""

from __future__ import annotations

import hashlib
from typing import Literal

from gezeiten.archive.database import ArchiveSession
from gezeiten.archive.intake.missions import stored_ranges
from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.queries.clocks import clocks_in_force
from gezeiten.archive.queries.loggers import point_calibrations
from gezeiten.archive.queries.missions import missions_at
from gezeiten.archive.queries.offloads import offloads_in
from gezeiten.archive.queries.steps import active_steps
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import BookedGap, gaps, gaps_of_calculated
from gezeiten.desk.office.logbook import head_hash_text
from gezeiten.desk.office.verdicts import judged, undelivered_since
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.calculated_series import formula_texts
from gezeiten.desk.record.statements.check_readings import check_schedule_days, compare_checks
from gezeiten.desk.record.statements.corrections import active_corrections, step_text
from gezeiten.desk.record.statements.remarks import remarks
from gezeiten.desk.record.uncertainty import mean_uncertainty
from gezeiten.desk.record.views.records import extent, limits_at, read_around, record
from gezeiten.desk.sites.places import ChannelPlace, PointPlace
from gezeiten.domain.actions.gaps import fill_method_text
from gezeiten.domain.base.wording import error_decimals
from gezeiten.domain.facts.stored import KnownMission, StoredClockCorrection
from gezeiten.domain.limits.limits import InForce
from gezeiten.domain.limits.verdicts import DayVerdict
from gezeiten.domain.plan.plan import plan_from_dict
from gezeiten.domain.plan.plan_words import end_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.assignments import Deployment
from gezeiten.domain.series.series import HOLD_FACTOR, Series, all_instants
from gezeiten.domain.series.statistics.figures import daily_numbers, numbers
from gezeiten.domain.series.timeline import EVER_MS, Span, from_ms
from gezeiten.domain.steps.checks.comparing import CheckComparison
from gezeiten.domain.steps.steps import MEASURED, NOT_CALCULATED, RecordStep
from gezeiten.domain.steps.uncertainty import Uncertainty
from gezeiten.errors import InputError
from gezeiten.exchange.csv_out import CsvChannel, CsvPeriod, CsvTable
from gezeiten.report.content import (
    PointReport,
    ReportCalibration,
    ReportChannel,
    ReportCorrection,
    ReportExcursion,
    ReportGap,
    ReportMission,
    ReportOffload,
)


def inside_record(desk: Workspace, point: PointPlace, span: Span) -> Span:
    """Return what of a stretch a document can tell of: from the first reading there is, until now
    or the last reading.

    Raises:
        InputError: nothing is left of it.
    """
    whole = extent(desk, point.id, [place.channel for place in point.channels])
    if whole is None:
        raise InputError(f"{point.full_name} has no reading yet; offload its logger first.")
    inside = (max(span[0], whole[0]), min(span[1], max(desk.now_ms(), whole[1] + 1)))
    if inside[1] <= inside[0]:
        raise InputError(f"{point.full_name} has no reading in this period; choose another one.")
    return inside


def _channels(desk: Workspace, point: PointPlace, span: Span) -> list[tuple[ChannelPlace, Series]]:
    parts = [(place, record(desk, point.id, place.channel, span)) for place in point.channels]
    if not any(len(series) for _, series in parts):
        raise InputError(f"{point.full_name} has no reading in this period; choose another one.")
    return parts


def csv_table(desk: Workspace, point: PointPlace, span: Span) -> CsvTable:
    """Return what the CSV of a stretch holds."""
    limits, how = limits_at(desk, point.id), formula_texts(desk, point)
    steps = _corrections(desk, point, span)

    def reason_of(key: str) -> str:
        its = [_correction_text(step, point.zone) for step in steps if step.series == key]
        return "; ".join([*([how[key]] if key in how else []), *its])

    channels = tuple(
        CsvChannel(
            place.channel,
            place.unit,
            series,
            limits.get(place.channel, ()),
            reason_of(place.channel),
        )
        for place, series in _channels(desk, point, span)
    )
    return CsvTable(point.site, point.name, point.zone, channels, _loggers_over_time(desk, point))


def _loggers_over_time(desk: Workspace, point: PointPlace) -> tuple[CsvPeriod, ...]:
    """Which logger's mission was at a point from when on; where no logger ever was, what else."""
    with desk.archive.reading() as session:
        deployments = [(mission, one) for mission, one in missions_at(session, point.id) if one]
    loggers = [(mission, one) for mission, one in deployments if one.stay.is_logger]
    return tuple(
        CsvPeriod(one.first_ms, mission.logger.serial, mission.number)
        for mission, one in loggers or deployments
    )


def point_report(desk: Workspace, point: PointPlace, span: Span) -> PointReport:
    """Return what the PDF of a stretch says, from the first reading there is until now at most."""
    span = inside_record(desk, point, span)
    parts = _channels(desk, point, span)
    limits, how = limits_at(desk, point.id), formula_texts(desk, point)
    channels = tuple(
        _report_channel(
            read_around(desk, point.id, place.channel, span),
            place,
            point.zone,
            span,
            series,
            limits.get(place.channel, ()),
            how.get(place.channel, ""),
            mean_uncertainty(desk, point, place.channel, span),
            *judged(desk, point, place.channel, span, limits.get(place.channel, ())),
        )
        for place, series in parts
        if len(series)
    )
    return PointReport(
        site=point.site,
        point=point.name,
        zone=point.zone,
        span=span,
        made_ms=desk.now_ms(),
        made_by=desk.person,
        channels=channels,
        missions=tuple(_missions(desk, point, span)),
        excursions=tuple(_report_excursions(desk, point, span)),
        gaps=tuple(_report_gaps(desk, point, span)),
        fingerprint=readings_fingerprint([series for _, series in parts]),
        calibrations=tuple(_calibrations(desk, point, span)),
        corrections=tuple(_corrections(desk, point, span)),
        remarks=tuple(remark for remark in remarks(desk, point.id) if remark.touches(*span)),
        checks=tuple(_checks(desk, point, span)),
        clocks=tuple(_clocks(desk, point, span)),
        check_schedule=tuple(check_schedule_days(desk, point.id, span, point.zone)),
        head_hash=head_hash_text(desk),
        dated_later=dated_later(desk, point),
    )


def dated_later(desk: Workspace, point: PointPlace) -> int:
    """Return how many readings of a point are dated later than now: by a clock that was wrong."""
    future = (desk.now_ms() + 1, EVER_MS)
    found = (record(desk, point.id, place.channel, future) for place in point.measured)
    return len(all_instants(found))


def _clocks(desk: Workspace, point: PointPlace, span: Span) -> list[StoredClockCorrection]:
    """Return the clocks that were put right of missions that recorded in a stretch."""
    with desk.archive.reading() as session:
        its = {
            assignment.mission
            for assignment in layout(session).at_point(point.id)
            if assignment.start_ms < span[1] and assignment.end_ms > span[0]
        }
        return [one for uid, one in clocks_in_force(session).items() if uid in its]


def _checks(desk: Workspace, point: PointPlace, span: Span) -> list[CheckComparison]:
    """Return what was read by hand in a stretch, of all series, in order of time."""
    found = [
        one
        for place in point.channels
        for one in compare_checks(desk, point.id, place.channel)
        if span[0] <= one.check.at_ms < span[1]
    ]
    return sorted(found, key=lambda one: one.check.at_ms)


def _report_channel(
    series: Series,
    place: ChannelPlace,
    zone: str,
    span: Span,
    shown: Series,
    limits: tuple[InForce, ...],
    how: str,
    uncertainty: Uncertainty | None,
    verdicts: tuple[DayVerdict, ...],
    means: tuple[tuple[int, Series], ...],
) -> ReportChannel:
    known = quantity(place.channel)
    return ReportChannel(
        place.channel,
        place.unit,
        shown,
        tuple(limit for limit in limits if limit.start_ms < span[1] and limit.end_ms > span[0]),
        numbers(
            series, span, limits, kinetic=known.is_temperature, zone=zone, averages=known.averages
        ),
        tuple(
            daily_numbers(
                series, span, zone, limits, kinetic=known.is_temperature, averages=known.averages
            )
        ),
        how,
        uncertainty,
        verdicts,
        means,
    )


def _offloads_of(
    session: ArchiveSession, mission: KnownMission, span: Span
) -> tuple[ReportOffload, ...]:
    """Return the transfers of a mission that hold readings of a stretch, oldest first."""
    return tuple(
        ReportOffload(row.at_ms, row.person, row.route, row.sha256, row.clock_difference_ms)
        for row in offloads_in(session, mission.id, span)
    )


def _missions(desk: Workspace, point: PointPlace, span: Span) -> list[ReportMission]:
    with desk.archive.reading() as session:
        return [
            ReportMission(
                mission.logger.serial,
                f"{mission.logger.model}, practice"
                if mission.logger.practice
                else mission.logger.model,
                mission.number,
                mission.first_ms if deployments is None else deployments.stay.first_ms,
                _recorded(session, mission),
                mission.interval_ms // 1000,
                end_text(plan_from_dict(mission.plan), point.zone),
                _offloads_of(session, mission, span),
            )
            for mission, deployments in missions_at(session, point.id)
            if deployments is None or _reaches(deployments, span)
        ]


def _reaches(deployments: Deployment, span: Span) -> bool:
    return deployments.first_ms < span[1] and deployments.end_ms > span[0]


def _recorded(
    session: ArchiveSession, mission: KnownMission
) -> Literal["recorded", "waiting", "never"]:
    """Whether a mission has readings: on the logger as last seen, or in the archive."""
    if mission.readings or stored_ranges(session, mission.id):
        return "recorded"
    return "waiting" if mission.state in ("", "waiting", "logging") else "never"


def _report_excursions(desk: Workspace, point: PointPlace, span: Span) -> list[ReportExcursion]:
    return [
        ReportExcursion(
            e.rule,
            e.start_ms,
            e.end_ms,
            e.alarm_ms,
            e.extreme,
            e.dose,
            e.measured,
            e.estimated,
            e.cause or "",
            e.comment,
            e.settled_by,
            e.settled_ms,
        )
        for e in reversed(excursions(desk, point.id))
        if e.start_ms < span[1] and e.end_ms > span[0] and not e.is_gone
    ]


def _report_gaps(desk: Workspace, point: PointPlace, span: Span) -> list[ReportGap]:
    """Return the gaps that reach into a stretch, what is absent at its end among them."""
    with desk.archive.reading() as session:
        active = active_steps(session, point.id).get(point.id, [])
    steps = {step.id: step for step in active}
    found = [
        ReportGap(
            max(booked.gap.start_ms, span[0]),
            min(booked.gap.end_ms, span[1]),
            _missing_inside(booked, span),
            booked.channels,
            _gap_resolution(booked, steps, point.zone),
            is_filled=booked.state == "estimated" or booked.state in MEASURED,
            is_calculated=booked.state == NOT_CALCULATED,
        )
        for booked in [*gaps(desk, point.id), *gaps_of_calculated(desk, point.id)]
        if booked.gap.start_ms < span[1] and booked.gap.end_ms > span[0]
    ]
    return [*found, *_absent_at_the_end(desk, point, span)]


def _missing_inside(booked: BookedGap, span: Span) -> int:
    gap = booked.gap
    inside = min(gap.end_ms, span[1]) - max(gap.start_ms, span[0])
    return max(round(gap.missing * inside / max(gap.length_ms, 1)), 1)


def _gap_resolution(booked: BookedGap, steps: dict[str, RecordStep], zone: str) -> str:
    """Say what was done about a gap, by whom and when."""
    if booked.state == NOT_CALCULATED:
        return f"not calculated: {booked.reason}"
    if booked.state == "open":
        return "open, not dealt with yet"
    done = [steps[uid] for uid in booked.steps if uid in steps]
    by = f" ({done[0].made_by}, {from_ms(done[0].made_ms, zone):%Y-%m-%d %H:%M})" if done else ""
    if booked.state == "left open":
        return f"left open: {booked.reason}{by}"
    if booked.state == "from the logger":
        carried = done[0].facts.get("by", "") if done else ""
        return f"offloaded from {carried or 'the logger'}, measured{by}"
    if booked.state == "from another source":
        sources = " and ".join(dict.fromkeys(str(step.facts["source"]) for step in done))
        return f"measured by {sources} beside it{by}"
    errors = [_expected_error(step) for step in done if "rmse" in step.facts]
    methods = " and ".join(dict.fromkeys(fill_method_text(step.facts) for step in done))
    cautions = dict.fromkeys(str(step.facts["caution"]) for step in done if "caution" in step.facts)
    worse = f", here it can be larger ({'; '.join(cautions)})" if cautions else ""
    return f"estimated {methods}, expected error {', '.join(errors)}{worse}{by}"


def _expected_error(step: RecordStep) -> str:
    name = quantity(step.channel)
    in_sum = " in sum" if step.facts.get("of_sum") else ""
    rmse = float(step.facts["rmse"])
    error = f"{rmse:.{error_decimals(rmse, name.decimals + 1)}f} {name.unit}"
    return f"{name.name} ± {error}{in_sum}"


def _absent_at_the_end(desk: Workspace, point: PointPlace, span: Span) -> list[ReportGap]:
    """Return where the record ends before the stretch does: no gap lies between two readings."""
    absent: dict[Span, list[str]] = {}
    for place in point.channels:
        series = read_around(desk, point.id, place.channel, (span[1] - 1, span[1])).between(
            0, span[1]
        )
        if not len(series):
            continue
        last, interval = int(series.times_utc_ms[-1]), int(series.interval_ms[-1])
        if span[1] - last > HOLD_FACTOR * interval:
            absent.setdefault((max(last + interval, span[0]), interval), []).append(place.channel)
    found = []
    for (since, interval), keys in absent.items():
        if since >= span[1]:
            continue
        pending = undelivered_since(desk, point, keys[0])
        is_pending = pending is not None and pending <= since + interval
        how = "not offloaded yet" if is_pending else "not offloaded, or not recorded"
        many = -(-(span[1] - since) // interval)
        found.append(ReportGap(since, span[1], many, tuple(keys), how, is_pending=is_pending))
    return found


def _corrections(desk: Workspace, point: PointPlace, span: Span) -> list[ReportCorrection]:
    """Return the steps of all chains of a point that are on and reach into a stretch."""
    return [
        ReportCorrection(
            step.series,
            step.does.name,
            step_text(step),
            max(step.start_ms, span[0]),
            min(step.until_ms, span[1]),
            step.stated_by,
            step.stated_ms,
            step.reason,
        )
        for step in active_corrections(desk, point)
        if step.touches(*span)
    ]


def _correction_text(correction: ReportCorrection, zone: str) -> str:
    since, until = (
        f"{from_ms(at, zone):%Y-%m-%d %H:%M}" for at in (correction.start_ms, correction.end_ms)
    )
    return (
        f"corrected from {since} to {until} ({correction.step}, {correction.does}: "
        f"{correction.reason}; set by {correction.person})"
    )


def _calibrations(desk: Workspace, point: PointPlace, span: Span) -> list[ReportCalibration]:
    """Return the last calibration before the end of a stretch, of each logger that was there."""
    with desk.archive.reading() as session:
        latest = dict(point_calibrations(session, point.id, span[1]))
    return [
        ReportCalibration(serial, one.at_ms, one.due_ms, one.certificate_name)
        for serial, one in latest.items()
    ]


def readings_fingerprint(parts: list[Series]) -> str:
    """Return SHA-256 over instants, values and codes of the readings, channel by channel.

    Times as little-endian int64, values as float64, codes as uint8, each array whole.
    """
    digest = hashlib.sha256()
    for series in parts:
        digest.update(series.times_utc_ms.astype("<i8").tobytes())
        digest.update(series.values.astype("<f8").tobytes())
        digest.update(series.quality.astype("u1").tobytes())
    return digest.hexdigest()
