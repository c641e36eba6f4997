"""A logger whose clock is off by days: its readings are suspect, never passed as good, until the
clock correction is applied; readings of the future are counted."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.field.board import board
from gezeiten.desk.office.documents import dated_later, point_report
from gezeiten.desk.record.statements.clocks import (
    MissionClock,
    by_amount,
    mission_clocks,
    save_clock_correction,
    switch_clock,
    withdraw_clock_correction,
)
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import points
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.report.pdf import write_pdf
from tests.small_blocks import KEY, MINUTE, Kept, kept_in

FIRST_READ = 300 * MINUTE


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with kept_in(tmp_path) as made:
        yield made


def codes(kept: Kept) -> set[int]:
    return set(np.unique(record(kept.desk, kept.point, KEY).quality).tolist())


def needs(kept: Kept) -> list[str]:
    [(_, [row])] = board(kept.desk).sites
    return [need.words for need in row.needs if need.kind == "wrong clock"]


@pytest.mark.parametrize(
    ("ahead_ms", "is_wrong"),
    [
        (DAY_MS - 1, False),
        (DAY_MS, True),
        (-DAY_MS, True),
        (-DAY_MS + 1, False),
        (31_000, False),
        (400 * DAY_MS, True),
    ],
)
def test_readings_are_suspect_from_a_day_on(kept: Kept, ahead_ms: float, is_wrong: bool) -> None:
    kept.take(0, 200, read=(FIRST_READ, ahead_ms))
    assert codes(kept) == {Quality.SUSPECT if is_wrong else Quality.GOOD}
    days = round(abs(ahead_ms) / DAY_MS)
    assert needs(kept) == ([f"clock wrong by {days} d"] if is_wrong else [])


def test_they_are_good_once_the_clock_is_corrected_and_suspect_without(kept: Kept) -> None:
    kept.take(0, 200, read=(FIRST_READ, 3 * DAY_MS))
    point = next(one for one in points(kept.desk) if one.id == kept.point)

    def clock() -> MissionClock:
        [found] = mission_clocks(kept.desk, point, KEY)
        return found

    save_clock_correction(
        kept.desk,
        clock(),
        by_amount(clock(), -3 * DAY_MS),
        "shifted",
        ClockUncertainty(1000),
        "set wrongly",
    )
    assert codes(kept) == {Quality.GOOD}
    assert needs(kept) == []
    switch_clock(kept.desk, clock(), "was it?")
    assert codes(kept) == {Quality.SUSPECT}
    switch_clock(kept.desk, clock(), "it was")
    assert codes(kept) == {Quality.GOOD}
    withdraw_clock_correction(kept.desk, clock())
    assert codes(kept) == {Quality.SUSPECT}
    assert needs(kept) == ["clock wrong by 3 d"]


def test_readings_of_the_future_are_counted_in_the_document(kept: Kept, tmp_path: Path) -> None:
    kept.take(0, 200)
    kept.take(0, 110, number=10_000, read=(0, 40 * DAY_MS))
    point = next(one for one in points(kept.desk) if one.id == kept.point)
    assert dated_later(kept.desk, point) == 100  # one in eleven has no value
    series = record(kept.desk, kept.point, KEY)
    report = point_report(kept.desk, point, (int(series.times_utc_ms[0]), kept.desk.now_ms()))
    assert report.dated_later == 100
    pages = write_pdf(report, tmp_path / "a.pdf")
    assert pages
