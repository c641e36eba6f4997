"""What could fill a gap: right where the truth is known, honest about its error, silent where it
cannot know."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.filling.candidates import (
    Candidate,
    Companion,
    candidates,
    estimate_refusal,
    is_significantly_better,
    ranked,
    straight,
)
from tests.made_records import KINDS, STEP_MS, made
from tests.recovering import recovered

AIR = quantity("air_temperature")


def cut(series: Series, first: int, length: int) -> tuple[Series, Gap]:
    times = series.times_utc_ms
    keep = np.ones(len(times), np.bool_)
    keep[first : first + length] = False
    return series.subset(keep), Gap(int(times[first]), int(times[first + length]), STEP_MS)


def of(series: Series, gap: Gap, *companions: Series) -> dict[str, Candidate]:
    listed = [Companion(f"c{i}", one, AIR) for i, one in enumerate(companions)]
    return {candidate.kind: candidate for candidate in candidates(series, gap, AIR, listed)}


def test_a_companion_that_tells_all_leaves_nothing_but_rounding() -> None:
    """own(t) = 3 + 2 other(t - 20 min)."""
    rng = np.random.default_rng(3)
    wander = np.cumsum(rng.normal(0, 0.3, 6_000))
    times = np.arange(6_000, dtype=np.int64) * STEP_MS
    other = make_series(times, wander, STEP_MS)
    own = make_series(times[2:], 3 + 2 * wander[:-2], STEP_MS)
    series, gap = cut(own, 3_000, 60)
    best = of(series, gap, other)["companion"]
    assert best.facts["lag_ms"] == 2 * STEP_MS
    np.testing.assert_allclose(best.fill.values, own.values[3_000:3_060], atol=1e-4)
    assert best.rmse < 1e-6
    assert best.fill.times_utc_ms.tolist() == own.times_utc_ms[3_000:3_060].tolist()


def test_a_day_cycle_alone_is_found_by_the_series_itself() -> None:
    hours = np.arange(144 * 20) / 6
    values = 15 + 4 * np.cos(2 * np.pi * hours / 24) + np.cos(2 * np.pi * hours / 12 + 1)
    own = make_series(np.arange(len(hours), dtype=np.int64) * STEP_MS, values, STEP_MS)
    series, gap = cut(own, 1_400, 100)
    found = of(series, gap)
    np.testing.assert_allclose(found["own"].fill.values, values[1_400:1_500], atol=1e-3)
    assert found["line"].rmse > 1
    assert ranked(list(found.values()))[0].kind == "own"


def test_a_weekend_is_told_from_working_days() -> None:
    """People are in from nine to five, Monday to Friday: of three days from Friday on the own
    cycles leave less than half of what the day's cycle alone would (which calls Saturday one)."""
    rng = np.random.default_rng(2)
    n = 144 * 70
    hours = np.arange(n) / 6
    is_in = ((hours // 24) % 7 < 5) & (hours % 24 >= 9) & (hours % 24 < 17)
    values = 450 + 500.0 * is_in + rng.normal(0, 15, n)
    own = make_series(np.arange(n, dtype=np.int64) * STEP_MS, values, STEP_MS)
    first, length = 144 * 32, 144 * 3  # day 32 is a Friday, for day 0 is a Monday
    series, gap = cut(own, first, length)
    made = of(series, gap)["own"]
    assert "168.0 h" in made.facts["cycles"]
    off = made.fill.values - values[first : first + length]
    by_day = np.column_stack(
        [np.ones(n), *(f(2 * np.pi * hours / h) for h in (24, 12, 8) for f in (np.cos, np.sin))]
    )
    fit, *_ = np.linalg.lstsq(by_day, values, rcond=None)
    day_alone = (by_day @ fit - values)[first : first + length]
    assert np.mean(off**2) < 0.5 * np.mean(day_alone**2)


def test_the_error_of_a_line_agrees_with_hiding_by_hand() -> None:
    """Every stretch that can be hidden is, for there are fewer than forty; each is filled by
    numpy.interp between the readings beside it."""
    rng = np.random.default_rng(11)
    values = np.sin(np.arange(60) / 9) * 5 + rng.normal(0, 0.2, 60)
    own = make_series(np.arange(60, dtype=np.int64) * STEP_MS, values, STEP_MS)
    series, gap = cut(own, 32, 3)
    line = straight(series, gap, AIR)
    kept = [*range(32), *range(35, 60)]
    errors = []
    for first in range(5, 60):
        hidden = [first, first + 1, first + 2]
        beside = [*range(first - 5, first), *range(first + 3, first + 8)]
        is_far = first + 3 <= 32 - 5 or first >= 35 + 5
        if (
            is_far
            and all(one in kept for one in (*hidden, first - 1, first + 3))
            and max(beside) < 60
        ):
            ends = [first - 1, first + 3]
            errors.append(np.interp(hidden, ends, values[ends]) - values[hidden])
    assert line.periods == len(errors) < 40
    assert line.rmse == pytest.approx(np.sqrt(np.mean(np.square(errors))))
    assert line.fill.values == pytest.approx(
        np.interp([32, 33, 34], [31, 35], values[[31, 35]]), abs=1e-4
    )


def test_white_noise_gives_a_line_the_error_that_theory_gives() -> None:
    """Line minus known: var = s2 (1 + (1 - u)^2 + u^2), u = 1/2 for a single missing reading."""
    noise = np.random.default_rng(3).normal(0, 2.0, 6_000)
    own = make_series(np.arange(6_000, dtype=np.int64) * STEP_MS, noise, STEP_MS)
    told = [straight(*cut(own, first, 1), AIR).rmse for first in range(500, 5_500, 100)]
    assert np.sqrt(np.mean(np.square(told))) == pytest.approx(2.0 * np.sqrt(1.5), rel=0.03)


def test_a_way_is_said_to_beat_another_one_where_it_nearly_always_does() -> None:
    its = made("tide", 4)
    series, gap = cut(its.series, 2_950, 144)
    listed = list(candidates(series, gap, its.quantity, [Companion("c", its.companion, its.other)]))
    best, line = ranked(listed)[0], listed[0]
    assert is_significantly_better(best, line)
    assert not is_significantly_better(line, best)
    assert not is_significantly_better(line, line)
    by_a_hair = replace(line, by_period=line.by_period * np.where(np.arange(40) % 5, 0.5, 1.01))
    assert not is_significantly_better(by_a_hair, line)  # better on 32 of 40 only


def test_where_a_line_does_as_well_it_stands_first() -> None:
    rng = np.random.default_rng(5)
    own = make_series(
        np.arange(3_000, dtype=np.int64) * STEP_MS,
        20 + np.cumsum(rng.normal(0, 0.01, 3_000)),
        STEP_MS,
    )
    noise = make_series(own.times_utc_ms, rng.normal(0, 1, 3_000), STEP_MS)
    series, gap = cut(own, 1_500, 3)
    assert ranked(list(of(series, gap, noise).values()))[0].kind == "line"


def test_a_step_across_the_gap_is_joined_by_nobody() -> None:
    its = made("room", 1)
    values = its.series.values.copy()
    values[3_000:] += 6
    series, gap = cut(make_series(its.series.times_utc_ms, values, STEP_MS), 2_950, 50)
    found = of(series, gap, its.companion)
    assert "the level differs before and after the gap" in found["companion"].refusal
    assert "the level differs before and after the gap" in found["own"].refusal
    assert not found["line"].refusal


def test_a_companion_beyond_what_it_was_known_in_promises_nothing() -> None:
    its = made("room", 2)
    outside = its.companion.values.copy()
    outside[2_950:2_990] += 60
    there = make_series(its.companion.times_utc_ms, outside, STEP_MS)
    series, gap = cut(its.series, 2_950, 50)
    assert of(series, gap, there)["companion"].is_beyond
    assert not of(series, gap, its.companion)["companion"].is_beyond


def test_a_companion_with_the_same_gap_says_why_it_cannot_serve() -> None:
    its = made("store", 3)
    series, gap = cut(its.series, 2_950, 50)
    away = its.companion.between(0, gap.start_ms - STEP_MS)
    assert "no readings in the gap" in of(series, gap, away)["companion"].refusal


@pytest.mark.parametrize(
    ("key", "first", "n", "reason"),
    [
        ("wind_direction", 500, 2_000, "a direction cannot be interpolated"),
        ("air_temperature", 3, 2_000, "no reading before"),
        ("air_temperature", 100, 260, "too few readings around it to measure the error"),
    ],
)
def test_what_cannot_be_known_is_not_said(key: str, first: int, n: int, reason: str) -> None:
    whole = make_series(np.arange(n, dtype=np.int64) * STEP_MS, np.ones(n), STEP_MS)
    series, gap = cut(whole, first, 60)
    assert reason in estimate_refusal(series, gap, quantity(key))


@pytest.mark.parametrize("kind", KINDS)
def test_truth_lies_in_the_promised_band_and_the_error_is_the_promised_one(kind: str) -> None:
    """Nine gaps of six hours and of a day each, seeds fixed; `make recovery` takes four hundred.
    So few tell coarse faults: a band too narrow by a third, an error wrong by half."""
    told = [recovered(kind, length, seed) for length in (36, 144) for seed in range(9)]
    seen = [one for one in told if one is not None]
    assert len(seen) > 14
    inside = np.concatenate([one.inside for one in seen]).mean()
    assert 0.92 <= inside <= 0.995
    real = np.sqrt(np.mean(np.concatenate([one.errors for one in seen]) ** 2))
    promised = np.sqrt(np.mean([one.promised**2 for one in seen]))
    assert 0.65 < promised / real < 1.6
    line = np.sqrt(np.mean(np.concatenate([one.by_line for one in seen]) ** 2))
    assert real < line


def test_of_too_few_readings_no_tide_is_fitted() -> None:
    """A reading each third day of a year: thirteen constituents more than its readings bear."""
    times = np.arange(110, dtype=np.int64) * 3 * 86_400_000
    level = make_series(times, np.sin(np.arange(110.0)), 3 * 86_400_000)
    keep = np.ones(110, np.bool_)
    keep[50:52] = False
    gap = Gap(int(times[50]), int(times[52]), 3 * 86_400_000)
    found = list(candidates(level.subset(keep), gap, quantity("water_level")))
    own = next(one for one in found if one.kind == "own")
    assert "too few" in own.refusal
    assert ranked(found)[0].kind == "line"
