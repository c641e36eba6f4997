"""What happened to loggers in people's hands, as acts make it."""

from __future__ import annotations

from sqlalchemy import Connection, select, update

from gezeiten.archive.projection.missions import logger_key
from gezeiten.archive.projection.rows import Authorship, Family, Misfits, add, only
from gezeiten.archive.store.tables import Logger, LoggerReport, Service
from gezeiten.domain.actions.loggers import LoggerRetired, PinGroupSet, ReportStored, ServiceNoted
from gezeiten.errors import InputError


def _service_noted(connection: Connection, act: ServiceNoted, said: Authorship) -> None:
    logger = logger_key(connection, act.logger)
    add(
        connection,
        Service.__table__,
        uid=act.service,
        logger_id=logger,
        at_ms=act.at_ms,
        person=said.person,
        kind=act.service_kind,
        words=act.words,
        due_ms=act.due_ms,
        certificate_name=act.certificate_name,
        certificate_sha256=act.certificate_sha256,
    )


def _logger_retired(connection: Connection, act: LoggerRetired, said: Authorship) -> None:
    there = update(Logger).where(Logger.serial == act.logger)
    if act.retired:
        connection.execute(there.values(retired_ms=said.at_ms, point_id=None))
    else:
        connection.execute(there.values(retired_ms=None))


def _pin_group_set(connection: Connection, act: PinGroupSet, _said: Authorship) -> Misfits:
    [found] = only(connection, select(Logger.pin_group).where(Logger.serial == act.logger))
    connection.execute(
        update(Logger).where(Logger.serial == act.logger).values(pin_group=act.after or None)
    )
    return [] if (found or "") == act.before else [f"the group was {found!r}, not {act.before!r}"]


def _apply_report(connection: Connection, act: ReportStored, said: Authorship) -> None:
    add(
        connection,
        LoggerReport.__table__,
        logger_id=logger_key(connection, act.logger),
        mission_number=act.mission,
        name=act.name,
        sha256=act.sha256,
        size=act.size,
        at_ms=said.at_ms,
        person=said.person,
    )


def _refuse_unknown(connection: Connection, act: ServiceNoted | LoggerRetired) -> None:
    query = select(Logger.id).where(Logger.serial == act.logger)
    if connection.execute(query).first() is None:
        raise InputError(f"The archive knows no logger {act.logger}; contact it once.")


FAMILY = Family(
    {
        ServiceNoted: _service_noted,
        LoggerRetired: _logger_retired,
        PinGroupSet: _pin_group_set,
        ReportStored: _apply_report,
    },
    {ServiceNoted: _refuse_unknown, LoggerRetired: _refuse_unknown, PinGroupSet: _refuse_unknown},
)
