"""What an offload brought, in one glance: how much, from when, lowest, highest, what is wrong."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from gezeiten.archive.tables import Block, Offload, SeriesRow
from gezeiten.desk.context import Desk
from gezeiten.desk.mending import gaps
from gezeiten.desk.offloading import Offloaded
from gezeiten.domain.timeline import Span


@dataclass(frozen=True, slots=True)
class Extremes:
    """Lowest and highest value of one channel among what came; None where it had no value."""

    channel: str
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class Arrival:
    """What came with one offload. span: from the first to the last reading, None without any.

    open_gaps: those of the point that lie in the span; excursions: its own that wait for somebody.
    """

    result: Offloaded
    span: Span | None
    extremes: tuple[Extremes, ...]
    clock_difference_ms: float | None
    open_gaps: int


def arrival(desk: Desk, result: Offloaded) -> Arrival:
    """Return what an offload brought. Extremes come from the summaries of its blocks."""
    with desk.archive.reading() as session:
        rows = session.execute(
            select(SeriesRow.channel, Block.low, Block.high, Block.start_ms, Block.end_ms)
            .join(SeriesRow, SeriesRow.id == Block.series_id)
            .where(Block.offload_id.in_(result.offload_ids))
        ).all()
        clock = session.scalars(
            select(Offload.clock_difference_ms).where(Offload.id.in_(result.offload_ids))
        ).first()
    if not rows or result.point_id is None:
        return Arrival(result, None, (), clock, 0)
    span = (min(row[3] for row in rows), max(row[4] or row[3] for row in rows))
    found = [
        booked
        for booked in gaps(desk, result.point_id)
        if booked.state == "open" and booked.gap.start_ms < span[1] and booked.gap.end_ms > span[0]
    ]
    extremes = []
    for channel in dict.fromkeys(str(row[0]) for row in rows):
        lows = [row[1] for row in rows if row[0] == channel and row[1] is not None]
        highs = [row[2] for row in rows if row[0] == channel and row[2] is not None]
        extremes.append(Extremes(channel, min(lows, default=None), max(highs, default=None)))
    return Arrival(result, span, tuple(extremes), clock, len(found))
