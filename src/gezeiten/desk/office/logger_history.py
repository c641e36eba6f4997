"""The life of a logger: its missions and places, batteries changed, calibrations, certificates."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from gezeiten.archive.queries.loggers import (
    find_logger,
    loggers_by_serial,
    point_names,
    reports_of,
    services_of,
)
from gezeiten.archive.queries.missions import missions_of
from gezeiten.archive.store.faults import translated
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.loggers import LoggerRetired, ServiceKind, ServiceNoted
from gezeiten.domain.facts.stored import KnownMission, ServiceEntry, StoredReport
from gezeiten.domain.plan.plan import plan_from_dict
from gezeiten.errors import InputError

LARGEST_CERTIFICATE_BYTES = 25_000_000


@dataclass(frozen=True, slots=True)
class PastMission:
    """One mission of a logger. first_ms 0: it still waits for its button. state: as at the last
    contact, "relaunched" where the next launch ended it. readings: on the logger at the last
    contact; stored: readings in the archive."""

    number: int
    name: str
    point: str
    zone: str
    launched_ms: int
    first_ms: int
    interval_ms: int
    state: str
    readings: int
    stored: int


@dataclass(frozen=True, slots=True)
class LoggerHistory:
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
    reports: tuple[StoredReport, ...]


def loggers(desk: Workspace) -> list[tuple[str, str, str]]:
    """Return serial, model and place (or "") of every logger, by serial."""
    with desk.archive.reading() as session:
        return [
            (logger.serial, logger.model, logger.place) for logger in loggers_by_serial(session)
        ]


def life(desk: Workspace, serial: str) -> LoggerHistory:
    """Return the life of a logger.

    Raises:
        InputError: the archive does not know it.
    """
    with desk.archive.reading() as session:
        logger = find_logger(session, serial)
        if logger is None:
            raise InputError(f"The archive does not know a logger {serial}; contact it once.")
        places = point_names(session)
        missions = tuple(
            _past_mission(*mission, places) for mission in missions_of(session, logger.id)
        )
        services = tuple(services_of(session, logger.id))
        reports = tuple(reports_of(session, logger.id))
    return LoggerHistory(
        logger.serial,
        logger.model,
        logger.firmware,
        logger.practice,
        logger.place,
        logger.seen_ms,
        logger.pin_group,
        logger.retired_ms,
        missions,
        services,
        reports,
    )


def _past_mission(
    mission: KnownMission, stored: int, places: dict[int, tuple[str, str]]
) -> PastMission:
    name = plan_from_dict(mission.plan).mission_name
    return PastMission(
        mission.number,
        name,
        *places.get(mission.point_id or 0, ("", "UTC")),
        mission.launched_ms,
        mission.first_ms,
        mission.interval_ms,
        mission.state,
        mission.readings,
        stored,
    )


def note_service(
    desk: Workspace,
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
        raise InputError("That date is in the future; enter the day on which it was done.")
    if kind == "calibration" and (due_ms is None or due_ms <= at):
        raise InputError("A calibration is valid until a later day; enter until when.")
    if kind != "calibration" and not words.strip() and kind != "battery":
        raise InputError("Enter what was done.")
    name, sha256 = _store_certificate(desk, certificate)
    desk.do(
        ServiceNoted(
            serial,
            fresh_id(),
            kind,
            at,
            words.strip(),
            due_ms if kind == "calibration" else None,
            name,
            sha256,
        )
    )


def _store_certificate(desk: Workspace, path: Path | None) -> tuple[str | None, str | None]:
    if path is None:
        return None, None
    with translated(desk.archive.folder):
        length = path.stat().st_size
        if not 0 < length <= LARGEST_CERTIFICATE_BYTES:
            raise InputError(f"{path.name} is empty or over 25 MB; attach a smaller file.")
        return path.name, desk.archive.certificates.store(path.read_bytes())


def save_document(desk: Workspace, entry: ServiceEntry | StoredReport, path: Path) -> Path:
    """Write a certificate or a logger's own report out again, checked against its fingerprint."""
    if isinstance(entry, StoredReport):
        data = desk.archive.reports.get(entry.sha256)
    else:
        data = desk.archive.certificates.get(entry.certificate_sha256)
    with translated(desk.archive.folder):
        path.write_bytes(data)
    return path


def retire_logger(desk: Workspace, serial: str, *, retired: bool = True) -> None:
    """Put a logger out of use, or take it up again; its missions stay."""
    desk.do(LoggerRetired(serial, retired))
