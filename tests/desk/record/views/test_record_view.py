"""A series looked at through its view: the same as read whole, whatever was done to it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import select, update

from gezeiten.archive.local_cache.tables import Block, BlockBytes
from gezeiten.desk.field.gap_filling import fill_by_line, undo
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.record.views.records import read_ahead, read_around, record, view
from gezeiten.domain.series.series import Series, join_series
from gezeiten.errors import ArchiveDamagedError
from tests.conftest import ANCHOR_MS
from tests.examples import examples
from tests.small_blocks import KEY, MINUTE, Kept, kept_in


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with kept_in(tmp_path) as made:
        yield made


def same(series: Series, other: Series) -> bool:
    names = ("times_utc_ms", "values", "quality", "interval_ms")
    return all(np.array_equal(getattr(series, name), getattr(other, name)) for name in names)


def test_any_stretch_reads_as_the_whole_does(kept: Kept) -> None:
    for first, end, number in ((0, 300, 1), (420, 700, 1), (0, 90, 2), (300, 310, 1)):
        kept.take(first, end, number)
    whole = kept.whole()
    assert len(whole) > 500

    @settings(max_examples=examples(20, 200))
    @given(st.integers(-50, 2_300), st.integers(1, 900))
    def check(start: int, length: int) -> None:
        span = (ANCHOR_MS + (2_000 + start) * MINUTE, ANCHOR_MS + (2_000 + start + length) * MINUTE)
        assert same(record(kept.desk, kept.point, KEY, span), whole.between(*span))
        series = read_around(kept.desk, kept.point, KEY, span)
        has = whole.times_utc_ms < span[0], whole.times_utc_ms >= span[1]
        assert (series.times_utc_ms < span[0]).any() == has[0].any()
        assert (series.times_utc_ms >= span[1]).any() == has[1].any()

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
    assert read_ahead(kept.desk, seen, span) is seen
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
    assert read_ahead(kept.desk, seen, span) is seen
    fine = seen.picture(span, 500)
    assert not fine.is_coarse
    assert set(whole.between(*span).values) <= set(fine.measured.values)
    assert seen.nearest(span[0] + 1) == whole.between(*span).values[0]
    kept.desk.views.clear()  # many others were looked at meanwhile: it is still the one shown
    assert read_ahead(kept.desk, seen, span) is seen
    kept.take(2_000, 2_010)
    newer = read_ahead(kept.desk, seen, span)
    assert newer is not seen  # the record is another one


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
    rest = read_around(kept.desk, kept.point, KEY, always, tolerant=True)
    series = whole.between(ANCHOR_MS + 2_128 * MINUTE, ANCHOR_MS + 2_192 * MINUTE)
    assert len(rest) == len(whole) - len(series)
    with pytest.raises(ArchiveDamagedError):  # what a chart left out no document leaves out
        record(kept.desk, kept.point, KEY)
    seen = view(kept.desk, kept.point, KEY)
    assert any("damaged" in fault for fault in seen.faults)
    assert not seen.picture(
        (int(series.times_utc_ms[0]), int(series.times_utc_ms[-1])), 500
    ).is_coarse
    assert seen.measured == len(whole)  # its cells are whole: the picture shows them
