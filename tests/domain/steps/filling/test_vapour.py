"""Humidity by the vapour there is, against psychrolib (ASHRAE); and what that is good for."""

from __future__ import annotations

import numpy as np
import psychrolib
import pytest

from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.gaps import Gap
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.filling.candidates import Companion, candidates, ranked
from gezeiten.domain.steps.filling.vapour import at_one_vapour_pressure, at_the_vapour_of
from tests.made_records import STEP_MS

HUMIDITY = quantity("relative_humidity")


def of(values: np.ndarray) -> Series:
    return make_series(np.arange(len(values), dtype=np.int64) * STEP_MS, values, STEP_MS)


def test_humidity_of_another_places_air_agrees_with_an_independent_library() -> None:
    psychrolib.SetUnitSystem(psychrolib.SI)
    here, there, percent = np.linspace(2, 30, 15), np.linspace(25, 5, 15), np.linspace(20, 95, 15)
    series = at_the_vapour_of(of(here), of(percent), of(there))
    for i in range(15):
        pa = psychrolib.GetVapPresFromRelHum(there[i], percent[i] / 100)
        wanted = 100 * pa / psychrolib.GetSatVapPres(here[i])
        assert series.values[i] == pytest.approx(wanted, rel=4e-3)


def test_where_the_other_place_has_nothing_there_is_nothing() -> None:
    here, there = of(np.full(40, 20.0)), of(np.full(10, 10.0))
    assert len(at_the_vapour_of(here, there, there)) == 10


def test_a_day_of_humidity_follows_the_temperature_that_was_measured() -> None:
    """Vapour that wanders slowly, a temperature with a strong day that differs from day to day:
    the error falls to a tenth of the line's and less than half of the own cycles'."""
    rng = np.random.default_rng(8)
    n = 30 * 144
    day = 2 * np.pi * np.arange(n) / 144
    size = np.repeat(rng.uniform(2, 9, n // 144), 144)
    temp = 14 + size * np.cos(day) + rng.normal(0, 0.05, n)
    vapour = 8 + np.cumsum(rng.normal(0, 0.01, n))
    percent = 100 * vapour / (6.112 * np.exp(17.62 * temp / (243.12 + temp)))
    first, length = 2_000, 144
    keep = np.ones(n, np.bool_)
    keep[first : first + length] = False
    whole = of(np.round(percent, 1))
    gap = Gap(int(whole.times_utc_ms[first]), int(whole.times_utc_ms[first + length]), STEP_MS)
    helped = [Companion("temperature", at_one_vapour_pressure(of(temp)), HUMIDITY)]
    found = list(candidates(whole.subset(keep), gap, HUMIDITY, helped))
    rmse = {one.kind: one.rmse for one in found}
    best = ranked(found)[0]
    assert best.kind.startswith("companion")
    assert best.rmse < 0.1 * rmse["line"]
    assert best.rmse < 0.5 * rmse["own"]
    off = best.fill.values - percent[first : first + length]
    assert np.sqrt(np.mean(off**2)) < 2 * best.rmse
