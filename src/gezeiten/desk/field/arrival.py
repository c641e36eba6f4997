"""What an offload brought, in one glance: how much, from when, lowest, highest, what is wrong."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from gezeiten.archive.local_cache.cutting import Column
from gezeiten.archive.local_cache.readings import readings_added
from gezeiten.archive.queries.offloads import offloads_by_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.domain.series.timeline import Span


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


def arrival(desk: Workspace, result: Offloaded) -> Arrival:
    """Return what an offload brought."""
    with desk.archive.reading() as session:
        offloads = offloads_by_id(session, result.offload_ids)
        clock = offloads[0].clock_difference_ms if offloads else None
        received = [one for offload in offloads for one in readings_added(session, offload)]
    if not received or result.point_id is None:
        return Arrival(result, None, (), clock, 0)
    times = [(int(column.times[0]), int(column.times[-1])) for _, column in received]
    span = (min(first for first, _ in times), max(last for _, last in times))
    found = [
        booked
        for booked in gaps(desk, result.point_id)
        if booked.state == "open" and booked.gap.start_ms < span[1] and booked.gap.end_ms > span[0]
    ]
    return Arrival(result, span, tuple(_extremes(received)), clock, len(found))


def _extremes(received: list[tuple[str, Column]]) -> Iterator[Extremes]:
    for channel in dict.fromkeys(channel for channel, _ in received):
        values = np.concatenate([column.values for own, column in received if own == channel])
        known = values[np.isfinite(values)]
        low, high = (float(known.min()), float(known.max())) if len(known) else (None, None)
        yield Extremes(channel, low, high)
