"""Which calculated series would lose values by a change of what they rest on, before it is made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gezeiten.archive.local_cache.layout import Layout, layout
from gezeiten.archive.queries.corrections import chain_of
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.clocks import MissionClock
from gezeiten.desk.record.statements.corrections import Effect
from gezeiten.desk.record.views.records import read_around, uncorrected
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.series.assignments import SeriesAssignment
from gezeiten.domain.series.clocks.clock_map import RIGHT, ClockMap
from gezeiten.domain.series.series import Series, join_series
from gezeiten.domain.series.series_keys import channel_of
from gezeiten.domain.series.timeline import Span
from gezeiten.domain.steps.calculated_series import CalculatedSeries, Key, transitive_inputs
from gezeiten.domain.steps.calculation import derive
from gezeiten.domain.steps.chain import Correction, corrected
from gezeiten.domain.steps.formulas.formula import LONGEST_MS


@dataclass(frozen=True, slots=True)
class ValueLoss:
    """A calculated series that would have fewer values in the stretch of a change. before, after:
    how many it has there, and would have."""

    point: PointPlace
    series: str
    before: int
    after: int

    @property
    def count(self) -> int:
        """How many fewer there would be."""
        return self.before - self.after


def losses_of_correction(
    desk: Workspace, point: PointPlace, series: str, span: Span, effect: Effect
) -> list[ValueLoss]:
    """Return what calculated series would lose in a stretch by a change of a chain.

    Args:
        effect: what the change does to the readings of the series there.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    wide = read_around(desk, point.id, series, _wider(span))
    stays = wide.estimated | ~_inside(wide, span)
    changed = join_series([effect.after, wide.subset(stays)])
    return _losses(desk, {(point.uid, series): changed}, span)


def losses_of_clock(
    desk: Workspace, clock: MissionClock, put_right: ClockMap | None
) -> list[ValueLoss]:
    """Return what calculated series would lose by a clock that is put right.

    Args:
        put_right: the map, None where nothing would put it right any more.

    Raises:
        ArchiveDamagedError: readings are damaged.
    """
    now = clock.correction.map if clock.correction is not None else RIGHT
    then = put_right or RIGHT
    places = {point.uid: point for point in points(desk)}
    with desk.archive.reading() as session:
        made = layout(session)
        assignments = [one for one in made.by_mission.get(clock.mission, []) if one.point in places]
        chains = {
            (feed.point, feed.series): chain_of(session, made.keys[feed.point], feed.series)
            for feed in assignments
        }
    changed = {
        key: _relocated(
            desk,
            places[key[0]],
            [feed for feed in assignments if (feed.point, feed.series) == key],
            (now, then),
            steps,
        )
        for key, steps in chains.items()
    }
    return _losses(desk, changed, clock.span)


def _relocated(
    desk: Workspace,
    point: PointPlace,
    assignments: list[SeriesAssignment],
    maps: tuple[ClockMap, ClockMap],
    steps: list[Correction],
) -> Series:
    """Return a series as it would be were the readings of feeds, all of it, on another clock."""
    series = assignments[0].series
    wide = _wider(
        (min(feed.start_ms for feed in assignments), max(feed.end_ms for feed in assignments))
    )
    source = uncorrected(desk, point.id, series, wide)
    parts, others = [], np.ones(len(source), np.bool_)
    for span in ((feed.start_ms, feed.end_ms) for feed in assignments):
        own = _inside(source, span)
        shown = maps[0].shown(source.times_utc_ms[own])
        parts.append(
            replace(source.subset(own), times_utc_ms=maps[1].corrected_times(shown)).between(*span)
        )
        others &= ~own
    measured = corrected(join_series([*parts, source.subset(others)]), steps)
    stands = read_around(desk, point.id, series, wide)
    return join_series([measured, stands.subset(stands.estimated)])


def _losses(desk: Workspace, changed: Mapping[Key, Series], span: Span) -> list[ValueLoss]:
    with desk.archive.reading() as session:
        made = layout(session)
    places = {point.uid: point for point in points(desk)}
    found = []
    for key, how in made.derived.items():
        if not any(
            transitive_input in changed for transitive_input in transitive_inputs(how, made.derived)
        ):
            continue
        wide = (span[0] - how.reach_ms, span[1] + how.reach_ms)
        before = read_around(desk, made.keys[key[0]], key[1], wide).between(*wide)
        after = _would_be(desk, made, key, wide, changed).between(*wide)
        if len(after) < len(before):
            found.append(ValueLoss(places[key[0]], key[1], len(before), len(after)))
    return found


def _would_be(
    desk: Workspace, made: Layout, key: Key, span: Span, changed: Mapping[Key, Series]
) -> Series:
    """Return a series as it would be in a stretch, with what is needed beside it.

    Args:
        changed: measured series that would be others.
    """
    if key in changed:
        return changed[key]
    how, point_id = made.derived.get(key), made.keys[key[0]]
    if how is None or not any(
        transitive_input in changed for transitive_input in transitive_inputs(how, made.derived)
    ):
        return read_around(desk, point_id, key[1], span)
    return _calculated(desk, made, how, span, changed)


def _calculated(
    desk: Workspace,
    made: Layout,
    calculated: CalculatedSeries,
    span: Span,
    changed: Mapping[Key, Series],
) -> Series:
    wide = (span[0] - calculated.reach_ms, span[1] + calculated.reach_ms)
    first, *others = (_would_be(desk, made, one, wide, changed) for one in calculated.inputs)
    own = first if calculated.window_ms else first.between(*span)
    channels = [channel_of(key) for _, key in calculated.inputs]
    inputs = list(zip([own, *others], channels, strict=True))
    series = derive(
        calculated.formula_in_force,
        calculated.parameters,
        inputs,
        channel_of(calculated.series),
        calculated.sensor_depths,
    )
    with desk.archive.reading() as session:
        return corrected(series, chain_of(session, made.keys[calculated.point], calculated.series))


def _wider(span: Span) -> Span:
    return (span[0] - LONGEST_MS, span[1] + LONGEST_MS)


def _inside(series: Series, span: Span) -> NDArray[np.bool_]:
    inside: NDArray[np.bool_] = (series.times_utc_ms >= span[0]) & (series.times_utc_ms < span[1])
    return inside
