"""Who measured what, where, from when to when: seen, and put right by saying so.

Readings never change by it; which series they are in follows (`domain/series/assignments.py`).
"""

from __future__ import annotations

from dataclasses import dataclass

from gezeiten.archive.local_cache.layout import Layout, layout
from gezeiten.archive.queries.missions import missions_by_id
from gezeiten.archive.queries.sites import stored_point
from gezeiten.archive.queries.source_statements import source_statements
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.actions.deployments import (
    AssignmentWithdrawn,
    DeploymentWithdrawn,
    SeriesAssigned,
    SourceDeployed,
)
from gezeiten.domain.facts.stored import SourceStatement
from gezeiten.domain.series.assignments import Deployment
from gezeiten.domain.series.series_keys import as_label, series_key
from gezeiten.domain.series.timeline import EVER_MS
from gezeiten.errors import InputError


@dataclass(frozen=True, slots=True)
class DeploymentView:
    """A source at a point with the mission that recorded there. start_ms: of a text that of its
    first reading; end_ms: None while it stands there still. series: those that it feeds, by key,
    each once; channels: what it measures."""

    source: str
    is_logger: bool
    mission: int
    point: PointPlace
    start_ms: int
    end_ms: int | None
    channels: tuple[str, ...]
    series: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Sources:
    """Where sources were, by point and time, and what people said of it, the latest first."""

    deployments: tuple[DeploymentView, ...]
    statements: tuple[SourceStatement, ...]


def sources(desk: Workspace, *, serial: str = "", point_id: int | None = None) -> Sources:
    """Return where the sources of a point were, or where one source was, or all."""
    known = {point.uid: point for point in points(desk)}
    with desk.archive.reading() as session:
        made = layout(session)
        deployments = [
            deployment
            for deployment in made.deployments
            if (not serial or deployment.stay.source == serial)
            and (point_id is None or deployment.point == made.points[point_id])
        ]
        missions = missions_by_id(session, {one.stay.mission for one in deployments})
        statements = source_statements(session)
    seen = [
        _deployment_view(one, made, known[one.point], missions[one.stay.mission].number)
        for one in deployments
        if one.point in known
    ]
    seen.sort(key=lambda one: (one.point.full_name, one.start_ms, one.source))
    here = {one.source for one in seen} | {serial}
    uids = {one.point.uid for one in seen if point_id is not None}
    return Sources(
        tuple(seen),
        tuple(
            statement
            for statement in statements
            if statement.source in here or statement.point_uid in uids
        ),
    )


def _deployment_view(
    deployment: Deployment, made: Layout, point: PointPlace, number: int
) -> DeploymentView:
    assigned = [
        feed
        for feed in made.by_mission.get(deployment.stay.mission, ())
        if feed.deployment == deployment
    ]
    shown = {series.key for series in made.shown.get(deployment.point, ())}
    keys = dict.fromkeys(feed.series for feed in assigned if feed.series in shown)
    end = None if deployment.end_ms == EVER_MS else deployment.end_ms
    return DeploymentView(
        deployment.stay.source,
        deployment.stay.is_logger,
        number,
        point,
        deployment.first_ms,
        end,
        deployment.stay.channels,
        tuple(keys),
    )


def place_source(
    desk: Workspace,
    serial: str,
    point_id: int | None,
    start_ms: int,
    end_ms: int | None,
    words: str,
) -> None:
    """Say where a source was in a stretch: at a point, or (None) at none. end_ms None: since then.

    Raises:
        InputError: no words, an end before the beginning, an unknown source.
    """
    if not words.strip():
        raise InputError("Enter a reason; it is recorded in the logbook.")
    left = _points_of(desk, serial)
    with desk.archive.reading() as session:
        uid = stored_point(session, point_id).uid if point_id is not None else None
    action = SourceDeployed(
        serial,
        fresh_id(),
        uid,
        start_ms,
        end_ms,
        words.strip(),
        tuple(one for one in left if one != uid),
    )
    desk.do(action)


def assign_source(
    desk: Workspace,
    point_id: int,
    channel: str,
    label: str,
    source: str,
    start_ms: int = 0,
    end_ms: int | None = None,
) -> str:
    """Say which source feeds a series of a point in a stretch; returns the series' key.

    label: "" for the main series of the channel.

    Raises:
        InputError: a label that names another source, an end before the beginning.
    """
    label = as_label(label)
    with desk.archive.reading() as session:
        uid = stored_point(session, point_id).uid
    desk.do(SeriesAssigned(uid, fresh_id(), channel, label, source, start_ms, end_ms))
    return series_key(channel, label)


def withdraw_statement(desk: Workspace, statement: SourceStatement) -> None:
    """Withdraw a statement on a source; what held before holds again."""
    if statement.channel:
        desk.do(AssignmentWithdrawn(statement.point_uid, statement.uid))
        return
    there = list(dict.fromkeys([*_points_of(desk, statement.source), statement.point_uid]))
    there = [uid for uid in there if uid]
    desk.do(DeploymentWithdrawn(statement.source, statement.uid, tuple(there)))


def _points_of(desk: Workspace, serial: str) -> list[str]:
    """The points where a source is, was, or would be but for what was said of it."""
    with desk.archive.reading() as session:
        made = layout(session)
        of_missions = [stay.point for stay in made.stays if stay.source == serial and stay.point]
    deployments = [
        deployment.point for deployment in made.deployments if deployment.stay.source == serial
    ]
    return list(dict.fromkeys([*deployments, *of_missions]))
