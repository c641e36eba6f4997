"""What was said of sources, as actions make it: where one was, which series it feeds."""

from __future__ import annotations

from sqlalchemy import Connection, Select, select, update

from gezeiten.archive.projection.missions import logger_key, set_logger
from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    add,
    key_of,
    only,
    withdraw,
)
from gezeiten.archive.store.tables import (
    DeploymentRow,
    Logger,
    Mission,
    Point,
    SeriesAssignmentRow,
    Step,
)
from gezeiten.domain.actions.deployments import (
    AssignmentWithdrawn,
    DeploymentWithdrawn,
    SeriesAssigned,
    SourceDeployed,
)
from gezeiten.domain.actions.offloads import SOURCES
from gezeiten.errors import InputError


def _apply_deployed(connection: Connection, action: SourceDeployed, authorship: Authorship) -> None:
    point = key_of(connection, Point.__table__, action.point) if action.point else None
    logger = logger_key(connection, action.logger)
    model = only(connection, select(Logger.model).where(Logger.id == logger))[0]
    if action.end_ms is None and model not in SOURCES:  # there it is now
        set_logger(connection, logger, point_id=point)
    add(
        connection,
        DeploymentRow.__table__,
        uid=action.placing,
        logger_id=logger,
        point_id=point,
        start_ms=action.start_ms,
        end_ms=action.end_ms,
        words=action.words,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
    )


def assign_series(connection: Connection, action: SeriesAssigned, authorship: Authorship) -> None:
    """Apply that somebody said which source feeds a series."""
    add(
        connection,
        SeriesAssignmentRow.__table__,
        uid=action.feeding,
        point_id=key_of(connection, Point.__table__, action.point),
        channel=action.channel,
        label=action.label,
        logger_id=logger_key(connection, action.source),
        start_ms=action.start_ms,
        end_ms=action.end_ms,
        said_ms=authorship.at_ms,
        said_by=authorship.person,
    )


def _apply_deployment_withdrawn(
    connection: Connection, action: DeploymentWithdrawn, authorship: Authorship
) -> Conflicts:
    conflicts = withdraw(connection, DeploymentRow.__table__, action.placing, authorship)
    _restore_location(connection, logger_key(connection, action.logger), action.placing)
    return conflicts


def _restore_location(connection: Connection, logger: int, deployment_id: str) -> None:
    """Where a logger is now that it is not where it was placed last: where it was placed before, or
    launched for last."""
    table = DeploymentRow.__table__
    [point, end_ms] = only(
        connection, select(table.c.point_id, table.c.end_ms).where(table.c.uid == deployment_id)
    )
    now = only(connection, select(Logger.model, Logger.point_id).where(Logger.id == logger))
    if end_ms is not None or now[0] in SOURCES or now[1] != point:
        return
    standing = (
        select(table.c.point_id)
        .where(table.c.logger_id == logger, table.c.undone_ms.is_(None), table.c.end_ms.is_(None))
        .order_by(table.c.said_ms.desc(), table.c.uid.desc())
        .limit(1)
    )
    launched = (
        select(Mission.point_id)
        .where(Mission.logger_id == logger)
        .order_by(Mission.launched_ms.desc())
        .limit(1)
    )
    row = connection.execute(standing).first() or connection.execute(launched).first()
    set_logger(connection, logger, point_id=row[0] if row else None)


def _apply_assignment_withdrawn(
    connection: Connection, action: AssignmentWithdrawn, authorship: Authorship
) -> Conflicts:
    conflicts = withdraw(connection, SeriesAssignmentRow.__table__, action.feeding, authorship)
    # where it filled a gap, that is open again
    its = update(Step).where(Step.uid == action.feeding, Step.undone_ms.is_(None))
    connection.execute(its.values(undone_ms=authorship.at_ms, undone_by=authorship.person))
    return conflicts


# -- refusing --------------------------------------------------------------------------------------
def _refuse_deployment(connection: Connection, action: SourceDeployed) -> None:
    _refuse_period(action.start_ms, action.end_ms)
    _refuse_unknown(connection, action.logger)


def _refuse_assignment(connection: Connection, action: SeriesAssigned) -> None:
    _refuse_period(action.start_ms, action.end_ms)
    _refuse_unknown(connection, action.source)
    if action.label != action.source and connection.execute(_named(action.label)).first():
        raise InputError(
            f"“{action.label}” is the name of another source; choose another label for the series."
        )


def _refuse_period(start_ms: int, end_ms: int | None) -> None:
    if end_ms is not None and end_ms <= start_ms:
        raise InputError("The end has to lie after the beginning; correct one of them.")


def _refuse_unknown(connection: Connection, source: str) -> None:
    if connection.execute(_named(source)).first() is None:
        raise InputError(f"The archive knows no source {source}; look for it in Loggers.")


def _named(serial: str) -> Select[int]:
    return select(Logger.id).where(Logger.serial == serial)


FAMILY = Family(
    {
        SourceDeployed: _apply_deployed,
        DeploymentWithdrawn: _apply_deployment_withdrawn,
        SeriesAssigned: assign_series,
        AssignmentWithdrawn: _apply_assignment_withdrawn,
    },
    {SourceDeployed: _refuse_deployment, SeriesAssigned: _refuse_assignment},
)
