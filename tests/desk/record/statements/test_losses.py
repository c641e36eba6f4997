"""A change that takes values from what is calculated says so before; afterwards the missing time is
a gap with its reason."""

from __future__ import annotations

import pytest

from gezeiten.archive.local_cache.layout import layout
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps_of_calculated
from gezeiten.desk.office.documents import point_report
from gezeiten.desk.record.statements.clocks import by_amount, mission_clocks, save_clock_correction
from gezeiten.desk.record.statements.corrections import (
    chain,
    effect,
    proposed,
    save_correction,
    withdraw_correction,
)
from gezeiten.desk.record.statements.losses import losses_of_clock, losses_of_correction
from gezeiten.desk.record.views.records import extent, record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from gezeiten.domain.steps.calculated_series import CalculatedSeries


def a_level(desk: Workspace) -> tuple[PointPlace, PointPlace, CalculatedSeries]:
    """Return a point with a level, where its air pressure is measured, and how it is calculated."""
    places = {point.uid: point for point in points(desk)}
    with desk.archive.reading() as session:
        how = next(
            one
            for one in layout(session).derived.values()
            if one.formula in ("water_level", "level_by_temperature")
        )
    water = places[how.point]
    for step in chain(desk, water, how.series).corrections:
        withdraw_correction(desk, water, step)  # a tie rests on the present instants
    return water, places[how.inputs[1][0]], how


def test_what_a_mark_on_the_air_pressure_costs_a_level(demo_desk: Workspace) -> None:
    water, air, how = a_level(demo_desk)
    its = extent(demo_desk, water.id, [how.series])
    assert its is not None
    begin = its[1] - 3 * DAY_MS
    span = (begin, begin + 12 * HOUR_MS)
    key = how.inputs[1][1]
    step = proposed(air, key, "mark", span, {"mark": "taken out"})
    seen = effect(demo_desk, air, key, span, step=step)
    before = record(demo_desk, water.id, how.series)
    losses = losses_of_correction(demo_desk, air, key, span, seen)
    save_correction(demo_desk, air, step, "lightning")
    after = record(demo_desk, water.id, how.series)
    [lost] = [loss for loss in losses if (loss.point, loss.series) == (water, how.series)]
    assert lost.count == len(before) - len(after) > 0
    its_gaps = [
        one
        for one in gaps_of_calculated(demo_desk, water.id)
        if one.channels == (how.series,) and one.gap.start_ms < span[1] and one.gap.end_ms > span[0]
    ]
    missing = before.times_utc_ms[~(before.times_utc_ms[:, None] == after.times_utc_ms).any(1)]
    [gap] = its_gaps
    assert gap.gap.start_ms == missing[0]
    assert gap.gap.missing == len(missing)
    assert gap.reason == f"no air pressure of {air.full_name} near enough"
    report = point_report(demo_desk, water, (span[0] - DAY_MS, span[1] + DAY_MS))
    assert [one.resolution for one in report.gaps if one.channels == (how.series,)] == [
        f"not calculated: {gap.reason}"
    ]


@pytest.mark.parametrize("shift_ms", [30 * DAY_MS, -30 * DAY_MS, 60_000])
def test_what_a_clock_costs_a_level(demo_desk: Workspace, shift_ms: int) -> None:
    water, air, how = a_level(demo_desk)
    clock = mission_clocks(demo_desk, air, how.inputs[1][1])[-1]
    put_right = by_amount(clock, shift_ms)
    before = record(demo_desk, water.id, how.series)
    losses = [
        loss
        for loss in losses_of_clock(demo_desk, clock, put_right)
        if (loss.point, loss.series) == (water, how.series)
    ]
    save_clock_correction(
        demo_desk, clock, put_right, "shifted", ClockUncertainty(1000), "set wrongly"
    )
    after = record(demo_desk, water.id, how.series)
    lost = len(before) - len(after)
    assert [loss.count for loss in losses] == ([lost] if lost > 0 else [])
    assert (lost > 0) == (abs(shift_ms) > DAY_MS)
