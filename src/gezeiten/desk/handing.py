"""Handing over: CSV and PDF of a point over a stretch, kept with their fingerprint."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.faults import translated
from gezeiten.archive.intake import kept_ranges
from gezeiten.archive.tables import Handover, Mission, Offload
from gezeiten.archive.vault import fingerprint
from gezeiten.desk.context import Desk
from gezeiten.desk.excursion_book import excursions
from gezeiten.desk.mending import gaps
from gezeiten.desk.places import ChannelPlace, PointPlace
from gezeiten.desk.records import extent, plan_stretches, record
from gezeiten.domain.plan import plan_from_dict
from gezeiten.domain.plan_words import end_text
from gezeiten.domain.quantities import quantity
from gezeiten.domain.series import Series
from gezeiten.domain.statistics import daily_numbers, numbers
from gezeiten.domain.timeline import Span, from_ms
from gezeiten.domain.wording import readings_words
from gezeiten.errors import InputError
from gezeiten.exchange.csv_out import CsvStretch, CsvTable, write_csv
from gezeiten.report.content import (
    PointReport,
    ReportChannel,
    ReportExcursion,
    ReportGap,
    ReportMission,
)

if TYPE_CHECKING:
    from gezeiten.report.pages import PagePicture

Kind = Literal["csv", "pdf"]


@dataclass(frozen=True, slots=True)
class HandedOver:
    """A document as it left the house."""

    path: Path
    kind: Kind
    sha256: str
    readings: int
    pages: int


@dataclass(frozen=True, slots=True)
class PastHandover:
    """One handed over before; state: "as it was", "changed" or "missing"."""

    at_ms: int
    person: str
    kind: str
    point_id: int
    span: Span
    file_name: str
    sha256: str
    readings: int
    state: Literal["as it was", "changed", "missing"]


def export_csv(desk: Desk, point: PointPlace, span: Span, path: Path | None = None) -> HandedOver:
    """Write the CSV of a point over a stretch, read it back, keep its fingerprint.

    Raises:
        InputError: no reading in the stretch.
        SurroundingsError: the disk.
    """
    table = csv_table(desk, point, span)
    target = path or desk.archive.handovers / file_name(point, span, "csv")
    with translated(target.parent):
        readings = _whole(target, lambda fresh: write_csv(table, fresh))
    return _book(desk, point, span, "csv", target, readings, 0)


def export_pdf(desk: Desk, point: PointPlace, span: Span, path: Path | None = None) -> HandedOver:
    """Write the PDF report of a point over a stretch, read it back, keep its fingerprint.

    Raises:
        InputError: no reading in the stretch.
        SurroundingsError: the disk.
    """
    # reportlab is slow to import and only this needs it
    from gezeiten.report.pdf import write_pdf

    report = point_report(desk, point, span)
    target = path or desk.archive.handovers / file_name(point, span, "pdf")
    with translated(target.parent):
        pages = _whole(target, lambda fresh: write_pdf(report, fresh))
    return _book(desk, point, span, "pdf", target, report.readings, pages)


def _whole(target: Path, write: Callable[[Path], int]) -> int:
    """Write beside the target and move into place, so that no half document is ever found."""
    fresh = target.with_name(f".{target.name}.new")
    try:
        result = write(fresh)
        fresh.replace(target)
    finally:
        fresh.unlink(missing_ok=True)
    return result


def _book(
    desk: Desk,
    point: PointPlace,
    span: Span,
    kind: Kind,
    path: Path,
    readings: int,
    pages: int,
) -> HandedOver:
    with translated(path.parent):
        data = path.read_bytes()
    sha256 = fingerprint(data)
    with desk.archive.writing() as session:
        session.add(
            Handover(
                at_ms=desk.now_ms(),
                person=desk.person,
                kind=kind,
                point_id=point.id,
                start_ms=span[0],
                end_ms=span[1],
                file_name=str(path.resolve()),
                sha256=sha256,
                size=len(data),
                readings=readings,
            )
        )
        desk.log(
            session,
            "handover",
            point.full_name,
            f"{kind.upper()} with {readings_words(readings)} written: {path.name}.",
            sha256=sha256,
            start_ms=span[0],
            end_ms=span[1],
        )
    return HandedOver(path, kind, sha256, readings, pages)


def past_handovers(desk: Desk) -> list[PastHandover]:
    """Return what was handed over, latest first, and whether it is still what it was."""
    with desk.archive.reading() as session:
        rows = session.scalars(select(Handover).order_by(Handover.id.desc())).all()
    return [
        PastHandover(
            row.at_ms,
            row.person,
            row.kind,
            row.point_id,
            (row.start_ms, row.end_ms),
            row.file_name,
            row.sha256,
            row.readings,
            _state(row),
        )
        for row in rows
    ]


def _state(row: Handover) -> Literal["as it was", "changed", "missing"]:
    try:
        data = Path(row.file_name).read_bytes()
    except OSError:
        return "missing"
    return "as it was" if fingerprint(data) == row.sha256 else "changed"


def document_pages(path: Path, width: int) -> list[PagePicture]:
    """Return the pages of a PDF that was handed over, `width` pixels wide.

    Raises:
        SurroundingsError: it is gone or is no PDF any more.
    """
    from gezeiten.report.pages import page_pictures

    return page_pictures(path, width)


def document_lines(path: Path, most: int = 60) -> str:
    """Return the first lines of a CSV that was handed over.

    Raises:
        SurroundingsError: it is gone.
    """
    with translated(path), path.open(encoding="utf-8", errors="replace") as lines:
        return "".join(line for _, line in zip(range(most), lines, strict=False))


def file_name(point: PointPlace, span: Span, suffix: str) -> str:
    """Return a file name of site, point and stretch that every file system takes."""
    words = re.sub(r"[^\w-]+", "-", f"{point.site} {point.name}".lower()).strip("-")
    first, last = (from_ms(ms, point.zone) for ms in (span[0], span[1] - 1))
    return f"{words[:80]}_{first:%Y-%m-%d}_{last:%Y-%m-%d}.{suffix}"


# -- contents ------------------------------------------------------------------------------------
def _channels(desk: Desk, point: PointPlace, span: Span) -> list[tuple[ChannelPlace, Series]]:
    parts = [
        (place, record(desk, point.id, place.channel).between(*span)) for place in point.channels
    ]
    if not any(len(series) for _, series in parts):
        raise InputError(f"{point.full_name} has no reading in this stretch; choose another one.")
    return parts


def csv_table(desk: Desk, point: PointPlace, span: Span) -> CsvTable:
    """Return what the CSV of a stretch holds."""
    stretches = [
        CsvStretch(mission.first_ms, mission.serial, mission.number, plan_limits)
        for mission, plan_limits in zip(
            _missions(desk, point),
            [stretch.plan.limits for stretch in plan_stretches(desk, point.id)],
            strict=True,
        )
    ]
    return CsvTable(
        point.site,
        point.name,
        point.zone,
        tuple((p.channel, p.unit, series) for p, series in _channels(desk, point, span)),
        tuple(stretches),
    )


def point_report(desk: Desk, point: PointPlace, span: Span) -> PointReport:
    """Return what the PDF of a stretch says, from the first reading there is until now at most."""
    parts = _channels(desk, point, span)
    whole = extent(desk, point.id, [place.channel for place in point.channels]) or span
    span = (max(span[0], whole[0]), min(span[1], max(desk.now_ms(), whole[1] + 1)))
    channels = tuple(
        _report_channel(record(desk, point.id, place.channel), place, point.zone, span, series)
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
        missions=tuple(
            mission
            for mission, stretch in zip(
                _missions(desk, point), plan_stretches(desk, point.id), strict=True
            )
            if stretch.start_ms < span[1] and (stretch.end_ms or 2**62) > span[0]
        ),
        excursions=tuple(_report_excursions(desk, point, span)),
        gaps=tuple(_report_gaps(desk, point, span)),
        fingerprint=readings_fingerprint([series for _, series in parts]),
    )


def _report_channel(
    whole: Series, place: ChannelPlace, zone: str, span: Span, shown: Series
) -> ReportChannel:
    kinetic = quantity(place.channel).is_temperature
    return ReportChannel(
        place.channel,
        place.unit,
        shown,
        place.rules,
        numbers(whole, span, place.rules, kinetic=kinetic, zone=zone),
        tuple(daily_numbers(whole, span, zone, place.rules, kinetic=kinetic)),
    )


def _missions(desk: Desk, point: PointPlace) -> list[ReportMission]:
    with desk.archive.reading() as session:
        missions = session.scalars(
            select(Mission).filter_by(point_id=point.id).order_by(Mission.first_ms)
        ).all()
        return [
            ReportMission(
                mission.logger.serial,
                f"{mission.logger.model}, practice"
                if mission.logger.practice
                else mission.logger.model,
                mission.number,
                mission.first_ms,
                _recorded(session, mission),
                mission.interval_ms // 1000,
                end_text(plan_from_dict(mission.plan), point.zone),
                tuple(
                    (row.at_ms, row.person, row.sha256)
                    for row in session.scalars(
                        select(Offload).filter_by(mission_id=mission.id).order_by(Offload.at_ms)
                    )
                ),
            )
            for mission in missions
        ]


def _recorded(session: Session, mission: Mission) -> Literal["recorded", "waiting", "never"]:
    """Whether a mission has readings: on the logger as last seen, or in the archive."""
    if mission.readings or kept_ranges(session, mission.id):
        return "recorded"
    return "waiting" if mission.state in ("", "waiting", "logging") else "never"


def _report_excursions(desk: Desk, point: PointPlace, span: Span) -> list[ReportExcursion]:
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
            e.words,
            e.settled_by,
            e.settled_ms,
        )
        for e in reversed(excursions(desk, point.id))
        if e.start_ms < span[1] and e.end_ms > span[0] and not e.gone
    ]


def _report_gaps(desk: Desk, point: PointPlace, span: Span) -> list[ReportGap]:
    return [
        ReportGap(
            booked.gap.start_ms,
            booked.gap.end_ms,
            booked.gap.missing,
            booked.channels,
            booked.state,
            booked.reason,
        )
        for booked in gaps(desk, point.id)
        if booked.gap.start_ms < span[1] and booked.gap.end_ms > span[0]
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
