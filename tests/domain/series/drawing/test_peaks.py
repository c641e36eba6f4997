"""A long series thinned to its extremes keeps them, and its gaps."""

from __future__ import annotations

import numpy as np

from gezeiten.domain.series.drawing.peaks import thinned
from gezeiten.domain.series.gaps import find_gaps
from gezeiten.domain.series.series import make_series


def test_a_thinned_series_has_the_gaps_that_it_had() -> None:
    times = np.arange(50_000, dtype=np.int64) * 1_000
    keep = np.ones(50_000, np.bool_)
    keep[10_000:10_005] = keep[30_000:35_000] = False
    series = make_series(times[keep], np.sin(times[keep] / 7e5), 1_000)
    made = thinned(series, 600)
    assert 550 < len(made) <= 600
    [short, long] = find_gaps(made)
    assert short.start_ms <= 10_000_000 < short.end_ms
    assert long.start_ms <= 30_000_000
    assert long.end_ms >= 35_000_000
    assert made.values.max() == series.values.max()


def test_a_short_series_stays_what_it_is() -> None:
    series = make_series(np.arange(9, dtype=np.int64), np.arange(9.0), 1)
    assert thinned(series, 9) is series
