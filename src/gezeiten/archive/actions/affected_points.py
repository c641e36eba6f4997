"""Which points a scope means in this archive (`domain/actions/scope.py`)."""

from __future__ import annotations

from sqlalchemy import Connection, bindparam, select

from gezeiten.archive.local_cache.changes import points_of
from gezeiten.archive.local_cache.tables import Block
from gezeiten.archive.queries.calculated_series import stated_calculations
from gezeiten.archive.store.prepared import PreparedStatement
from gezeiten.archive.store.tables import DeploymentRow, Mission, Offload, Point, Site
from gezeiten.domain.actions.scope import Scope
from gezeiten.domain.series.series_keys import channel_of

_BROUGHT = PreparedStatement(
    select(Point.uid)
    .join(Mission, Mission.point_id == Point.id)
    .join(Offload, Offload.mission_id == Mission.id)
    .where(Offload.sha256 == bindparam("sha256"))
)
_PLACED = PreparedStatement(
    select(Point.uid)
    .join(DeploymentRow, DeploymentRow.point_id == Point.id)
    .join(Mission, Mission.logger_id == DeploymentRow.logger_id)
    .join(Offload, Offload.mission_id == Mission.id)
    .where(Offload.sha256 == bindparam("sha256"))
)
_AT_SITE = PreparedStatement(
    select(Point.uid).join(Site, Site.id == Point.site_id).where(Site.uid == bindparam("its_uid"))
)
_RECORDED = PreparedStatement(
    select(Block.mission).where(Block.channel == bindparam("its_channel")).distinct()
)


def affected_points(connection: Connection, scope: Scope) -> list[str]:
    """Return the ids of the points in a scope, once the action that has it was applied."""
    found = list(scope.points)
    for mission in scope.missions:
        found += points_of(connection, mission)
    if scope.site:
        found += [row[0] for row in _AT_SITE.all(connection, its_uid=scope.site)]
    if scope.sha256:
        found += _of_bytes(connection, scope.sha256)
    if scope.channel:
        found += _with_channel(connection, scope.channel)
    return list(dict.fromkeys(found))


def _of_bytes(connection: Connection, sha256: str) -> list[str]:
    """The points that the readings of bytes may be at: where they were launched for, and where
    somebody said that their source was."""
    both = (*_BROUGHT.all(connection, sha256=sha256), *_PLACED.all(connection, sha256=sha256))
    return sorted({row[0] for row in both})


def _with_channel(connection: Connection, channel: str) -> list[str]:
    """The points where something recorded a channel, or it is calculated."""
    missions = [row[0] for row in _RECORDED.all(connection, its_channel=channel)]
    found = [point for mission in missions for point in points_of(connection, mission)]
    calculated = [
        stated_calculation.point
        for stated_calculation in stated_calculations(connection)
        if channel_of(stated_calculation.series) == channel
    ]
    return [*found, *calculated]
