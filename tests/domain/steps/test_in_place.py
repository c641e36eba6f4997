"""When a sensor was in its place, by made-up carrying, hands and water."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.timeline import HOUR_MS
from gezeiten.domain.steps.corrections.out_of_place import span_after_removal, span_before_in_place

MINUTE = 60_000


def tide_kpa(before: int, hours: int = 96, after: int = 0) -> Series:
    """A pressure sensor in air for some ten minutes, in tidal water, and in air again."""
    rng = np.random.default_rng(3)
    water = 115 + 9 * np.cos(np.arange(hours * 6) * 2 * np.pi / 74.5)
    air = [np.full(n, 101.3) for n in (before, after)]
    values = np.concatenate([air[0], water, air[1]])
    values = values + rng.normal(0, 0.01, len(values))
    return make_series(np.arange(len(values), dtype=np.int64) * 10 * MINUTE, values, 10 * MINUTE)


@pytest.mark.parametrize("many", [1, 7, 40])
def test_in_air_before_and_after_the_water(many: int) -> None:
    begin = span_before_in_place(tide_kpa(many))
    assert begin == (0, many * 10 * MINUTE)
    series = tide_kpa(0, after=many)
    last = int(series.times_utc_ms[-1])
    assert span_after_removal(series) == (last - (many - 1) * 10 * MINUTE, last + 1)


def test_a_probe_from_a_warm_hand_is_in_its_place_once_it_stays_cool() -> None:
    """31 °C, cooling to 4 with a quarter of an hour: within 0.3 K after 68 minutes."""
    rng = np.random.default_rng(5)
    minutes = np.arange(80 * 60)
    values = 4 + 27 * np.exp(-minutes / 15) + 0.3 * np.sin(minutes / 20)
    values = values + rng.normal(0, 0.02, len(values))
    series = make_series(minutes.astype(np.int64) * MINUTE, values, MINUTE)
    found = span_before_in_place(series)
    assert found is not None
    assert 50 * MINUTE <= found[1] <= 90 * MINUTE
    assert span_after_removal(series) is None


def test_nothing_is_proposed_where_nothing_shows() -> None:
    assert span_before_in_place(tide_kpa(0)) is None
    assert span_after_removal(tide_kpa(0)) is None
    assert (
        span_before_in_place(tide_kpa(300)) is None
    )  # not in its place for longer than is looked at
    assert span_before_in_place(tide_kpa(3, hours=5)) is None  # too little to compare with
    assert span_before_in_place(make_series(np.zeros(0, np.int64), np.zeros(0), 1)) is None


def test_an_excursion_later_on_is_none_of_its_business() -> None:
    series = tide_kpa(2)
    values = series.values.copy()
    values[20:25] = 60.0  # three hours later somebody lifts it
    found = span_before_in_place(make_series(series.times_utc_ms, values, 10 * MINUTE))
    assert found == (0, 20 * MINUTE)
    assert found[1] < HOUR_MS
