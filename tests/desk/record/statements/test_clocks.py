"""A logger's clock put right: its record, pictures, gaps and excursions move along, and back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import text

from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.field.gap_filling import fill_by_line
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.office.verification import verify
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions, refresh_stale, settle
from gezeiten.desk.record.provenance import provenance
from gezeiten.desk.record.statements.calculated_series import Calculation, calculate
from gezeiten.desk.record.statements.clock_search import by_data
from gezeiten.desk.record.statements.clocks import (
    MissionClock,
    by_amount,
    by_contacts,
    mission_clocks,
    save_clock_correction,
    switch_clock,
    withdraw_clock_correction,
)
from gezeiten.desk.record.statements.corrections import chain, proposed, save_correction
from gezeiten.desk.record.views.records import record, view
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from gezeiten.domain.series.timeline import HOUR_MS
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.errors import InputError
from tests.databases import behind_its_back
from tests.small_blocks import KEY, MINUTE, PLAN, Kept, kept_in

HOT = LimitRule(KEY, "above", 9.9, delay_s=60)


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with kept_in(tmp_path, replace(PLAN, limits=(HOT,))) as made:
        made.take(0, 200)
        made.take(260, 600)
        yield made


def point_of(kept: Kept) -> PointPlace:
    return next(point for point in points(kept.desk) if point.id == kept.point)


def clock_of(kept: Kept) -> MissionClock:
    [clock] = mission_clocks(kept.desk, point_of(kept), KEY)
    return clock


def move(kept: Kept, shift_ms: int) -> None:
    clock = clock_of(kept)
    save_clock_correction(
        kept.desk,
        clock,
        by_amount(clock, shift_ms),
        "shifted",
        ClockUncertainty(1000),
        "wrong zone",
    )


def whole(kept: Kept) -> tuple[object, ...]:
    """Everything that follows from the instants of a record."""
    desk = kept.desk
    refresh_stale(desk)
    made, seen = record(desk, kept.point, KEY), view(desk, kept.point, KEY)
    assert seen.span is not None
    cells = seen.cells.cells if seen.cells else None
    listed = [(e.start_ms, e.end_ms, e.extreme) for e in excursions(desk, kept.point)]
    return (
        made.times_utc_ms.tolist(),
        made.values.tolist(),
        seen.span,
        [(b.gap.start_ms, b.gap.end_ms) for b in gaps(desk, kept.point)],
        listed,
        cells.first_ms.tolist() if cells else None,
    )


def test_all_moves_along_and_back_to_the_last_bit(kept: Kept) -> None:
    before = whole(kept)
    times, values, span, found_gaps, listed, cells = before
    assert listed
    move(kept, -HOUR_MS)
    after = whole(kept)
    assert after[0] == [at - HOUR_MS for at in times]
    assert after[1] == values
    assert after[2] == (span[0] - HOUR_MS, span[1] - HOUR_MS)
    assert after[3] == [(a - HOUR_MS, b - HOUR_MS) for a, b in found_gaps]
    assert after[4] == [(a - HOUR_MS, b - HOUR_MS, top) for a, b, top in listed]
    assert after[5] == [at - HOUR_MS for at in cells]
    move(kept, 2 * HOUR_MS)  # on top of the first
    assert whole(kept)[0] == [at + HOUR_MS for at in times]
    [step] = chain(kept.desk, point_of(kept), KEY).clocks
    assert step.reason == "wrong zone"
    withdraw_clock_correction(kept.desk, clock_of(kept))
    assert whole(kept) == before
    with pytest.raises(InputError, match="This clock has no correction"):
        withdraw_clock_correction(kept.desk, clock_of(kept))


def tables_agree(desk: Workspace) -> bool:
    """Whether verifying finds nothing but that the offloads here are no real files."""
    return all("cannot be checked" in fault for fault in verify(desk).faults)


def test_a_clock_is_switched_off_and_on_again_and_off_means_as_written(kept: Kept) -> None:
    before, desk = whole(kept), kept.desk
    with pytest.raises(
        InputError, match=r"This clock has no correction; there is nothing to disable\."
    ):
        switch_clock(desk, clock_of(kept), "x")
    move(kept, -HOUR_MS)
    on = whole(kept)
    with pytest.raises(InputError, match="Enter a reason"):
        switch_clock(desk, clock_of(kept), " ")
    switch_clock(desk, clock_of(kept), "is it really off?")
    assert whole(kept) == before
    [off] = chain(desk, point_of(kept), KEY).disabled_clocks
    assert (off.reason, chain(desk, point_of(kept), KEY).clocks) == ("wrong zone", ())
    stale = clock_of(kept)
    switch_clock(desk, clock_of(kept), "it is")
    assert whole(kept) == on
    with pytest.raises(InputError, match="meanwhile"):
        switch_clock(desk, stale, "it is")
    assert tables_agree(desk)
    switch_clock(desk, clock_of(kept), "once more")
    withdraw_clock_correction(desk, clock_of(kept))
    assert clock_of(kept).disabled_correction is None
    assert whole(kept) == before
    move(kept, -HOUR_MS)
    switch_clock(desk, clock_of(kept), "off")
    move(kept, 5_000)  # another one stands now, what was off is gone
    clock = clock_of(kept)
    assert (clock.disabled_correction, clock.correction is not None) == (None, True)
    assert tables_agree(desk)


def test_an_assessment_stays_with_its_excursion_through_on_and_off(kept: Kept) -> None:
    desk = kept.desk
    refresh_stale(desk)
    settle(desk, excursions(desk, kept.point)[0].id, "Power", "Fuse.")
    for act in (
        lambda: move(kept, -HOUR_MS),
        lambda: switch_clock(desk, clock_of(kept), "off"),
        lambda: switch_clock(desk, clock_of(kept), "on"),
    ):
        act()
        assert [e.cause for e in excursions(desk, kept.point) if not e.is_gone][:1] == ["Power"]


def test_what_comes_later_of_the_mission_is_put_right_as_well(kept: Kept, tmp_path: Path) -> None:
    """The missing hour is fetched: the record is that of an archive in which it never was."""
    move(kept, 90_000)
    kept.take(200, 260)
    with kept_in(tmp_path / "other", replace(PLAN, limits=(HOT,))) as other:
        other.take(0, 600)
        move(other, 90_000)
        assert whole(kept)[:5] == whole(other)[:5]


def test_a_stretched_clock_moves_each_reading_by_its_part(tmp_path: Path) -> None:
    """By hand: set at the launch, a minute before the first reading; 54 s ahead after 600 minutes,
    which is 0.09 s a minute: the reading at minute n was 0.09 (n + 1) s earlier, but the rate is
    that of shown time."""
    with kept_in(tmp_path, PLAN) as kept:
        kept.take(0, 600, read=(599 * MINUTE, 54_000.0))
        before = record(kept.desk, kept.point, KEY).times_utc_ms
        clock = clock_of(kept)
        assert [clock_read.shown_ms - clock_read.true_ms for clock_read in clock.reads] == [
            0,
            54_000,
        ]
        clock_fit = by_contacts(clock)
        assert len(clock_fit.jumps) == 1  # 1,500 ppm is no drift
        save_clock_correction(
            kept.desk, clock, clock_fit.clock, "measured", clock_fit.uncertainty, "drift"
        )
        after = record(kept.desk, kept.point, KEY).times_utc_ms
        since = before - clock.reads[0].shown_ms
        wanted = since * 600 * MINUTE / (600 * MINUTE + 54_000)
        assert np.abs(after - clock.reads[0].true_ms - wanted).max() <= 0.5
        told = provenance(kept.desk, point_of(kept), KEY, int(after[300]))
        assert told.bytes is not None
        assert (told.bytes.shown_ms, told.bytes.clock is not None) == (int(before[300]), True)


def test_a_clock_is_not_moved_under_what_was_set_by_it(kept: Kept) -> None:
    desk, point = kept.desk, point_of(kept)
    save_correction(
        desk, point, proposed(point, KEY, "linear", (0, None), {"offset": 1.0}), "certificate"
    )
    clock = clock_of(kept)
    with pytest.raises(InputError, match="Enter a reason"):
        save_clock_correction(
            desk, clock, by_amount(clock, 1000), "shifted", ClockUncertainty(0), ""
        )
    fill_by_line(desk, next(b for b in gaps(desk, kept.point) if b.gap.length_ms < 2 * HOUR_MS))
    with pytest.raises(
        InputError, match=r"1 change depends on the present times of these readings \(fills"
    ):
        save_clock_correction(
            desk, clock, by_amount(clock, 1000), "shifted", ClockUncertainty(0), "zone"
        )
    with pytest.raises(InputError, match="changes nothing"):
        by_amount(clock, 0)
    with pytest.raises(InputError, match="was not read during mission"):
        by_contacts(clock)


def test_what_is_calculated_from_it_follows(kept: Kept) -> None:
    desk, point = kept.desk, point_of(kept)
    kept.take_elsewhere(0, 600)
    attic = next(one for one in points(desk) if one.id == kept.elsewhere)
    calculate(desk, Calculation(FORMULAS["difference", 1], ((attic, KEY), (point, KEY)), {}))
    key = next(channel.channel for channel in points(desk)[1].channels if "@=" in channel.channel)
    before = record(desk, kept.elsewhere, key)
    move(kept, 10 * MINUTE)
    after = record(desk, kept.elsewhere, key)
    assert len(after)
    _, a, b = np.intersect1d(before.times_utc_ms, after.times_utc_ms, return_indices=True)
    assert not np.allclose(before.values[a], after.values[b])
    withdraw_clock_correction(desk, clock_of(kept))
    back = record(desk, kept.elsewhere, key)
    assert back.values.tobytes() == before.values.tobytes()


def test_too_little_side_by_side_is_said(tmp_path: Path) -> None:
    with kept_in(tmp_path, PLAN) as kept:
        kept.take(0, 100)
        with pytest.raises(InputError, match="choose another series"):
            by_data(kept.desk, point_of(kept), KEY, clock_of(kept), (point_of(kept), KEY))


def test_an_assessment_stays_with_its_excursion_when_the_clock_moves_it(kept: Kept) -> None:
    """By far more than it lasts, there and back, and on again after it was assessed anew."""
    desk = kept.desk
    refresh_stale(desk)
    first, second, *_ = sorted(excursions(desk, kept.point), key=lambda one: one.start_ms)
    settle(desk, first.id, "Power", "Fuse.")
    move(kept, -HOUR_MS)
    assessed = [excursion for excursion in excursions(desk, kept.point) if excursion.is_settled]
    assert [(one.start_ms, one.is_gone, one.changed) for one in assessed] == [
        (first.start_ms - HOUR_MS, False, False)
    ]
    again = next(
        excursion
        for excursion in excursions(desk, kept.point)
        if excursion.start_ms == second.start_ms - HOUR_MS
    )
    settle(desk, again.id, "Sensor", "Loose plug.")  # seen with the clock moved
    withdraw_clock_correction(desk, clock_of(kept))
    told = {
        excursion.start_ms: excursion.cause
        for excursion in excursions(desk, kept.point)
        if excursion.is_settled
    }
    assert told == {first.start_ms: "Power", second.start_ms: "Sensor"}


@pytest.mark.parametrize(
    "damage",
    [
        "pairs = '[[5]'",
        "us_ms = '[\"x\"]'",
        "us_ms = '[1e999]'",
        "drift_ppm = 9e999",
        "rate_beyond = 9e999",
    ],
)
def test_a_damaged_clock_spoils_nothing_and_is_named(kept: Kept, damage: str) -> None:
    desk, times = kept.desk, record(kept.desk, kept.point, KEY).times_utc_ms.tolist()
    move(kept, 90_000)
    folder = desk.archive.folder
    desk.close()
    with behind_its_back(folder / "archive.db") as raw:
        raw.execute(f"UPDATE clock SET {damage}")
    again = open_workspace(folder, now_ms=desk.clock, computer=TrustedClock(), zone="Europe/Berlin")
    assert record(again, kept.point, KEY).times_utc_ms.tolist() == times
    faults = verify(again).faults
    again.close()
    named = f"“{damage.split(' ', 1)[0]}” of clock"
    assert any(named in fault for fault in faults)


def test_a_step_of_a_newer_version_stops_no_clock(kept: Kept) -> None:
    """It has no effect here; what it says of its own stretch is not known."""
    desk, point = kept.desk, point_of(kept)
    save_correction(
        desk, point, proposed(point, KEY, "linear", (0, None), {"offset": 1.0}), "certificate"
    )
    with desk.archive.writing() as session:
        session.execute(text("UPDATE correction SET version = 99"))
    move(kept, 1000)
    at_ms = int(record(desk, kept.point, KEY).times_utc_ms[20])
    assert provenance(desk, point, KEY, at_ms).uncertainty is not None
