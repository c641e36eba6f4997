"""Gaps that begin in unrest: seen as such against the whole record, their band measured on what
begins alike."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.filling.candidates import Companion, candidates
from gezeiten.domain.steps.filling.unrest import Unrest, similar_spans, unrest_of
from tests.made_records import KINDS_OF_EVENTS, STEP_MS
from tests.recovering import recovered


def with_gap(values: np.ndarray, first: int, length: int) -> tuple[Series, Gap]:
    times = np.arange(len(values), dtype=np.int64) * STEP_MS
    keep = np.ones(len(values), np.bool_)
    keep[first : first + length] = False
    series = make_series(times[keep], values[keep], STEP_MS)
    return series, Gap(int(times[first]), int(times[first + length]), STEP_MS)


@pytest.mark.parametrize(("beside", "wanted"), [(0.0, None), (5.0, "highest"), (-5.0, "lowest")])
@pytest.mark.parametrize("at_end", [False, True])
def test_a_gap_at_the_top_of_a_flood(beside: float, wanted: str | None, *, at_end: bool) -> None:
    """Of a record that swings by one, the five readings beside the gap are five above, or below."""
    values = np.sin(np.arange(1_000) / 20)
    values[slice(520, 525) if at_end else slice(495, 500)] += beside
    unrest = unrest_of(*with_gap(values, 500, 20))
    assert (unrest.kind if unrest else None) == wanted
    if unrest:
        assert unrest.at_end == at_end


def test_a_gap_on_a_steep_flank_is_in_unrest_though_its_level_is_usual() -> None:
    """The level rises by 0.9 within ten readings, elsewhere by 0.25 at most."""
    values = np.sin(np.arange(2_000) / 20)
    values[980:1000] = np.linspace(-0.9, 0.9, 20)
    unrest = unrest_of(*with_gap(values, 1_000 - 5, 20))
    assert unrest is not None
    assert (unrest.kind, unrest.at_end) == ("fastest rising", False)


def test_too_little_record_tells_nothing() -> None:
    values = np.zeros(190)
    values[95:100] = 9.0
    assert unrest_of(*with_gap(values, 100, 5)) is None


def test_a_usual_afternoon_is_no_unrest_but_the_same_at_night_is() -> None:
    """A day's cycle of ±5 °C: 18 °C is usual at three in the afternoon, not at three at night."""
    hours = np.arange(144 * 40) / 6
    rng = np.random.default_rng(1)
    values = 15 + 5 * np.cos(2 * np.pi * (hours - 15) / 24) + rng.normal(0, 0.2, len(hours))
    afternoon, night = 144 * 20 + 13 * 6, 144 * 20 + 3 * 6
    assert unrest_of(*with_gap(values, afternoon, 12)) is None
    values[night - 15 : night] = 18.0
    unrest = unrest_of(*with_gap(values, night, 12))
    assert unrest is not None
    assert unrest.kind == "highest"


def test_what_begins_alike_is_as_large_to_the_same_side_and_apart() -> None:
    """Peaks of 1, 2 and 9 and a trough of -2, the gap begins at one of 2: the twos are taken as
    they are, the ones count twice; nines are too large, troughs to the other side."""
    values = np.zeros(4_000)
    sizes = [1.0, 2.0, 9.0, -2.0] * 8
    places = np.arange(32) * 120 + 60
    for at, size in zip(places, sizes, strict=True):
        values[at - 12 : at] = size
    rng = np.random.default_rng(3)
    values += rng.normal(0, 1e-3, 4_000)
    similar_periods = similar_spans(values, places, 30, Unrest("highest", False, 2.0, 0.0))
    wanted = {
        int(at): 2.0 / size for at, size in zip(places, sizes, strict=True) if size in (1.0, 2.0)
    }
    assert sorted(similar_periods.starts.tolist()) == sorted(wanted)
    assert similar_periods.sizes == pytest.approx(
        [wanted[at] for at in similar_periods.starts.tolist()], rel=0.01
    )
    assert (
        len(similar_spans(values, places[:0], 30, Unrest("highest", False, 2.0, 0.0)).starts) == 0
    )


@pytest.mark.parametrize("length", [36, 144])
def test_at_least_nine_of_ten_are_covered_after_extremes(length: int) -> None:
    """Floods, failing stores and dust that is stirred up, after the 1 % highest and lowest."""
    seen = [
        one
        for kind in KINDS_OF_EVENTS
        for seed in range(8)
        for after in ("highest", "lowest")
        if (one := recovered(kind, length, seed, after)) is not None
    ]
    inside = np.mean([one.inside.mean() for one in seen])
    assert len(seen) > 30
    assert inside >= 0.9
    after_highest = [one for one in seen if one.unrest_said]
    assert np.mean([one.inside.mean() for one in after_highest]) >= 0.9


def test_a_companion_that_lacks_a_reading_leaves_no_hole() -> None:
    """Own = 3 + 2 other; of the gap's sixty one is missing at the companion: it lies on the line
    between those beside it."""
    rng = np.random.default_rng(3)
    wander = np.cumsum(rng.normal(0, 0.3, 6_000))
    series, gap = with_gap(3 + 2 * wander, 3_000, 60)
    times = np.arange(6_000, dtype=np.int64) * STEP_MS
    other = make_series(np.delete(times, 3_030), np.delete(wander, 3_030), STEP_MS)
    air = quantity("air_temperature")
    best = next(
        candidate
        for candidate in candidates(series, gap, air, [Companion("c", other, air)])
        if candidate.kind == "companion" and not candidate.refusal
    )
    assert best.fill.times_utc_ms.tolist() == times[3_000:3_060].tolist()
    between = (best.fill.values[29] + best.fill.values[31]) / 2
    assert best.fill.values[30] == pytest.approx(between, abs=1e-3)
    assert best.high[30] - best.low[30] > best.high[20] - best.low[20]
