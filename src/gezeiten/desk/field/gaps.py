"""Gaps of records, and what was said or done about each; what is done: `mending.py`."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from gezeiten.archive.local_cache.coverage import Coverage, coverage
from gezeiten.archive.queries.steps import active_steps
from gezeiten.desk.base.fault_isolation import Fault, or_fault
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.missing import missing_time
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.base.wording import grouped
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.steps.steps import NOT_CALCULATED, GapState, RecordStep


@dataclass(frozen=True, slots=True)
class BookedGap:
    """A gap of one or more channels of a point. steps: ids of the active steps on it."""

    point: PointPlace
    channels: tuple[str, ...]
    gap: Gap
    state: GapState
    steps: tuple[str, ...] = ()
    reason: str = ""

    @property
    def key(self) -> tuple[int, int, int, str]:
        """What tells gaps apart: point, first missing instant, end, and the first of its series."""
        series = self.channels[0] if self.channels else ""
        return (self.point.id, self.gap.start_ms, self.gap.end_ms, series)


def gaps(desk: Workspace, point_id: int | None = None) -> list[BookedGap]:
    """Return the gaps of one point or all, by site and time; filled ones from their steps.

    Of all points, those that cannot be read are left out; the Tideboard names them.
    """
    listed = points(desk)
    with desk.archive.reading() as session:
        steps, held = active_steps(session, point_id), coverage(session, point_id)
        if point_id is not None:
            selected = next(point for point in listed if point.id == point_id)
            return gaps_of(selected, steps.get(point_id, []), held)
        found = [or_fault(partial(gaps_of, one, steps.get(one.id, []), held)) for one in listed]
    return [booked for listed in found if not isinstance(listed, Fault) for booked in listed]


def gaps_of_calculated(desk: Workspace, point_id: int | None = None) -> list[BookedGap]:
    """Return where calculated series of one point or all have no value though their first input
    has; `reason` says what lacks. Points that cannot be read are left out, where all are asked."""
    if point_id is not None:
        [point] = (one for one in points(desk) if one.id == point_id)
        return _of_calculated(desk, point)
    found = [or_fault(partial(_of_calculated, desk, one)) for one in points(desk)]
    return [booked for listed in found if not isinstance(listed, Fault) for booked in listed]


def _of_calculated(desk: Workspace, point: PointPlace) -> list[BookedGap]:
    return [
        BookedGap(point, (time.series,), time.gap, NOT_CALCULATED, reason=time.reason)
        for time in missing_time(desk, point)
    ]


def open_gaps(desk: Workspace) -> int:
    """Return how many gaps nobody has dealt with."""
    return sum(1 for booked in gaps(desk) if booked.state == "open")


def gaps_of(point: PointPlace, steps: list[RecordStep], held: Coverage) -> list[BookedGap]:
    """Return the gaps of a point by time; steps: those of it that have an effect."""
    left_open = [step for step in steps if not step.does.changes_record]
    found: dict[tuple[int, int, tuple[str, ...]], BookedGap] = {}
    for place in point.measured:  # a gap of what is calculated is one of what it rests on
        for gap in held.gaps(point.id, place.channel):
            deciding = [step for step in left_open if _decides(step, place.channel, gap)]
            its = tuple(step.id for step in deciding)
            name = (gap.start_ms, gap.end_ms, its)  # decided otherwise it is another gap
            if name in found:
                found[name] = replace(found[name], channels=(*found[name].channels, place.channel))
                continue
            reason = str(deciding[0].facts.get("reason", "")) if deciding else ""
            state: GapState = "left open" if deciding else "open"
            found[name] = BookedGap(point, (place.channel,), gap, state, its, reason)
    filled = _filled(point, [step for step in steps if step.does.changes_record])
    return sorted(
        [*found.values(), *(_with_later_readings(one, held) for one in filled)],
        key=lambda booked: booked.gap.start_ms,
    )


def _with_later_readings(booked: BookedGap, held: Coverage) -> BookedGap:
    """Return an estimated gap with how much of it was measured since: what was measured stands,
    wherever it comes from, and an estimate only beside it."""
    if booked.state != "estimated":
        return booked
    span = (booked.gap.start_ms, booked.gap.end_ms)
    listed = [held.measured(booked.point.id, key).covered_ms(span) for key in booked.channels]
    found = min(listed, default=0) // booked.gap.interval_ms
    if not found:
        return booked
    text = f"{grouped(found)} of {grouped(booked.gap.missing)} measured since"
    return replace(booked, reason=text)


def _decides(step: RecordStep, channel: str, gap: Gap) -> bool:
    """Whether a step says that the gap of a series stays."""
    series = step.facts.get("series")
    return step.touches(gap.start_ms, gap.end_ms) and (not series or channel in series)


def _filled(point: PointPlace, steps: list[RecordStep]) -> list[BookedGap]:
    """Gaps that no longer show in the record because a step fills them."""
    filled: dict[tuple[int, int, str], BookedGap] = {}
    for step in steps:
        key = (step.start_ms, step.end_ms, step.kind)
        known = filled.get(key)
        channels = tuple(c for c in (step.channel,) if c)
        filled[key] = BookedGap(
            point,
            (*(known.channels if known else ()), *channels),
            Gap(step.start_ms, step.end_ms, step.interval_ms),
            step.does.makes,
            (*(known.steps if known else ()), step.id),
        )
    return list(filled.values())
