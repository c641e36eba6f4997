"""Coverage by day, month and year, worked by hand, also over a change of the clock."""

from __future__ import annotations

from datetime import UTC, date, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import make_series
from gezeiten.domain.series.statistics.calendar import (
    CoveredTime,
    covered_days,
    months,
    total,
    years,
)
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, to_ms


def test_a_gap_an_estimate_and_the_day_of_25_hours() -> None:
    """Hourly from 24 October 2026, 00:00 in Berlin to the end of the 26th; 12:00 to 17:00 missing
    on the 24th; 00:00 to 03:00 estimated on the 26th. The 25th has 25 hours."""
    begin = to_ms(datetime(2026, 10, 23, 22, tzinfo=UTC))
    hours = np.arange(73)
    codes = np.full(73, Quality.GOOD, np.uint8)
    codes[49:52] = Quality.ESTIMATE
    codes[60] = Quality.SUSPECT
    keep = (hours < 12) | (hours >= 18)
    series = make_series(begin + hours[keep] * HOUR_MS, np.ones(67), HOUR_MS, codes[keep])
    found = dict(covered_days(series, (begin, begin + 73 * HOUR_MS), "Europe/Berlin"))
    assert list(found) == [date(2026, 10, day) for day in (24, 25, 26)]
    first, second, third = found.values()
    # the reading of 11:00 holds for an hour and a half
    assert (first.length_ms, first.covered_ms) == (24 * HOUR_MS, 18 * HOUR_MS + HOUR_MS // 2)
    assert (second.length_ms, second.share) == (25 * HOUR_MS, 1.0)
    assert (third.share, third.estimated_ms, third.suspect_ms) == (1.0, 3 * HOUR_MS, HOUR_MS)
    [(month, one)] = months(found.items())
    assert month == date(2026, 10, 1)
    assert one == total(found.values())
    assert one.share == pytest.approx((73 - 5.5) / 73)
    assert years(found.items()) == [(date(2026, 1, 1), one)]


def test_where_nothing_was_due_nothing_lacks() -> None:
    assert CoveredTime(0, 0, 0).share == 1.0
    assert total([]) == CoveredTime(0, 0, 0)


@given(st.lists(st.booleans(), min_size=5, max_size=200), st.integers(0, 86_399))
def test_days_together_are_what_all_of_it_is(there: list[bool], offset_s: int) -> None:
    keep = np.array(there)
    if not keep.any():
        return
    times = offset_s * 1000 + np.arange(len(there), dtype=np.int64) * HOUR_MS
    series = make_series(times[keep], np.ones(keep.sum()), HOUR_MS)
    due = (int(times[0]), int(times[0]) + 9 * DAY_MS)
    days = list(covered_days(series, due, "Europe/Berlin"))
    covered_time = total(one for _, one in days)
    held = np.zeros(9 * 24 * 2, np.bool_)  # half hours
    for i in np.flatnonzero(keep).tolist():
        following = next((j for j in range(i + 1, len(there)) if keep[j]), None)
        until = i + 1 if following is None else min(following, i + 1.5)
        held[2 * i : round(2 * until)] = True
    assert covered_time.length_ms == 9 * DAY_MS
    assert covered_time.covered_ms == held.sum() * HOUR_MS // 2
