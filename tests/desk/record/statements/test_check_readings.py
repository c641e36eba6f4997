"""Check readings entered, doubted, the record tied to them, and what that does to its chain."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.statements.check_readings import (
    TypedCheck,
    checks_of,
    compare_checks,
    enter,
    questions,
    save_fit,
    try_tying,
    withdraw_check,
)
from gezeiten.desk.record.statements.corrections import (
    chain,
    effect,
    proposed,
    save_correction,
    switch,
    withdraw_correction,
)
from gezeiten.desk.record.statements.sensor_depths import set_sensor_depth
from gezeiten.desk.record.statements.site_editor import point_facts, save_point
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.steps.sensor_depth import SensorDepth
from gezeiten.errors import InputError
from tests.small_blocks import KEY, MINUTE, Kept, kept_in, level_in


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with kept_in(tmp_path) as made:
        made.take(0, 600)
        yield made


def point_of(kept: Kept) -> PointPlace:
    return next(point for point in points(kept.desk) if point.id == kept.point)


def typed(kept: Kept, at: int, off: float, **more: object) -> TypedCheck:
    """A check of the reading at a place of the record, off by so much."""
    series = record(kept.desk, kept.point, KEY)
    facts = {"by": "ah", "u": 1000.0, **more}  # how fast the record moves counts for nothing
    return TypedCheck(
        point_of(kept), KEY, int(series.times_utc_ms[at]), float(series.values[at]) + off, **facts
    )  # type: ignore[arg-type]


def rows_follow_from_acts(kept: Kept) -> bool:
    """The raw bytes of these small archives are made up, and said to be damaged."""
    return all(fault.startswith("Raw offload") for fault in verify(kept.desk).faults)


def test_all_are_entered_or_none(kept: Kept) -> None:
    good, bad = typed(kept, 3, 0.5), replace(typed(kept, 9, 0.5), value=5000.0)
    with pytest.raises(InputError, match="correct it"):
        enter(kept.desk, [good, bad])
    assert checks_of(kept.desk, kept.point) == []
    to_come = replace(good, at_ms=round(kept.desk.now_ms()) + 2 * 3_600_000)
    with pytest.raises(
        InputError, match=r"A check reading cannot be in the future; correct its time\."
    ):
        enter(kept.desk, [to_come])
    with pytest.raises(InputError, match="not dipped"):
        enter(kept.desk, [replace(good, is_dip=True)])
    assert enter(kept.desk, [good]) == 1
    [one] = compare_checks(kept.desk, kept.point, KEY)
    assert one.difference == pytest.approx(0.5)
    withdraw_check(kept.desk, one.check)
    assert compare_checks(kept.desk, kept.point, KEY) == []
    assert rows_follow_from_acts(kept)


def test_a_dip_stands_for_a_height_above_the_rim_as_it_was_then(kept: Kept) -> None:
    """The pipe is cut by 12 cm between two dips: each keeps the rim it was taken from."""
    desk, point = kept.desk, point_of(kept)
    for rim_m in (3.20, 3.08):
        facts = replace(point_facts(desk, point.id), measuring_point_height_m=rim_m)
        save_point(desk, point.site_id, facts, point.id)
        enter(desk, [TypedCheck(point, "water_height", 1000, 1.97, "ah", is_dip=True)])
    told = [
        (check.dip_m, check.rim_m, round(check.value, 3), round(check.u, 4))
        for check in checks_of(desk, point.id)
    ]
    assert sorted(told) == [(1.97, 3.08, 1.11, 0.0064), (1.97, 3.2, 1.23, 0.0064)]


@pytest.fixture
def well(tmp_path: Path) -> Iterator[Kept]:
    with level_in(tmp_path) as made:
        yield made


def test_a_dip_and_a_level_are_compared_only_once_somebody_said_how_the_sensor_hangs(
    well: Kept,
) -> None:
    """The sensor hangs 20 m below the mark: a dip of 20 m less the level and 4 mm is 4 mm off."""
    desk, point = well.desk, point_of(well)
    series = record(desk, point.id, "water_level")
    at = 100
    at_ms, level_m = int(series.times_utc_ms[at]), float(series.values[at])
    dip_m = 20 - level_m - 0.004
    enter(desk, [TypedCheck(point, "water_level", at_ms, dip_m, "ah", is_dip=True, u=50.0)])
    [told] = compare_checks(desk, point.id, "water_level")
    assert np.isnan(told.difference)
    assert told.check.dip_m == dip_m
    assert (
        questions(desk, [TypedCheck(point, "water_level", at_ms, 100 * dip_m, "ah", is_dip=True)])
        == []
    )
    with pytest.raises(
        InputError,
        match=r"A dip is measured from the reference mark",
    ):
        try_tying(desk, point, "water_level", (0, None), "offset")
    set_sensor_depth(desk, point, SensorDepth(0, 3.2, 20.0), "levelled")
    [told] = compare_checks(desk, point.id, "water_level")
    assert told.difference == pytest.approx(0.004)
    tried = try_tying(desk, point, "water_level", (0, None), "offset")
    save_fit(desk, point, tried, "one dip")
    [told] = compare_checks(desk, point.id, "water_level")
    assert told.difference == pytest.approx(0.0, abs=1e-6)
    tied = record(desk, point.id, "water_level")
    assert tied.values == pytest.approx(series.values + 0.004, abs=1e-5)


def test_a_tie_of_before_still_says_heights(well: Kept) -> None:
    """Nothing said how the sensor hung when a level was tied to heights: it goes on saying such."""
    desk, point = well.desk, point_of(well)
    series = record(desk, point.id, "water_level")
    old = proposed(
        point,
        "water_level",
        "tie",
        (0, None),
        {"way": "offset", "knots": [[0, -1.42]], "u": 0.01, "checks": 1},
    )
    save_correction(desk, point, old, "before")
    facts = replace(point_facts(desk, point.id), measuring_point_height_m=3.2)
    save_point(desk, point.site_id, facts, point.id)
    at_ms, level_m = int(series.times_utc_ms[100]), float(series.values[100])
    dip_m = 3.2 - (level_m - 1.42)
    enter(desk, [TypedCheck(point, "water_level", at_ms, dip_m, "ah", is_dip=True, u=50.0)])
    [told] = compare_checks(desk, point.id, "water_level")
    assert told.difference == pytest.approx(0.0, abs=1e-5)


def test_a_tied_record_says_what_was_read_and_taken_back_what_it_was(kept: Kept) -> None:
    desk, point = kept.desk, point_of(kept)
    before = record(desk, kept.point, KEY)
    enter(desk, [typed(kept, at, off) for at, off in ((5, 0.4), (200, 0.5), (400, 0.6))])
    span = (int(before.times_utc_ms[0]), None)
    tried = try_tying(desk, point, KEY, span, "offset")
    seen = effect(desk, point, KEY, (span[0], 2**50), step=tried.step)
    assert seen.mean == pytest.approx(0.5, abs=1e-5)
    with pytest.raises(InputError, match="Enter a reason"):
        save_fit(desk, point, tried, " ")
    save_fit(desk, point, tried, "first dips")
    after = record(desk, kept.point, KEY)
    assert after.values == pytest.approx(before.values + 0.5, abs=1e-5)
    told = [round(one.difference, 5) for one in compare_checks(desk, kept.point, KEY)]
    assert told == [-0.1, 0.0, 0.1]
    # another one in its place is fitted to what stood before it
    again = try_tying(desk, point, KEY, span, "line")
    assert [round(check.difference, 5) for check in again.checks] == [0.4, 0.5, 0.6]
    save_fit(desk, point, again, "it drifts")
    [step] = chain(desk, point, KEY).corrections
    assert step.parameters["way"] == "line"
    part = try_tying(desk, point, KEY, (span[0], int(before.times_utc_ms[300])), "offset")
    with pytest.raises(
        InputError,
        match=r"A reference correction already covers more than this period",
    ):
        save_fit(desk, point, part, "less of it")
    withdraw_correction(desk, point, step)
    assert record(desk, kept.point, KEY).values.tobytes() == before.values.tobytes()
    assert rows_follow_from_acts(kept)


def test_what_was_fitted_keeps_its_numbers_and_is_suspect_on_another_state(kept: Kept) -> None:
    """Also in blocks that the other step does not reach; switched back all is as it was."""
    desk, point = kept.desk, point_of(kept)
    times = record(desk, kept.point, KEY).times_utc_ms
    enter(desk, [typed(kept, 5, 0.4), typed(kept, 300, 0.4)])
    save_correction(
        desk, point, proposed(point, KEY, "linear", (0, int(times[50])), {"offset": 1.0}), "K-1"
    )
    tried = try_tying(desk, point, KEY, (int(times[0]), None), "offset")
    assert tried.fit.knots[0][1] == pytest.approx((0.4 - 1.0 + 0.4) / 2, abs=1e-5)
    save_fit(desk, point, tried, "tied")
    tied = record(desk, kept.point, KEY)
    assert not tied.quality.any()
    calibration = chain(desk, point, KEY).corrections[0]
    switch(desk, point, calibration, "another sensor's")
    suspect = record(desk, kept.point, KEY)
    assert suspect.quality.all()
    assert [correction.is_stale for correction in chain(desk, point, KEY).corrections] == [
        False,
        True,
    ]
    assert np.round(suspect.values[60:] - tied.values[60:], 9).any() == np.False_
    switch(desk, point, chain(desk, point, KEY).corrections[0])
    back = record(desk, kept.point, KEY)
    assert (back.values.tobytes(), back.quality.tobytes()) == (
        tied.values.tobytes(),
        tied.quality.tobytes(),
    )
    # marks come after it: they change nothing of what it was fitted to
    save_correction(
        desk, point, proposed(point, KEY, "mark", (0, int(times[9])), {"mark": "suspect"}), "seen"
    )
    assert [correction.is_stale for correction in chain(desk, point, KEY).corrections] == [
        False
    ] * 3


def test_a_record_that_holds_nothing_there_is_not_tied(kept: Kept) -> None:
    desk, point = kept.desk, point_of(kept)
    enter(desk, [TypedCheck(point, KEY, 5 * MINUTE, 7.0, "ah")])
    with pytest.raises(InputError, match="At least one check reading"):
        try_tying(desk, point, KEY, (0, None), "offset")
    enter(desk, [typed(kept, 5, 0.4)])
    with pytest.raises(InputError, match="three check readings at different times"):
        try_tying(desk, point, KEY, (0, None), "line")


def test_a_value_in_another_unit_or_of_no_reason_is_asked_about(kept: Kept) -> None:
    desk = kept.desk
    enter(desk, [typed(kept, at, 0.5, u=0.2) for at in (5, 100, 200)])
    fine = typed(kept, 300, 0.6, u=0.2)
    in_fahrenheit = replace(fine, value=fine.value * 1.8 + 32)
    assert questions(desk, [fine]) == []
    [asked] = questions(desk, [in_fahrenheit])
    assert (asked.doubt, asked.expected) == ("°F", pytest.approx(fine.value - 0.1))
    assert questions(desk, [replace(fine, at_ms=5)])[:1] == []  # the record holds nothing there
