"""The readings of a fill as bytes, and back."""

from __future__ import annotations

import numpy as np

from gezeiten.archive.store.packing import decode_values, encode_values
from gezeiten.archive.store.tables import Step
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import Series, join_series, make_series


def encode_estimates(series: Series) -> bytes:
    """Return the readings of a fill as bytes for `Step.data`."""
    return encode_values(np.concatenate((series.times_utc_ms.astype(np.float64), series.values)))


def estimated_series(step: Step) -> Series:
    """Return the readings of a fill; instants are exact as float64 (below 2**53)."""
    if step.data is None:
        return join_series([])
    count = int(step.facts["readings"])
    both = decode_values(step.data, 2 * count)
    times = both[:count].astype(np.int64)
    return make_series(times, both[count:].copy(), step.interval_ms, Quality.ESTIMATE)
