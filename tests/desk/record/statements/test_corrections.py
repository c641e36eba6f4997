"""A series with corrections: its record, its pictures, its excursions, what rests on it."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given as given_any
from hypothesis import settings
from hypothesis import strategies as st

from gezeiten.desk.field.gap_filling import fill_by_line
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.record.excursion_book import excursions, faulty_excursions, refresh_stale
from gezeiten.desk.record.provenance import provenance
from gezeiten.desk.record.statements.calculated_series import Calculation, calculate
from gezeiten.desk.record.statements.corrections import (
    chain,
    effect,
    fitted_on_another_state,
    proposed,
    save_correction,
    switch,
    withdraw_correction,
)
from gezeiten.desk.record.views.records import read_where, record, uncorrected, view
from gezeiten.desk.sites.places import PointPlace, points
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.timeline import EVER_MS
from gezeiten.domain.steps.chain import corrected
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.errors import InputError
from tests.examples import examples
from tests.small_blocks import KEY, MINUTE, PLAN, Kept, kept_in

ALWAYS = (-EVER_MS, EVER_MS)
HOT = LimitRule(KEY, "above", 9.9, delay_s=60)


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    with kept_in(tmp_path, replace(PLAN, limits=(HOT,))) as made:
        made.take(0, 600)
        yield made


def point_of(kept: Kept) -> PointPlace:
    return next(point for point in points(kept.desk) if point.id == kept.point)


def begin_ms(kept: Kept) -> int:
    return int(record(kept.desk, kept.point, KEY).times_utc_ms[0])


def add(kept: Kept, kind: str, parameters: dict[str, Any], first: int, end: int | None) -> None:
    begin = begin_ms(kept)
    span = (begin + first * MINUTE, None if end is None else begin + end * MINUTE)
    save_correction(
        kept.desk, point_of(kept), proposed(point_of(kept), KEY, kind, span, parameters), "test"
    )


def bits(kept: Kept) -> tuple[bytes, ...]:
    series = record(kept.desk, kept.point, KEY)
    return (series.times_utc_ms.tobytes(), series.values.tobytes(), series.quality.tobytes())


WANTED = st.tuples(
    st.sampled_from(
        [
            ("linear", {"offset": 2.5, "gain": 1.25}),
            ("points", {"points": [[-5, -4], [5, 5.5]]}),
            ("mark", {"mark": "taken out"}),
            ("mark", {"mark": "suspect"}),
            ("trim", {}),
        ]
    ),
    st.integers(0, 500),
    st.integers(1, 300),
)


@settings(max_examples=examples(4, 30))
@given_any(st.lists(WANTED, min_size=1, max_size=4), st.integers(0, 3))
def test_the_record_is_what_the_chain_makes_of_what_was_given(
    wanted: list[tuple[tuple[str, dict[str, Any]], int, int]], which: int
) -> None:
    """Its readings, its count, its picture from cells, those beyond a bound, its excursions; and
    taking all back leaves the same bits as before."""
    with (
        tempfile.TemporaryDirectory() as folder,
        kept_in(Path(folder), replace(PLAN, limits=(HOT,))) as kept,
    ):
        kept.take(0, 300)
        kept.take(340, 600)
        refresh_stale(kept.desk)
        before = bits(kept)
        for (kind, parameters), first, many in wanted:
            add(kept, kind, parameters, first, first + many)
            check(kept)
        steps = chain(kept.desk, point_of(kept), KEY).corrections
        switch(kept.desk, point_of(kept), steps[which % len(steps)])
        check(kept)
        for step in chain(kept.desk, point_of(kept), KEY).corrections:
            withdraw_correction(kept.desk, point_of(kept), step)
        assert bits(kept) == before
        assert faulty_excursions(kept.desk) == []


def check(kept: Kept) -> None:
    source = uncorrected(kept.desk, kept.point, KEY, ALWAYS)
    assert source.values.tobytes() == kept.whole().values.tobytes()
    series = corrected(source, chain(kept.desk, point_of(kept), KEY).corrections)
    made = record(kept.desk, kept.point, KEY)
    assert made.values.tobytes() == series.values.tobytes()
    assert made.times_utc_ms.tobytes() == series.times_utc_ms.tobytes()
    seen = view(kept.desk, kept.point, KEY)
    assert seen.measured == len(series)
    assert seen.cells is not None
    assert seen.cells.cells.max_count_in(ALWAYS) == len(series)
    high = read_where(kept.desk, kept.point, KEY, ALWAYS, lambda values: values > 9)
    assert set(series.times_utc_ms[series.values > 9].tolist()) <= set(high.times_utc_ms.tolist())
    assert faulty_excursions(kept.desk) == []


def test_pieces_that_no_step_touches_are_not_read(kept: Kept) -> None:
    add(kept, "linear", {"offset": 1}, 300, 310)
    kept.desk.chunks.clear()
    kept.desk.views.clear()
    kept.desk.computed.clear()
    view(kept.desk, kept.point, KEY)
    made = view(kept.desk, kept.point, KEY).source
    assert sum(len(made.touching(i)) for i in range(len(made.listed))) == 1  # type: ignore[attr-defined]
    assert len(kept.desk.chunks) == 0


def test_an_excursion_goes_with_the_readings_that_were_too_high(kept: Kept) -> None:
    refresh_stale(kept.desk)
    assert excursions(kept.desk)
    add(kept, "linear", {"offset": -1}, 0, None)
    assert excursions(kept.desk) == []
    [step] = chain(kept.desk, point_of(kept), KEY).corrections
    switch(kept.desk, point_of(kept), step, "the certificate was another one's")
    assert excursions(kept.desk)


def test_a_trial_tells_what_would_change_and_changes_nothing(kept: Kept) -> None:
    point, before = point_of(kept), bits(kept)
    begin = begin_ms(kept)
    step = proposed(point, KEY, "linear", (begin, begin + 4 * MINUTE), {"offset": 0.5})
    seen = effect(kept.desk, point, KEY, ALWAYS, step=step)
    assert (seen.changed, seen.removed, seen.mean, seen.most) == (4, 0, 0.5, 0.5)
    step = proposed(point, KEY, "mark", (begin, begin + 4 * MINUTE), {"mark": "taken out"})
    seen = effect(kept.desk, point, KEY, ALWAYS, step=step)
    assert (seen.changed, seen.removed, seen.restored, seen.suspect) == (0, 4, 0, 0)
    assert bits(kept) == before
    add(kept, "mark", {"mark": "suspect"}, 0, 3)
    [its] = chain(kept.desk, point, KEY).corrections
    seen = effect(kept.desk, point, KEY, ALWAYS, switched=its.uid)
    assert (seen.changed, seen.suspect) == (0, -3)


def test_what_is_calculated_follows_its_corrected_input(kept: Kept) -> None:
    kept.take_elsewhere(0, 600)
    there = next(point for point in points(kept.desk) if point.id == kept.elsewhere)
    formula = FORMULAS["difference", 1]
    calculation = Calculation(formula, ((point_of(kept), KEY), (there, KEY)), {})
    key = calculate(kept.desk, calculation)
    before = record(kept.desk, kept.point, key)
    add(kept, "linear", {"offset": 2}, 100, 200)
    after = record(kept.desk, kept.point, key)
    difference = np.round(after.values - before.values, 6)
    assert set(difference.tolist()) == {0.0, 2.0}
    assert int((difference == 2).sum()) > 80


def test_a_fill_stays_and_is_said_to_be_of_another_state(tmp_path: Path) -> None:
    with kept_in(tmp_path) as kept:
        kept.take(0, 300)
        kept.take(304, 600)
        [gap] = [one for one in gaps(kept.desk) if one.gap.missing == 4]
        fill_by_line(kept.desk, gap)
        filled = record(kept.desk, kept.point, KEY)
        estimates = filled.values[filled.estimated].tolist()
        later_ms = kept.desk.now_ms() + MINUTE
        kept.desk.now_ms = lambda: later_ms
        add(kept, "linear", {"offset": 3}, 0, None)
        corrected_ = record(kept.desk, kept.point, KEY)
        assert corrected_.values[corrected_.estimated].tolist() == estimates
        links = chain(kept.desk, point_of(kept), KEY)
        assert [fitted_on_another_state(fill, links.corrections) for fill in links.fills] == [True]
        told = provenance(kept.desk, point_of(kept), KEY, gap.gap.start_ms)
        assert (told.quality, told.is_old_fill, told.bytes) == (Quality.ESTIMATE, True, None)


def test_a_reading_tells_its_bytes_number_steps_and_quality(kept: Kept) -> None:
    begin = begin_ms(kept)
    add(kept, "linear", {"offset": 0.25}, 0, None)
    add(kept, "mark", {"mark": "suspect", "cause": "sun"}, 10, 20)
    add(kept, "mark", {"mark": "taken out"}, 30, 40)
    told = provenance(kept.desk, point_of(kept), KEY, begin + 12 * MINUTE + 9)
    assert told.bytes is not None
    assert (told.bytes.source, told.bytes.number, told.bytes.mission.number) == ("D-2041", 12, 1)
    assert told.bytes.value == pytest.approx(round(np.sin(12) * 10, 2))
    assert [offload.sha256[:4] for offload in told.bytes.offloads] == [
        told.bytes.offloads[0].sha256[:4]
    ]
    assert [applied.step.kind for applied in told.passed] == ["linear", "mark"]
    assert told.value == told.bytes.value + 0.25
    assert told.quality == Quality.SUSPECT
    gone = provenance(kept.desk, point_of(kept), KEY, begin + 35 * MINUTE)
    assert (gone.value, gone.quality) == (None, Quality.MISSING)
    assert gone.passed[-1].value is None


def test_two_people_switching_one_step_are_told(kept: Kept) -> None:
    add(kept, "linear", {"offset": 1}, 0, None)
    [step] = chain(kept.desk, point_of(kept), KEY).corrections
    switch(kept.desk, point_of(kept), step)
    with pytest.raises(InputError, match="meanwhile"):
        switch(kept.desk, point_of(kept), step)
    withdraw_correction(kept.desk, point_of(kept), step)
    with pytest.raises(InputError, match=r"This correction was withdrawn meanwhile; reload it\."):
        switch(kept.desk, point_of(kept), replace(step, is_on=False))


@pytest.mark.parametrize(
    ("kind", "end", "words", "reason"),
    [
        ("linear", None, "", "Enter a reason"),
        ("linear", -5, "x", "The end must be after the start; correct one of the two."),
        ("mark", 5, " ", "Enter a reason"),
    ],
)
def test_a_step_wants_an_end_after_its_begin_and_a_reason(
    kept: Kept, kind: str, end: int | None, words: str, reason: str
) -> None:
    point, begin = point_of(kept), begin_ms(kept)
    parameters = {"linear": {"offset": 1}, "mark": {"mark": "suspect"}}[kind]
    until = None if end is None else begin + end
    with pytest.raises(InputError, match=reason):
        save_correction(
            kept.desk, point, proposed(point, KEY, kind, (begin, until), parameters), words
        )
    assert chain(kept.desk, point, KEY).corrections == ()


def test_points_at_the_end_want_an_end(kept: Kept) -> None:
    parameters = {"points": [[0, 1]], "as_found": [[0, 2]]}
    with pytest.raises(InputError, match="enter until when"):
        proposed(point_of(kept), KEY, "points", (0, None), parameters)
