"""What the team of the demonstration read by hand: dips at the creek gauge, the cold room's display
twice on working days."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import date, timedelta

import numpy as np

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.check_readings import TypedCheck, enter, save_fit, try_tying
from gezeiten.desk.record.statements.sensor_depths import set_sensor_depth
from gezeiten.desk.record.statements.site_editor import point_facts, save_point
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, point_named
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, from_ms, midnight_ms
from gezeiten.domain.steps.sensor_depth import SensorDepth

_RIM_M, _LENGTH_M = 3.2, 4.62
_DIPS = ((55.4, 0.003), (44.1, -0.004), (37.0, 0.002), (21.3, 0.006), (12.2, 0.009), (9.1, 0.011))
"""Days ago, and by how much the tape and the sensor differed then, m."""
_DEPTH_SET_DAYS_AGO = 80
_LOOKS_MIN = (7 * 60 + 40, 16 * 60 + 10)
_FORGOTTEN = (3, 19)
"""Days ago on whose afternoon nobody looked; whatever day it is, one of them is a working day."""
_SATURDAY = 5


def read_by_hand(desk: Workspace, anchor_ms: int) -> None:
    """Enter all that was read by hand."""
    creek, room = (point_named(desk, name) for name in ("Creek gauge", "Cold room A"))
    facts = replace(point_facts(desk, creek.id), measuring_point_height_m=_RIM_M)
    save_point(desk, creek.site_id, facts, creek.id)
    begin_ms = int(anchor_ms - _DEPTH_SET_DAYS_AGO * DAY_MS) // 60_000 * 60_000
    set_sensor_depth(
        desk,
        creek,
        SensorDepth(begin_ms, _RIM_M, _LENGTH_M),
        "levelled from the bench mark at the sluice",
    )
    key = _level_of(creek)
    enter(desk, list(_dips(desk, creek, anchor_ms)))
    fitted = try_tying(desk, creek, key, (begin_ms, None), "line")
    save_fit(desk, creek, fitted, "the sensor drifts, by six dips since it was hung")
    facts = replace(point_facts(desk, room.id), checks_a_day=2, checks_working_days=True)
    save_point(desk, room.site_id, facts, room.id)
    enter(desk, list(_daily_looks(desk, room, anchor_ms)))


def _dips(desk: Workspace, creek: PointPlace, anchor_ms: int) -> Iterator[TypedCheck]:
    key = _level_of(creek)
    for days_ago, off_m in _DIPS:
        at_ms = int(anchor_ms - days_ago * DAY_MS) // 60_000 * 60_000
        level_m = _at(record(desk, creek.id, key, (at_ms - HOUR_MS, at_ms + HOUR_MS)), at_ms)
        dip_m = round(_LENGTH_M - (level_m + off_m), 3)
        yield TypedCheck(creek, key, at_ms, dip_m, "JA", is_dip=True, remark="tape K-3")


def _level_of(creek: PointPlace) -> str:
    return next(
        place.channel for place in creek.channels if place.channel.startswith("water_level")
    )


def _daily_looks(desk: Workspace, room: PointPlace, anchor_ms: int) -> Iterator[TypedCheck]:
    key = room.channels[0].channel
    today = from_ms(anchor_ms, room.zone).date()
    before_ms = 0
    for days_ago in range(28, 0, -1):
        day = today - timedelta(days=days_ago)
        if day.weekday() >= _SATURDAY:
            continue
        for at_ms in _instants(day, room.zone)[: 1 if days_ago in _FORGOTTEN else None]:
            temps_c = record(desk, room.id, key, (before_ms or at_ms - HOUR_MS, at_ms + HOUR_MS))
            since = temps_c.between(before_ms, at_ms + 1).values if before_ms else temps_c.values
            yield TypedCheck(
                room,
                key,
                at_ms,
                _tenth(_at(temps_c, at_ms) + 0.15),
                "MK",
                u=0.4,
                low=_tenth(since.min() + 0.1),
                high=_tenth(since.max() + 0.2),
            )
            before_ms = at_ms


def _instants(day: date, zone: str) -> list[int]:
    return [midnight_ms(day, zone) + minutes * 60_000 for minutes in _LOOKS_MIN]


def _at(series: Series, at_ms: int) -> float:
    return float(np.interp(at_ms, series.times_utc_ms, series.values))


def _tenth(value: float) -> float:
    return round(float(value), 1)
