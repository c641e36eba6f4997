"""Which channels are shown at each point, as blocks and overviews make it."""

from __future__ import annotations

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from gezeiten.archive.here.holding import note_series
from gezeiten.archive.here.tables import Block, SeriesRow
from gezeiten.archive.store.tables import Mission, OverviewRow, Point
from gezeiten.domain.plan import plan_from_dict
from gezeiten.domain.quantities import quantity

Wanted = tuple[str, str, str, bool]
"""Point (its id), channel, unit, and whether there are readings."""


def series_wanted(session: Session) -> list[Wanted]:
    """Return the series that blocks and overviews make, each once, in the order in which missions
    came."""
    shown: dict[tuple[str, str], tuple[str, bool]] = {}
    rows = session.execute(
        select(Point.uid, Block.channel, Block.unit, func.max(Block.valid))
        .join(Mission, Mission.uid == Block.mission)
        .join(Point, Point.id == Mission.point_id)
        .group_by(Point.uid, Block.channel, Block.unit)
        .order_by(func.min(Block.id))
    )
    for point, channel, unit, valid in rows:
        shown[(point, channel)] = (unit, bool(valid) or shown.get((point, channel), ("", False))[1])
    for point, channel, unit in overview_channels(session):
        shown.setdefault((point, channel), (unit, False))
    return [(*key, *value) for key, value in shown.items()]


def series_kept(session: Session) -> set[Wanted]:
    """Return the series as they are kept."""
    rows = session.scalars(select(SeriesRow))
    return {(row.point, row.channel, row.unit, row.has_readings) for row in rows}


def make_series_anew(session: Session) -> None:
    """Make the series anew where they are not what blocks and overviews make."""
    wanted = series_wanted(session)
    if series_kept(session) == set(wanted):
        return
    session.execute(delete(SeriesRow))
    for point, channel, unit, has_readings in wanted:
        note_series(session, point, channel, unit, has_readings=has_readings)


def bare_overviews(session: Session) -> list[tuple[str, str, str]]:
    """Return points, channels and units of overviews that no series shows yet."""
    query = select(SeriesRow.point, SeriesRow.channel)
    shown = {(row.point, row.channel) for row in session.execute(query)}
    return [one for one in overview_channels(session) if one[:2] not in shown]


def overview_channels(session: Session) -> list[tuple[str, str, str]]:
    """Return the points (ids), channels and units that overviews show."""
    rows = session.execute(
        select(Point.uid, Mission.plan)
        .join(Mission, Mission.point_id == Point.id)
        .join(OverviewRow, OverviewRow.mission_id == Mission.id)
        .order_by(OverviewRow.id)
    )
    listed = [(point, channel) for point, plan in rows for channel in plan_from_dict(plan).channels]
    return [(*one, quantity(one[1]).unit) for one in dict.fromkeys(listed)]


def series_by_point(session: Session) -> dict[str, list[tuple[str, str]]]:
    """Return channels and units that are shown at each point, by the point's id."""
    shown: dict[str, list[tuple[str, str]]] = {}
    query = select(SeriesRow.point, SeriesRow.channel, SeriesRow.unit).order_by(SeriesRow.id)
    for point, channel, unit in session.execute(query):
        shown.setdefault(point, []).append((channel, unit))
    return shown
