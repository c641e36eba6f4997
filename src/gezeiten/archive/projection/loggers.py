"""What happened to loggers in people's hands, as actions make it."""

from __future__ import annotations

from sqlalchemy import Connection, select, update

from gezeiten.archive.projection.missions import logger_key
from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, add, only
from gezeiten.archive.store.tables import Logger, LoggerReport, Service
from gezeiten.domain.actions.loggers import LoggerRetired, PinGroupSet, ReportStored, ServiceNoted
from gezeiten.errors import InputError


def _service_noted(connection: Connection, action: ServiceNoted, authorship: Authorship) -> None:
    logger = logger_key(connection, action.logger)
    add(
        connection,
        Service.__table__,
        uid=action.service,
        logger_id=logger,
        at_ms=action.at_ms,
        person=authorship.person,
        kind=action.service_kind,
        words=action.words,
        due_ms=action.due_ms,
        certificate_name=action.certificate_name,
        certificate_sha256=action.certificate_sha256,
    )


def _logger_retired(connection: Connection, action: LoggerRetired, authorship: Authorship) -> None:
    there = update(Logger).where(Logger.serial == action.logger)
    if action.retired:
        connection.execute(there.values(retired_ms=authorship.at_ms, point_id=None))
    else:
        connection.execute(there.values(retired_ms=None))


def _pin_group_set(
    connection: Connection, action: PinGroupSet, _authorship: Authorship
) -> Conflicts:
    [found] = only(connection, select(Logger.pin_group).where(Logger.serial == action.logger))
    connection.execute(
        update(Logger).where(Logger.serial == action.logger).values(pin_group=action.after or None)
    )
    return (
        []
        if (found or "") == action.before
        else [f"the group was {found!r}, not {action.before!r}"]
    )


def _apply_report(connection: Connection, action: ReportStored, authorship: Authorship) -> None:
    add(
        connection,
        LoggerReport.__table__,
        logger_id=logger_key(connection, action.logger),
        mission_number=action.mission,
        name=action.name,
        sha256=action.sha256,
        size=action.size,
        at_ms=authorship.at_ms,
        person=authorship.person,
    )


def _refuse_unknown(connection: Connection, action: ServiceNoted | LoggerRetired) -> None:
    query = select(Logger.id).where(Logger.serial == action.logger)
    if connection.execute(query).first() is None:
        raise InputError(f"The archive does not know a logger {action.logger}; contact it once.")


FAMILY = Family(
    {
        ServiceNoted: _service_noted,
        LoggerRetired: _logger_retired,
        PinGroupSet: _pin_group_set,
        ReportStored: _apply_report,
    },
    {ServiceNoted: _refuse_unknown, LoggerRetired: _refuse_unknown, PinGroupSet: _refuse_unknown},
)
