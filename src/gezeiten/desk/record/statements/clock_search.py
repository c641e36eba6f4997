"""The clock of a mission looked for in the data: by a series of another place, whose lag is known
from times in which both clocks were right."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from gezeiten.archive.local_cache.layout import layout
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.clocks import MEASURED, MissionClock, mission_clocks
from gezeiten.desk.record.views.records import extent, record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.series import Series, join_series
from gezeiten.domain.series.timeline import DAY_MS, Span
from gezeiten.domain.steps.clock_search import (
    LONGEST_FOUND_MS,
    LONGEST_LAG_MS,
    FoundShift,
    PlaceLag,
    found_shift,
    place_lag,
    without_tide,
)
from gezeiten.domain.steps.filling.cycles import may_be_of_water
from gezeiten.errors import InputError

_MOST_LOOKED_AT_MS = 60 * DAY_MS
RIGHT_MS = 60_000
"""A clock that was this near at every contact counts as right where lags of places are looked
at."""


@dataclass(frozen=True, slots=True)
class FoundClock:
    """What the data say of a clock: the shift found, and the lag of the places in it, None where
    that is not known: then nothing can be said of the clock."""

    shift: FoundShift
    lag: PlaceLag | None

    @property
    def shift_ms(self) -> int:
        """By how much readings have to be moved for the clock alone; 0 without a lag."""
        return self.shift.shift_ms - self.lag.lag_ms if self.lag is not None else 0

    @property
    def u_ms(self) -> int:
        """How sure the shift is (k = 2): of how lags scatter, and of the grid."""
        spread = self.lag.u_ms if self.lag is not None else 0
        return math.ceil(math.hypot(spread, 2 * self.shift.step_ms / math.sqrt(12)))


def other_series(desk: Workspace, point: PointPlace, series: str) -> list[tuple[PointPlace, str]]:
    """Return the measured series of other points, by which a clock may be found: those of the same
    site first, of these those of the same unit."""
    unit = quantity(series).unit
    found = [
        (place, one.channel)
        for place in points(desk)
        for one in place.measured
        if place.id != point.id
    ]
    return sorted(
        found, key=lambda one: (one[0].site_id != point.site_id, quantity(one[1]).unit != unit)
    )


def by_data(
    desk: Workspace,
    point: PointPlace,
    series: str,
    clock: MissionClock,
    other: tuple[PointPlace, str],
) -> FoundClock:
    """Return by how much the readings of a mission have to be moved to go with another series, and
    how far both lag each other in other missions. What puts its clock right already counts.

    Raises:
        InputError: both are not known side by side for long enough, the other one by a right clock.
        ArchiveDamagedError: readings are damaged.
    """
    begin = clock.span[0]
    span = (begin, min(clock.span[1], begin + _MOST_LOOKED_AT_MS))
    beside_right = correct_clock_spans(desk, *other)
    wider = (span[0] - LONGEST_FOUND_MS, span[1] + LONGEST_FOUND_MS)
    beside = join_series([_read_spans(desk, *other, one) for one in shared([wider], beside_right)])
    shift = found_shift(_read_spans(desk, point, series, span), beside, LONGEST_FOUND_MS)
    if shift is None:
        raise InputError(
            "The two series have too little time in common with a correct clock; "
            "choose another series."
        )
    own_right = correct_clock_spans(desk, point, series, but=clock.mission)
    return FoundClock(shift, _lag(desk, (point, series), other, shared(own_right, beside_right)))


def _lag(
    desk: Workspace, own: tuple[PointPlace, str], other: tuple[PointPlace, str], right: list[Span]
) -> PlaceLag | None:
    latest = _latest_spans(right, _MOST_LOOKED_AT_MS)
    if not latest:
        return None
    whole = (latest[0][0] - LONGEST_LAG_MS, latest[-1][1] + LONGEST_LAG_MS)
    series = join_series([_read_spans(desk, *own, one) for one in latest])
    return place_lag(series, _read_spans(desk, *other, whole), latest)


def correct_clock_spans(
    desk: Workspace, point: PointPlace, series: str, but: str = ""
) -> list[Span]:
    """Return the stretches in which the clock behind a series is known to be right: up to the last
    contact of a mission that was near the true time at each, or that was put right by its contacts;
    all of what no logger recorded.

    Args:
        but: a mission (its id) that is left out.
    """
    found = [
        (mission_clock.span[0], mission_clock.reads[-1].true_ms)
        for mission_clock in mission_clocks(desk, point, series)
        if mission_clock.mission != but and _is_correct(mission_clock)
    ]
    whole = extent(desk, point.id, [series])
    if whole is not None:
        with desk.archive.reading() as session:
            assignments = layout(session).of_series(point.id, series)
        found += shared(
            [
                (feed.start_ms, feed.end_ms)
                for feed in assignments
                if not feed.deployment.stay.is_logger
            ],
            [whole],
        )
    return sorted(one for one in found if one[1] > one[0])


def _is_correct(clock: MissionClock) -> bool:
    if clock.correction is not None:
        return clock.correction.method == MEASURED
    near = all(
        abs(clock_read.shown_ms - clock_read.true_ms) <= RIGHT_MS for clock_read in clock.reads
    )
    return near and len(clock.reads) > 1


def shared(spans: Iterable[Span], others: Iterable[Span]) -> list[Span]:
    """Return the stretches that lie in one of some spans and in one of others, in order of time."""
    listed = list(others)
    both = ((max(a[0], b[0]), min(a[1], b[1])) for a in spans for b in listed)
    return sorted(one for one in both if one[1] > one[0])


def _latest_spans(spans: list[Span], most_ms: int) -> list[Span]:
    """Return the last stretches, no longer together than that."""
    found: list[Span] = []
    for begin, end in reversed(spans):
        left = most_ms - sum(b - a for a, b in found)
        if left <= 0:
            break
        found.append((max(begin, end - left), end))
    return found[::-1]


def _read_spans(desk: Workspace, point: PointPlace, series: str, span: Span) -> Series:
    stands = record(desk, point.id, series, span)
    measured = stands.subset(~stands.estimated)
    return without_tide(measured) if may_be_of_water(quantity(series).unit) else measured
