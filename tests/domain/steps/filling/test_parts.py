"""The parts of filling: which stretches are hidden, what is fitted, how ends are joined, in which
scale; each against something known."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import HOLD_FACTOR, Series, make_series
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.domain.steps.filling.cycles import CONSTITUENTS, columns, daily, tidal
from gezeiten.domain.steps.filling.fitting import fitted
from gezeiten.domain.steps.filling.hidden_periods import (
    BESIDE,
    PERIODS,
    at_that_time_of_day,
    count_disjoint,
    possible_starts,
    sample_starts,
    splitmix64,
    training_spans,
)
from gezeiten.domain.steps.filling.joining import FADES, faded
from gezeiten.domain.steps.filling.scales import scale_of

STEP = 600_000


def record(n: int, missing: tuple[tuple[int, int], ...] = ()) -> Series:
    keep = np.ones(n, np.bool_)
    for a, b in missing:
        keep[a:b] = False
    times = np.arange(n, dtype=np.int64) * STEP
    return make_series(times[keep], np.arange(float(n))[keep], STEP)


def test_the_sequence_is_the_published_one() -> None:
    """First three numbers from seed 1234567 (reference code of Vigna, xoshiro.di.unimi.it)."""
    state, found = 1234567, []
    for _ in range(3):
        found.append(splitmix64(state))
        state = (state + 0x9E3779B97F4A7C15) % 2**64
    assert found == [6457827717110365317, 3203168211198807973, 9817491932198370423]


@given(st.integers(1, 12), st.lists(st.tuples(st.integers(0, 190), st.integers(1, 9)), max_size=3))
def test_hidden_stretches_are_whole_and_away_from_the_gap(
    length: int, holes: list[tuple[int, int]]
) -> None:
    first = 100
    series = record(200, ((first, first + length), *((a, a + n) for a, n in holes)))
    gap = Gap(first * STEP, (first + length) * STEP, STEP)
    at = int(series.times_utc_ms.searchsorted(gap.start_ms))
    for start in possible_starts(series, gap).tolist():
        its = series.times_utc_ms[start - 1 : start + length + 1]
        assert (np.diff(its) <= HOLD_FACTOR * STEP).all()
        assert start + length <= at - BESIDE or start >= at + BESIDE
        assert start >= BESIDE
        assert start + length + BESIDE <= len(series)


def test_forty_are_chosen_one_in_each_part_and_always_the_same() -> None:
    gap = Gap(5_000 * STEP, 5_010 * STEP, STEP)
    starts = np.arange(4_000)
    chosen = sample_starts(starts, gap, 7)
    assert len(chosen) == PERIODS
    assert [int(one) // 100 for one in chosen] == list(range(40))
    assert len({int(one) % 100 for one in chosen}) > 20  # not in step
    assert (chosen == sample_starts(starts, gap, 7)).all()
    assert (chosen != sample_starts(starts, gap, 8)).any()
    assert sample_starts(starts[:12], gap).tolist() == list(range(12))


def test_where_there_are_enough_they_lie_at_the_gaps_time_of_day() -> None:
    series = record(144 * 60)
    gap = Gap(144 * 30 * STEP, (144 * 30 + 6) * STEP, STEP)
    starts = at_that_time_of_day(series, possible_starts(series, gap), gap)
    hours = (series.times_utc_ms[starts] % DAY_MS) / 3_600_000
    assert len(starts) > PERIODS
    assert ((hours <= 3) | (hours >= 21)).all()


def test_stretches_apart_from_each_other_are_counted_without_overlaps() -> None:
    assert count_disjoint(np.array([0, 3, 5, 9, 10, 20]), 5) == 4  # 0, 5, 10, 20
    assert count_disjoint(np.array([], np.intp), 5) == 0


def test_what_is_learnt_from_grows_to_fifty_gap_lengths() -> None:
    gap = Gap(10**12, 10**12 + DAY_MS, STEP)
    spans = training_spans(gap)
    assert spans[0] == (gap.start_ms - 3 * DAY_MS, gap.end_ms + 3 * DAY_MS)
    assert spans[-1] == (gap.start_ms - 50 * DAY_MS, gap.end_ms + 50 * DAY_MS)
    assert training_spans(gap, 15 * DAY_MS)[0][0] == gap.start_ms - 15 * DAY_MS


def test_a_fit_without_some_rows_is_the_fit_of_the_others() -> None:
    """Against numpy's least squares; where all lies near the model weights are near 1."""
    rng = np.random.default_rng(1)
    design = np.column_stack((np.ones(400), rng.normal(size=(400, 2))))
    values = design @ [3.0, -2.0, 0.5] + rng.normal(0, 1e-9, 400)
    fit = fitted(design, values)
    assert fit is not None
    wanted, *_ = np.linalg.lstsq(
        np.delete(design, range(50, 90), 0), np.delete(values, range(50, 90)), rcond=None
    )
    assert fit.without(50, 90) == pytest.approx(wanted, abs=1e-7)
    assert fit.coefficients == pytest.approx([3.0, -2.0, 0.5], abs=1e-7)


def test_what_is_far_off_pulls_little_and_what_is_missing_not_at_all() -> None:
    rng = np.random.default_rng(2)
    design = np.column_stack((np.ones(500), np.linspace(-1, 1, 500)))
    values = 5 + 2 * design[:, 1] + rng.normal(0, 0.1, 500)
    values[::25] += 40
    design[100:200, 1] = np.nan
    fit = fitted(design, values)
    assert fit is not None
    assert fit.coefficients == pytest.approx([5, 2], abs=0.1)
    assert fitted(np.full((500, 2), np.nan), values) is None


def test_columns_that_say_the_same_do_no_harm() -> None:
    x = np.linspace(0, 1, 300)
    fit = fitted(np.column_stack((np.ones(300), x, x)), 2 + 3 * x)
    assert fit is not None
    assert fit.coefficients[1] + fit.coefficients[2] == pytest.approx(3)


@pytest.mark.parametrize("fade", FADES)
def test_both_ends_are_met(fade: float) -> None:
    made = faded(2.0, -1.0, np.array([0.0, 0.5, 1.0]), fade)
    assert made[[0, 2]] == pytest.approx([2.0, -1.0])
    assert abs(made[1]) <= 0.5 + 1e-12
    if fade:
        by_hand = np.sinh(fade * 0.5) / np.sinh(fade)  # of both ends, half way
        assert made[1] == pytest.approx(by_hand * (2.0 - 1.0))


def test_a_month_tells_the_great_constituents_apart_and_a_day_none() -> None:
    names = [name for name, _ in tidal(30 * DAY_MS)]
    assert {"M2", "S2", "K1", "O1"} <= set(names)
    assert "K2" not in names  # half a year from S2
    assert "K2" in [name for name, _ in tidal(200 * DAY_MS)]
    assert [name for name, _ in tidal(DAY_MS)] == ["M2", "M4", "M6"]  # a turn apart in a day
    assert [name for name, _ in daily(3 * DAY_MS)] == ["24 h", "12 h", "8 h"]
    assert daily(2 * DAY_MS) == ()


def test_a_constituent_comes_back_after_its_period() -> None:
    """M2 takes 12.4206 h (Schureman 1958)."""
    speeds = dict(CONSTITUENTS)
    assert 360 / speeds["M2"] == pytest.approx(12.4206, abs=1e-4)
    assert 360 / speeds["O1"] == pytest.approx(25.8193, abs=1e-4)
    times = np.array([0, round(12.4206012 * 3_600_000)], np.int64)
    first, second = columns(times, (("M2", speeds["M2"]),), 0)
    assert second == pytest.approx(first, abs=1e-5)


def test_counts_are_estimated_by_their_logarithm_and_humidity_stays_within_bounds() -> None:
    dust, humid, air = (
        scale_of(quantity(key)) for key in ("pm25", "relative_humidity", "air_temperature")
    )
    assert dust.unscale(dust.forward(np.array([0.0, 12.5]))) == pytest.approx([0.0, 12.5])
    assert dust.clipped(dust.unscale(np.array([-9.0])))[0] == 0.0
    assert humid.clipped(np.array([-3.0, 103.0])).tolist() == [0.0, 100.0]
    assert air.clipped(air.unscale(np.array([-300.0])))[0] == -300.0
