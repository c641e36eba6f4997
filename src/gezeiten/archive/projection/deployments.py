"""What was said of sources, as actions make it: where one was, which series it feeds."""

from __future__ import annotations

from sqlalchemy import Connection, Select, select, update

from gezeiten.archive.projection.missions import logger_key, set_logger
from gezeiten.archive.projection.rows import (
    Authorship,
    Conflicts,
    Family,
    key_of,
    only,
)
from gezeiten.archive.projection.statements import StatementTable, refuse_reversed
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

_DEPLOYMENTS = StatementTable(DeploymentRow.__table__, "placing")
ASSIGNMENTS = StatementTable(
    SeriesAssignmentRow.__table__, "feeding", fields={"logger_id": "source"}
)


def _apply_deployed(connection: Connection, action: SourceDeployed, authorship: Authorship) -> None:
    logger = logger_key(connection, action.logger)
    model = only(connection, select(Logger.model).where(Logger.id == logger))[0]
    if action.end_ms is None and model not in SOURCES:  # there it is now
        point = key_of(connection, Point.__table__, action.point) if action.point else None
        set_logger(connection, logger, point_id=point)
    _DEPLOYMENTS.state(connection, action, authorship)


def _apply_deployment_withdrawn(
    connection: Connection, action: DeploymentWithdrawn, authorship: Authorship
) -> Conflicts:
    conflicts = _DEPLOYMENTS.withdraw(connection, action, authorship)
    _restore_location(connection, logger_key(connection, action.logger), action.placing)
    return conflicts


def _restore_location(connection: Connection, logger: int, deployment_id: str) -> None:
    """Where a logger is now that it is not where it was placed last: where it was placed before, or
    launched for last."""
    table = _DEPLOYMENTS.table
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
    conflicts = ASSIGNMENTS.withdraw(connection, action, authorship)
    # where it filled a gap, that is open again
    its = update(Step).where(Step.uid == action.feeding, Step.undone_ms.is_(None))
    connection.execute(its.values(undone_ms=authorship.at_ms, undone_by=authorship.person))
    return conflicts


# -- refusing --------------------------------------------------------------------------------------
def _refuse_deployment(connection: Connection, action: SourceDeployed) -> None:
    refuse_reversed(action.start_ms, action.end_ms)
    _refuse_unknown(connection, action.logger)


def _refuse_assignment(connection: Connection, action: SeriesAssigned) -> None:
    refuse_reversed(action.start_ms, action.end_ms)
    _refuse_unknown(connection, action.source)
    if action.label != action.source and connection.execute(_named(action.label)).first():
        raise InputError(
            f"“{action.label}” is the name of another source; choose another label for the series."
        )


def _refuse_unknown(connection: Connection, source: str) -> None:
    if connection.execute(_named(source)).first() is None:
        raise InputError(f"The archive has no source {source}; see Logger history.")


def _named(serial: str) -> Select[int]:
    return select(Logger.id).where(Logger.serial == serial)


FAMILY = Family(
    {
        SourceDeployed: _apply_deployed,
        DeploymentWithdrawn: _apply_deployment_withdrawn,
        SeriesAssigned: ASSIGNMENTS.state,
        AssignmentWithdrawn: _apply_assignment_withdrawn,
    },
    {SourceDeployed: _refuse_deployment, SeriesAssigned: _refuse_assignment},
)
