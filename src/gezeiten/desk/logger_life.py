"""The life of a logger: its missions and places, batteries changed, calibrations, certificates."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import get_args

from sqlalchemy import select
from sqlalchemy.orm import Session

from gezeiten.archive.faults import translated
from gezeiten.archive.ids import fresh_id
from gezeiten.archive.intake import kept_ranges
from gezeiten.archive.readings import kept_of_text
from gezeiten.archive.tables import Logger, LoggerReport, Mission, Point, Service, Site
from gezeiten.desk.context import Desk
from gezeiten.domain.acts.loggers import LoggerRetired, ServiceKind, ServiceNoted
from gezeiten.domain.acts.offloads import SOURCES
from gezeiten.domain.coverage import size
from gezeiten.domain.kept import KeptReport, ServiceEntry
from gezeiten.domain.plan import plan_from_dict
from gezeiten.domain.sites import full_name
from gezeiten.errors import InputError

LARGEST_CERTIFICATE_BYTES = 25_000_000


@dataclass(frozen=True, slots=True)
class PastMission:
    """One mission of a logger. first_ms 0: it still waits for its button. state: as at the last
    contact, "relaunched" where the next launch ended it. readings: on the logger at the last
    contact; kept: readings in the archive."""

    number: int
    name: str
    point: str
    zone: str
    launched_ms: int
    first_ms: int
    interval_ms: int
    state: str
    readings: int
    kept: int


@dataclass(frozen=True, slots=True)
class LoggerLife:
    """All that the archive knows of a logger; missions, services and reports latest first."""

    serial: str
    model: str
    firmware: str
    practice: bool
    point: str
    seen_ms: int | None
    pin_group: str
    retired_ms: int | None
    missions: tuple[PastMission, ...]
    services: tuple[ServiceEntry, ...]
    reports: tuple[KeptReport, ...]


def loggers(desk: Desk) -> list[tuple[str, str, str]]:
    """Return serial, model and place (or "") of every logger, by serial."""
    with desk.archive.reading() as session:
        rows = session.execute(
            select(Logger, Point, Site)
            .outerjoin(Point, Point.id == Logger.point_id)
            .outerjoin(Site, Site.id == Point.site_id)
            .order_by(Logger.serial)
        ).all()
    return [
        (logger.serial, logger.model, full_name(site.name, point.name) if point else "")
        for logger, point, site in rows
    ]


def life(desk: Desk, serial: str) -> LoggerLife:
    """Return the life of a logger.

    Raises:
        InputError: the archive does not know it.
    """
    with desk.archive.reading() as session:
        logger = session.scalars(select(Logger).filter_by(serial=serial)).first()
        if logger is None:
            raise InputError(f"The archive knows no logger {serial}; contact it once.")
        missions = session.scalars(
            select(Mission).filter_by(logger_id=logger.id).order_by(Mission.launched_ms.desc())
        ).all()
        services = session.scalars(
            select(Service).filter_by(logger_id=logger.id).order_by(Service.at_ms.desc())
        ).all()
        reports = session.scalars(
            select(LoggerReport).filter_by(logger_id=logger.id).order_by(LoggerReport.at_ms.desc())
        ).all()
        places = {
            point.id: (full_name(site.name, point.name), site.zone)
            for point, site in session.execute(select(Point, Site).join(Site))
        }
        unknown = ("", "UTC")
        return LoggerLife(
            logger.serial,
            logger.model,
            logger.firmware,
            logger.practice,
            places.get(logger.point_id or 0, unknown)[0],
            logger.seen_ms,
            logger.pin_group or "",
            logger.retired_ms,
            tuple(
                PastMission(
                    m.number,
                    plan_from_dict(m.plan).mission_name,
                    *places.get(m.point_id or 0, unknown),
                    m.launched_ms,
                    m.first_ms,
                    m.interval_ms,
                    m.state,
                    *_counts(session, m),
                )
                for m in missions
            ),
            tuple(_entry(row) for row in services),
            tuple(
                KeptReport(r.at_ms, r.person, r.mission_number, r.name, r.sha256) for r in reports
            ),
        )


def _counts(session: Session, mission: Mission) -> tuple[int, int]:
    """Return how many readings there are of a mission, and how many are kept."""
    if mission.logger.model in SOURCES:
        kept = kept_of_text(session, mission.uid)
        return kept, kept
    return mission.readings, size(kept_ranges(session, mission.id))


def _entry(row: Service) -> ServiceEntry:
    kind: ServiceKind = next(k for k in get_args(ServiceKind) if k == row.kind)
    return ServiceEntry(row.id, row.at_ms, row.person, kind, row.words, row.due_ms,
                        row.certificate_name or "", row.certificate_sha256 or "")  # fmt: skip


def note_service(
    desk: Desk,
    serial: str,
    kind: ServiceKind,
    words: str,
    *,
    at_ms: int | None = None,
    due_ms: int | None = None,
    certificate: Path | None = None,
) -> None:
    """Enter what was done to a logger; a certificate is kept beside the vault for ever.

    Raises:
        InputError: a calibration without the day until which it holds, an unknown logger, a
            certificate that is too large or empty.
        SurroundingsError: the certificate cannot be read.
    """
    at = desk.now_ms() if at_ms is None else at_ms
    if at > desk.now_ms():
        raise InputError("That day has not come yet; give the day on which it was done.")
    if kind == "calibration" and (due_ms is None or due_ms <= at):
        raise InputError("A calibration holds until a later day; say until when.")
    if kind != "calibration" and not words.strip() and kind != "battery":
        raise InputError("Say in a few words what was done.")
    name, sha256 = _keep_certificate(desk, certificate)
    desk.do(
        ServiceNoted(
            serial, fresh_id(), kind, at, words.strip(),
            due_ms if kind == "calibration" else None, name, sha256,
        )
    )  # fmt: skip


def _keep_certificate(desk: Desk, path: Path | None) -> tuple[str | None, str | None]:
    if path is None:
        return None, None
    with translated(desk.archive.folder):
        length = path.stat().st_size
        if not 0 < length <= LARGEST_CERTIFICATE_BYTES:
            raise InputError(f"{path.name} is empty or over 25 MB; attach a smaller file.")
        return path.name, desk.archive.certificates.put(path.read_bytes())


def save_document(desk: Desk, entry: ServiceEntry | KeptReport, path: Path) -> Path:
    """Write a certificate or a logger's own report out again, checked against its fingerprint."""
    if isinstance(entry, KeptReport):
        data = desk.archive.reports.get(entry.sha256)
    else:
        data = desk.archive.certificates.get(entry.certificate_sha256)
    with translated(desk.archive.folder):
        path.write_bytes(data)
    return path


def retire_logger(desk: Desk, serial: str, *, retired: bool = True) -> None:
    """Put a logger out of use, or take it up again; its missions stay."""
    desk.do(LoggerRetired(serial, retired))
