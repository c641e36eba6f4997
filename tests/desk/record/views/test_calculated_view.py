"""A calculated series is, whatever came in which order, what its inputs make by hand."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import select, update

from gezeiten.archive.local_cache.tables import Block, BlockBytes
from gezeiten.desk.field.gap_filling import fill_by_line, line_offer, undo
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.record.excursion_book import (
    excursions,
    faulty_excursions,
    refresh_excursions,
    refresh_stale,
)
from gezeiten.desk.record.statements.calculated_series import (
    Calculation,
    calculate,
    calculations,
    remove_calculation,
)
from gezeiten.desk.record.statements.limits import set_limit
from gezeiten.desk.record.views.records import read_ahead, record, view
from gezeiten.desk.sites.places import points
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series
from gezeiten.domain.steps.calculation import derive
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.errors import ArchiveDamagedError
from tests.conftest import ANCHOR_MS
from tests.examples import examples
from tests.small_blocks import KEY, MINUTE, Kept, kept_in

DIFFERENCE = FORMULAS["difference", 1]
WARM = "temperature_difference@="


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with kept_in(tmp_path) as made:
        made.take(0, 900)
        made.take_elsewhere(0, 900)
        yield made


def subtract(kept: Kept) -> str:
    """Let what the attic has be taken off what the store has."""
    by_id = {point.id: point for point in points(kept.desk)}
    inputs = ((by_id[kept.point], KEY), (by_id[kept.elsewhere], KEY))
    return calculate(kept.desk, Calculation(DIFFERENCE, inputs, {}), "is it the roof?")


def by_hand(kept: Kept, store: Series | None = None) -> tuple[list[int], list[float]]:
    """Each reading of the store less the line between those of the attic 40 s before and 20 s
    after it, where both are there."""
    store = store or kept.whole()
    attic = dict(
        zip(
            *(
                one.tolist()
                for one in (
                    kept.whole(kept.elsewhere).times_utc_ms,
                    kept.whole(kept.elsewhere).values,
                )
            ),
            strict=True,
        )
    )
    times, values = [], []
    for at, value in zip(store.times_utc_ms.tolist(), store.values.tolist(), strict=True):
        before, after = attic.get(at - 40_000), attic.get(at + 20_000)
        if before is not None and after is not None:
            times.append(at)
            values.append(value - (before + (after - before) * 2 / 3))
    return times, values


def is_by_hand(kept: Kept, series: Series) -> bool:
    times, values = by_hand(kept)
    return series.times_utc_ms.tolist() == times and bool(
        np.allclose(series.values, values, rtol=0, atol=6e-5)
    )


def test_it_is_what_one_calculates_by_hand(kept: Kept) -> None:
    assert subtract(kept) == WARM
    series = record(kept.desk, kept.point, WARM)
    assert is_by_hand(kept, series)
    assert len(series) > 500
    seen = view(kept.desk, kept.point, WARM)
    assert seen.measured == len(series)
    span = (int(series.times_utc_ms[0]), int(series.times_utc_ms[-1]) + 1)
    assert seen.span == (span[0], span[1] - 1)
    rough = seen.picture(span, 5).measured
    assert np.nanmax(rough.values) == series.values.max()
    short = (span[0], span[0] + 100 * MINUTE)
    fine = read_ahead(kept.desk, seen, short).picture(short, 400)
    assert not fine.is_coarse
    assert set(series.between(*short).values) <= set(fine.measured.values)


RANGES = st.tuples(st.booleans(), st.integers(0, 900), st.integers(1, 250))


@settings(max_examples=examples(5, 40))
@given(st.lists(RANGES, min_size=1, max_size=6))
def test_whatever_comes_late_it_follows_and_so_do_its_excursions(
    ranges: list[tuple[bool, int, int]],
) -> None:
    with tempfile.TemporaryDirectory() as folder, kept_in(Path(folder)) as kept:
        kept.take(0, 30)
        kept.take_elsewhere(0, 30)
        subtract(kept)
        rule = LimitRule(WARM, "above", 1.5, delay_s=60)
        set_limit(kept.desk, kept.point, WARM, rule, ANCHOR_MS, None, "roof")
        for is_attic, first, many in ranges:
            (kept.take_elsewhere if is_attic else kept.take)(first, first + many)
            refresh_stale(kept.desk)
            assert is_by_hand(kept, record(kept.desk, kept.point, WARM))
            assert faulty_excursions(kept.desk) == []


def test_only_what_changed_is_calculated_again(kept: Kept, monkeypatch: pytest.MonkeyPatch) -> None:
    subtract(kept)
    view(kept.desk, kept.point, WARM)
    calculated: list[int] = []

    def counted(*args: object) -> tuple[np.ndarray, np.ndarray]:
        calculated.append(len(args[0][0]))  # type: ignore[index]
        return apply(*args)  # type: ignore[arg-type, return-value]

    apply = DIFFERENCE.apply
    object.__setattr__(DIFFERENCE, "apply", counted)
    try:
        kept.take(900, 905)
        view(kept.desk, kept.point, WARM)
    finally:
        object.__setattr__(DIFFERENCE, "apply", apply)
    assert 0 < sum(calculated) < 3 * 64  # of some nine hundred


def test_what_rests_on_a_fill_is_an_estimate_and_alarms_never(kept: Kept) -> None:
    kept.take(905, 2_000)
    kept.take_elsewhere(900, 2_000)
    subtract(kept)
    set_limit(kept.desk, kept.point, WARM, LimitRule(WARM, "below", 99.0), ANCHOR_MS, None, "all")
    before = [(excursion.start_ms, excursion.end_ms) for excursion in excursions(kept.desk)]
    gap = next(one for one in gaps(kept.desk, kept.point) if one.gap.missing > 2)
    assert gap.channels == (KEY,)  # of what is calculated there is none of its own
    fill_by_line(kept.desk, gap)
    series = record(kept.desk, kept.point, WARM).between(gap.gap.start_ms, gap.gap.end_ms)
    assert len(series) >= 4
    assert set(series.quality) == {Quality.ESTIMATE}
    seen = view(kept.desk, kept.point, WARM)
    drawn = seen.picture((gap.gap.start_ms, gap.gap.end_ms), 400)
    assert np.isfinite(drawn.estimated.values).any()
    assert not any(
        gap.gap.start_ms <= excursion.start_ms < gap.gap.end_ms
        for excursion in excursions(kept.desk)
    )
    [done] = [one for one in gaps(kept.desk, kept.point) if one.steps]
    undo(kept.desk, done)
    assert [(excursion.start_ms, excursion.end_ms) for excursion in excursions(kept.desk)] == before
    assert is_by_hand(kept, record(kept.desk, kept.point, WARM))


def test_an_input_at_another_point_that_is_filled_makes_estimates(kept: Kept) -> None:
    kept.take_elsewhere(905, 2_000)
    kept.take(900, 2_000)
    subtract(kept)
    gap = next(one for one in gaps(kept.desk, kept.elsewhere) if one.gap.missing > 2)
    fill_by_line(kept.desk, gap)
    series = record(kept.desk, kept.point, WARM)
    inside = series.between(gap.gap.start_ms, gap.gap.end_ms)
    assert len(inside) >= 4
    assert set(inside.quality) == {Quality.ESTIMATE}
    measured = series.values[~series.estimated]
    assert len(measured) == view(kept.desk, kept.point, WARM).measured
    assert np.allclose(measured, by_hand(kept)[1], rtol=0, atol=6e-5)


def test_excursions_follow_where_the_other_point_changes(kept: Kept) -> None:
    subtract(kept)
    set_limit(kept.desk, kept.point, WARM, LimitRule(WARM, "above", 1.5), ANCHOR_MS, None, "roof")
    kept.take(900, 1_200)
    refresh_excursions(kept.desk, kept.point)
    before = len(excursions(kept.desk))
    kept.take_elsewhere(900, 1_200)
    refresh_excursions(kept.desk, kept.elsewhere)
    assert len(excursions(kept.desk)) > before
    assert faulty_excursions(kept.desk) == []


def test_no_more_calculated_it_is_gone_and_what_was_measured_is_not(kept: Kept) -> None:
    whole = kept.whole()
    subtract(kept)
    set_limit(kept.desk, kept.point, WARM, LimitRule(WARM, "above", 1.5), ANCHOR_MS, None, "roof")
    [one] = calculations(kept.desk, kept.point)
    assert [name for name, _ in one.inputs] == [
        "Alte Lotsenwacht · Textile store",
        "Alte Lotsenwacht · Attic",
    ]
    remove_calculation(kept.desk, one.series)
    assert [place.channel for point in points(kept.desk) for place in point.channels] == [KEY, KEY]
    assert not len(record(kept.desk, kept.point, WARM))
    assert excursions(kept.desk) == []
    assert len(kept.whole()) == len(whole)


def test_where_an_input_is_damaged_documents_refuse_and_charts_show_the_rest(kept: Kept) -> None:
    subtract(kept)
    whole = len(by_hand(kept)[0])
    with kept.desk.archive.writing() as session:
        key = session.scalar(select(Block.id).where(Block.first == 128))
        data = session.get_one(BlockBytes, key).data
        broken = data[:-6] + bytes([data[-6] ^ 1]) + data[-5:]
        session.execute(update(BlockBytes).where(BlockBytes.id == key).values(data=broken))
    with pytest.raises(ArchiveDamagedError):
        record(kept.desk, kept.point, WARM)
    seen = view(kept.desk, kept.point, WARM)
    assert any("damaged" in fault for fault in seen.faults)
    assert 0.7 * whole < seen.measured < whole


def test_what_is_damaged_there_spoils_nothing_here(kept: Kept) -> None:
    subtract(kept)
    set_limit(kept.desk, kept.point, WARM, LimitRule(WARM, "above", 1.5), ANCHOR_MS, None, "roof")
    with kept.desk.archive.writing() as session:
        key = session.scalar(select(Block.id).where(Block.first == 832).order_by(Block.id))
        data = session.get_one(BlockBytes, key).data
        broken = data[:-6] + bytes([data[-6] ^ 1]) + data[-5:]
        session.execute(update(BlockBytes).where(BlockBytes.id == key).values(data=broken))
    kept.take_elsewhere(900, 1_200)
    with pytest.raises(ArchiveDamagedError):
        refresh_excursions(kept.desk, kept.point)
    refresh_excursions(kept.desk, kept.elsewhere)


@settings(max_examples=examples(4, 30))
@given(
    st.lists(st.tuples(st.integers(0, 900), st.integers(1, 250)), min_size=1, max_size=4),
    st.sampled_from(["running_mean", "running_highest", "rate_of_change"]),
    st.booleans(),
)
def test_what_looks_back_is_that_of_the_whole_record_at_once(
    ranges: list[tuple[int, int]], formula: str, fills: bool
) -> None:
    """Blocks of 64 readings and a window of three hours: whatever comes late, every reading is as
    if the record had been looked at as a whole."""
    its = FORMULAS[formula, 1]
    with tempfile.TemporaryDirectory() as folder, kept_in(Path(folder)) as kept:
        for i, (first, many) in enumerate(ranges):
            kept.take(first, first + many)
            if not i:
                point = next(one for one in points(kept.desk) if one.id == kept.point)
                key = calculate(kept.desk, Calculation(its, ((point, KEY),), {"window_h": 3.0}))
        short = [gap for gap in gaps(kept.desk, kept.point) if gap.gap.missing < 20]
        if fills and short and not line_offer(kept.desk, short[0]).refusal:
            fill_by_line(kept.desk, short[0])
        series = record(kept.desk, kept.point, KEY)
        wanted = derive(its, {"window_h": 3.0}, [(series, KEY)], its.result(KEY))
        found = record(kept.desk, kept.point, key)
        assert found.times_utc_ms.tolist() == wanted.times_utc_ms.tolist()
        assert found.values.tobytes() == wanted.values.tobytes()
        assert found.quality.tolist() == wanted.quality.tolist()
