"""A mission whose interval changes, and one without a sensor, from the logger to the record."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import points
from gezeiten.domain.limits.limits import no_sensor_rule
from gezeiten.domain.series.series import hold_times_ms
from tests.conftest import ANCHOR_MS, COLD_PLAN, DAY_MS, Lab, StartStandin


def test_the_shorter_interval_reaches_the_record_whole(cold_lab: Lab) -> None:
    """Offloaded in two parts through the night in which the fuse trips."""
    lab = cold_lab
    lab.go_to(ANCHOR_MS - 3.5 * DAY_MS)
    launch(lab.desk, lab.standin.address, lab.serial, replace(COLD_PLAN, outside_interval_s=60))
    for hours in (8, 16):
        lab.later(hours * 60)
        offload_logger(lab.desk, lab.standin.address, lab.serial)
    [point] = points(lab.desk)
    series = record(lab.desk, point.id, "probe_temperature")
    state = lab.standin.order("state")
    assert len(series) == state["readings"] > 24 * 12 + 50
    outside = (series.values > 7.0) | (series.values < 1.0)
    distance = np.diff(series.times_utc_ms)
    assert set(distance[outside[:-1]].tolist()) == {60_000}
    assert set(series.interval_ms[:-1][outside[:-1]].tolist()) == {60_000}
    assert distance.max() == 300_000
    assert [g for g in gaps(lab.desk) if g.state == "open"] == []
    held = hold_times_ms(series.times_utc_ms, series.interval_ms)
    span = series.times_utc_ms[-1] - series.times_utc_ms[0]
    assert held[:-1].sum() == span  # every minute is held once
    [event] = [e for e in excursions(lab.desk) if e.rule.side == "above"]
    assert event.measured == outside.sum()
    assert verify(lab.desk).is_intact


def test_a_probe_pulled_off_is_an_excursion_of_its_own(
    lab: Lab, start_standin: StartStandin
) -> None:
    """R-1109's probe is off from 18.2 to 16.7 days before the anchor."""
    lab.go_to(ANCHOR_MS - 19 * DAY_MS)
    cold = start_standin("R-1109", anchor_ms=ANCHOR_MS, base_ms=lab.clock.now_ms())
    rule = no_sensor_rule("probe_temperature", 3600)
    plan = replace(COLD_PLAN, limits=(rule,), point_name="Saatgutspeicher · Cold room B")
    launch(lab.desk, cold.address, "R-1109", plan)
    lab.go_to(ANCHOR_MS - 16 * DAY_MS)
    cold.order("time", ms=lab.clock.now_ms())
    offload_logger(lab.desk, cold.address, "R-1109")
    [event] = excursions(lab.desk)
    assert event.rule == rule
    assert abs(event.start_ms - (ANCHOR_MS - 18.2 * DAY_MS)) <= 300_000
    assert abs(event.end_ms - (ANCHOR_MS - 16.7 * DAY_MS)) <= 300_000
    assert event.alarm_ms == event.start_ms + 3_600_000
    assert event.measured == 432
