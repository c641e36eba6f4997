"""Loggers out of the archive: where they measure, what was done to them, what they wrote."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from gezeiten.archive.store.tables import Logger, LoggerReport, Mission, Point, Service, Site
from gezeiten.domain.actions.loggers import ServiceKind
from gezeiten.domain.facts.sites import full_name
from gezeiten.domain.facts.stored import KnownLogger, ServiceEntry, StoredReport


@dataclass(frozen=True, slots=True)
class DeployedLogger:
    """A logger and where it measures now: names of point and site and their zone, "", "" and "UTC"
    where it is nowhere. pin_group: its own choice, "" for its site's. Instants are UTC ms."""

    id: int
    point_id: int | None
    serial: str
    model: str
    firmware: str
    practice: bool
    seen_ms: int | None
    pin_group: str
    retired_ms: int | None
    point: str
    site: str
    zone: str

    @property
    def place(self) -> str:
        """Site and point in one, "" where it is nowhere."""
        return full_name(self.site, self.point) if self.point else ""


def loggers_by_serial(session: Session) -> list[DeployedLogger]:
    """Return all loggers and sources, by serial."""
    return [
        _deployed_logger(*row)
        for row in session.execute(_loggers_with_points().order_by(Logger.serial))
    ]


def find_logger(session: Session, serial: str) -> DeployedLogger | None:
    """Return the logger of a serial, None where the archive does not know it."""
    row = session.execute(_loggers_with_points().where(Logger.serial == serial)).first()
    return None if row is None else _deployed_logger(*row)


def last_seen_logger(session: Session, serial: str) -> KnownLogger | None:
    """Return a logger as it was seen last, None where the archive does not know it."""
    row = session.scalars(select(Logger).filter_by(serial=serial)).first()
    return None if row is None else logger_view(row)


def logger_view(row: Logger) -> KnownLogger:
    """Return a logger as it is handed out."""
    return KnownLogger(
        row.id, row.serial, row.model, row.practice, row.seen_ms, row.state, row.clock_difference_ms
    )


def _loggers_with_points() -> Select[Logger, Point, Site]:
    return (
        select(Logger, Point, Site)
        .outerjoin(Point, Point.id == Logger.point_id)
        .outerjoin(Site, Site.id == Point.site_id)
    )


def _deployed_logger(logger: Logger, point: Point | None, site: Site | None) -> DeployedLogger:
    return DeployedLogger(
        logger.id,
        logger.point_id,
        logger.serial,
        logger.model,
        logger.firmware,
        logger.practice,
        logger.seen_ms,
        logger.pin_group or "",
        logger.retired_ms,
        point.name if point else "",
        site.name if site else "",
        site.zone if site else "UTC",
    )


def point_names(session: Session) -> dict[int, tuple[str, str]]:
    """Return the full name and the zone of every point, by its key."""
    rows = session.execute(select(Point.id, Site.name, Point.name, Site.zone).join(Site))
    return {key: (full_name(site, point), zone) for key, site, point, zone in rows}


def services_of(session: Session, logger_id: int) -> list[ServiceEntry]:
    """Return what was done to a logger, latest first."""
    rows = session.scalars(
        select(Service).filter_by(logger_id=logger_id).order_by(Service.at_ms.desc())
    )
    return [_entry(row) for row in rows]


def _entry(row: Service) -> ServiceEntry:
    kind: ServiceKind = next(k for k in get_args(ServiceKind) if k == row.kind)
    return ServiceEntry(
        row.id,
        row.at_ms,
        row.person,
        kind,
        row.words,
        row.due_ms,
        row.certificate_name or "",
        row.certificate_sha256 or "",
    )


def certificates_of(session: Session, serial: str) -> list[ServiceEntry]:
    """Return the calibrations of a logger of which a certificate is kept, oldest first."""
    query = (
        select(Service)
        .join(Logger, Logger.id == Service.logger_id)
        .where(Logger.serial == serial, Service.certificate_sha256.is_not(None))
        .order_by(Service.at_ms)
    )
    return [_entry(row) for row in session.scalars(query)]


def reports_of(session: Session, logger_id: int) -> list[StoredReport]:
    """Return the documents that a logger wrote by itself, latest first."""
    rows = session.scalars(
        select(LoggerReport).filter_by(logger_id=logger_id).order_by(LoggerReport.at_ms.desc())
    )
    return [StoredReport(r.at_ms, r.person, r.mission_number, r.name, r.sha256) for r in rows]


def certificates_named(session: Session) -> list[str]:
    """Return the fingerprints of all certificates that entries name."""
    query = select(Service.certificate_sha256).where(Service.certificate_sha256.is_not(None))
    return [str(sha256) for sha256 in session.scalars(query.distinct())]


def reports_named(session: Session) -> list[str]:
    """Return the fingerprints of all documents that loggers wrote."""
    return list(session.scalars(select(LoggerReport.sha256).distinct()))


def known_report_sizes(session: Session) -> set[tuple[str, int]]:
    """Return names and sizes of all documents that loggers wrote."""
    return {
        (name, many) for name, many in session.execute(select(LoggerReport.name, LoggerReport.size))
    }


def has_report(session: Session, logger_id: int, sha256: str) -> bool:
    """Whether a document of a logger is kept."""
    query = select(LoggerReport.id).filter_by(logger_id=logger_id, sha256=sha256)
    return session.scalars(query).first() is not None


def calibration_noted(session: Session, logger_id: int) -> int | None:
    """Return until when a logger is calibrated as people noted it last (UTC ms)."""
    return session.scalars(
        select(Service.due_ms)
        .filter_by(logger_id=logger_id, kind="calibration")
        .where(Service.due_ms.is_not(None))
        .order_by(Service.at_ms.desc())
        .limit(1)
    ).first()


def place_of(session: Session, serial: str) -> str:
    """Return where a logger measures, site and point in one; "" where it is nowhere."""
    placed = find_logger(session, serial)
    return placed.place if placed else ""


def point_calibrations(
    session: Session, point_id: int, before_ms: int
) -> list[tuple[str, ServiceEntry]]:
    """Return the calibrations before an instant of all loggers that measured at a point, oldest
    first, with the logger's serial."""
    rows = session.execute(
        select(Logger.serial, Service)
        .join(Logger, Logger.id == Service.logger_id)
        .join(Mission, Mission.logger_id == Logger.id)
        .where(
            Mission.point_id == point_id, Service.kind == "calibration", Service.at_ms < before_ms
        )
        .order_by(Service.at_ms)
    )
    return [(serial, _entry(row)) for serial, row in rows]
