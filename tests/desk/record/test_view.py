"""A series looked at through its view: the same as read whole, whatever was done to it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import select, update

from gezeiten.archive.here import cutting
from gezeiten.archive.here.layout import layout
from gezeiten.archive.here.readings import load_recorded
from gezeiten.archive.here.tables import Block, BlockBytes
from gezeiten.archive.intake.missions import Circumstances, RawChannel, RawMission, take_in
from gezeiten.desk.context import Desk, TrustedClock
from gezeiten.desk.field.mending import fill_by_line, gaps, undo
from gezeiten.desk.record.records import around, read_ahead, record, view
from gezeiten.domain.plan import Plan
from gezeiten.domain.series import Series, join_series, make_series
from gezeiten.errors import ArchiveDamagedError
from tests.conftest import ANCHOR_MS

MINUTE = 60_000
KEY = "air_temperature"
PLAN = Plan((KEY,), 60, point_name="Alte Lotsenwacht · Textile store")


@dataclass
class Kept:
    desk: Desk
    point: int
    raws: int = 0

    def take(self, first: int, end: int, number: int = 1) -> None:
        """Take readings [first, end) of a mission in; one in eleven has no value."""
        numbers = np.arange(first, end, dtype=np.int64)
        begin = ANCHOR_MS + number * 2_000 * MINUTE
        values = np.where(numbers % 11 == 5, np.nan, np.sin(numbers) * 10).round(2)
        made = RawMission(
            "D-2041", "Düne T2", "1.4", number, begin - MINUTE, begin, MINUTE, PLAN.as_dict(),
            (RawChannel(KEY, "°C"),), numbers, begin + numbers * MINUTE, 0, [values],
            [(first, end)], [], [],
        )  # fmt: skip
        self.raws += 1
        how = Circumstances(begin, "JA", "network")
        done = take_in(self.desk.archive, f"raw {self.raws}".encode(), made, how)
        self.point = done.point_id

    def whole(self) -> Series:
        """The measured readings, read mission by mission."""
        with self.desk.archive.reading() as session:
            feeds = layout(session).of_series(self.point, KEY)
            return join_series(
                [make_series(*load_recorded(session, self.point, feed)) for feed in feeds]
            )


@pytest.fixture
def kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Kept]:
    """An archive whose blocks hold few readings."""
    monkeypatch.setattr(cutting, "READINGS_PER_BLOCK", 64)
    desk = Desk(tmp_path, now_ms=lambda: ANCHOR_MS + 10**10, computer=TrustedClock(), zone="UTC")
    yield Kept(desk, 0)
    desk.close()


def same(one: Series, other: Series) -> bool:
    names = ("times_utc_ms", "values", "quality", "interval_ms")
    return all(np.array_equal(getattr(one, name), getattr(other, name)) for name in names)


def test_any_stretch_reads_as_the_whole_does(kept: Kept) -> None:
    for first, end, number in ((0, 300, 1), (420, 700, 1), (0, 90, 2), (300, 310, 1)):
        kept.take(first, end, number)
    whole = kept.whole()
    assert len(whole) > 500

    @settings(max_examples=60)
    @given(st.integers(-50, 2_300), st.integers(1, 900))
    def check(start: int, length: int) -> None:
        span = (ANCHOR_MS + (2_000 + start) * MINUTE, ANCHOR_MS + (2_000 + start + length) * MINUTE)
        assert same(record(kept.desk, kept.point, KEY, span), whole.between(*span))
        beside = around(kept.desk, kept.point, KEY, span)
        has = whole.times_utc_ms < span[0], whole.times_utc_ms >= span[1]
        assert (beside.times_utc_ms < span[0]).any() == has[0].any()
        assert (beside.times_utc_ms >= span[1]).any() == has[1].any()

    check()
    seen = view(kept.desk, kept.point, KEY)
    assert seen.measured == len(whole)
    assert seen.span == (whole.times_utc_ms[0], whole.times_utc_ms[-1])


def test_a_fill_stands_between_measured_readings_and_goes_again(kept: Kept) -> None:
    kept.take(0, 200)
    kept.take(206, 400)
    measured = kept.whole()
    booked = next(gap for gap in gaps(kept.desk) if gap.gap.missing == 6)
    fill_by_line(kept.desk, booked)
    filled = record(kept.desk, kept.point, KEY)
    assert same(join_series([measured, filled]), filled)
    assert int(filled.estimated.sum()) == 6
    span = (booked.gap.start_ms - 10 * MINUTE, booked.gap.end_ms + 10 * MINUTE)
    seen = view(kept.desk, kept.point, KEY)
    assert read_ahead(kept.desk, kept.point, KEY, span) is seen
    drawn = seen.picture(span, 1000)
    assert len(drawn.estimated.times_utc_ms) == 8  # joined to its measured neighbours
    assert (
        seen.nearest(booked.gap.start_ms)
        == filled.between(*span).values[filled.between(*span).estimated][0]
    )
    [booked] = [one for one in gaps(kept.desk) if one.steps]
    undo(kept.desk, booked)
    assert same(record(kept.desk, kept.point, KEY), measured)


def test_what_is_not_in_memory_is_drawn_from_cells_first(kept: Kept) -> None:
    kept.take(0, 2_000)
    seen, whole = view(kept.desk, kept.point, KEY), kept.whole()
    span = (int(whole.times_utc_ms[500]), int(whole.times_utc_ms[600]))
    rough = seen.picture(span, 500)
    assert rough.is_coarse
    with pytest.raises(LookupError):
        seen.nearest(span[0])
    assert np.nanmax(rough.measured.values) >= whole.between(*span).values.max()
    assert read_ahead(kept.desk, kept.point, KEY, span) is seen
    fine = seen.picture(span, 500)
    assert not fine.is_coarse
    assert set(whole.between(*span).values) <= set(fine.measured.values)
    assert seen.nearest(span[0] + 1) == whole.between(*span).values[0]
    kept.take(2_000, 2_010)
    assert read_ahead(kept.desk, kept.point, KEY, span) is not seen  # the record is another one


def test_what_is_damaged_is_left_out_where_that_is_wished(kept: Kept) -> None:
    kept.take(0, 300)
    whole = kept.whole()
    with kept.desk.archive.writing() as session:
        key = session.scalar(select(Block.id).where(Block.first == 128))
        data = session.get_one(BlockBytes, key).data
        broken = data[:-6] + bytes([data[-6] ^ 1]) + data[-5:]
        session.execute(update(BlockBytes).where(BlockBytes.id == key).values(data=broken))
    always = (0, 2**60)
    with pytest.raises(ArchiveDamagedError):
        record(kept.desk, kept.point, KEY)
    rest = around(kept.desk, kept.point, KEY, always, tolerant=True)
    lost = whole.between(ANCHOR_MS + 2_128 * MINUTE, ANCHOR_MS + 2_192 * MINUTE)
    assert len(rest) == len(whole) - len(lost)
    seen = view(kept.desk, kept.point, KEY)
    assert any("damaged" in fault for fault in seen.faults)
    assert seen.measured == len(whole)  # its cells are whole: the picture shows them
