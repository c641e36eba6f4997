"""Launches under way and missions that they began, as actions make them."""

from __future__ import annotations

from sqlalchemy import Connection, delete, insert, update

from gezeiten.archive.projection.missions import (
    add_mission,
    find_mission,
    logger_key,
    set_logger,
    set_mission,
)
from gezeiten.archive.projection.rows import Authorship, Conflicts, Family, key_of
from gezeiten.archive.store.tables import LaunchIntent, Logger, Point
from gezeiten.domain.actions.launches import LaunchBegun, LaunchEnded


def _apply_begun(connection: Connection, action: LaunchBegun, authorship: Authorship) -> None:
    logger = logger_key(connection, action.logger)
    connection.execute(delete(LaunchIntent).where(LaunchIntent.logger_id == logger))
    connection.execute(
        insert(LaunchIntent).values(
            logger_id=logger,
            at_ms=authorship.at_ms,
            person=authorship.person,
            plan=action.plan,
            old_mission=action.old_mission,
            accepted=action.accepted,
            owner=action.launch,
            state="begun",
        )
    )


def _ended(connection: Connection, action: LaunchEnded, _authorship: Authorship) -> Conflicts:
    logger = logger_key(connection, action.logger)
    its = (LaunchIntent.logger_id == logger, LaunchIntent.owner == action.launch)
    gone = connection.execute(delete(LaunchIntent).where(*its)).rowcount
    if action.mission is not None:
        _enter(connection, logger, action)
    return [] if gone else [f"the launch of {action.logger} had already ended"]


def _enter(connection: Connection, logger: int, action: LaunchEnded) -> None:
    """Enter a mission that a launch has begun, and where its logger is now. It may be there
    already: whoever offloads the logger at that moment enters it too."""
    begun = action.mission
    assert begun is not None
    point = key_of(connection, Point.__table__, begun.point)
    leaving = update(Logger).where(Logger.serial.in_(action.replaced), Logger.point_id == point)
    connection.execute(leaving.values(point_id=None))  # one logger a point
    set_logger(connection, logger, point_id=point)
    facts = {"point_id": point, "plan": begun.plan, "interval_ms": begun.interval_ms}
    there = find_mission(connection, logger, begun.number, begun.launched_ms)
    if there is None:
        add_mission(
            connection,
            logger_id=logger,
            number=begun.number,
            launched_ms=begun.launched_ms,
            first_ms=begun.first_ms,
            **facts,
        )
    else:
        set_mission(connection, there.id, **facts)


FAMILY = Family({LaunchBegun: _apply_begun, LaunchEnded: _ended}, {})
