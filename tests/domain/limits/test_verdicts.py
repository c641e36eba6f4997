"""Verdicts of days, by hand: a limit in force through all its hours, three quarters of them
covered, and outside by a single reading."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
import pytest

from gezeiten.domain.limits.limits import InForce, LimitRule, constant_limits
from gezeiten.domain.limits.verdicts import DayVerdict, KnownUntil, day_verdicts, reasons_of
from gezeiten.domain.limits.windows import WORKING_HOURS
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.statistics.moving import moving_mean
from gezeiten.domain.series.timeline import DAY_MS, EVER_MS, HOUR_MS, to_ms

START = to_ms(datetime(2026, 11, 16, tzinfo=UTC))  # a Monday
SPAN = (START, START + 3 * DAY_MS)
HOT = LimitRule("air_temperature", "above", 20.0)
TEN_MIN = 600_000
LATER = KnownUntil(EVER_MS)


def readings(**change: float) -> Series:
    """Three days of 15 °C every ten minutes; change: values by their number ("n_30")."""
    values = np.full(3 * 144, 15.0)
    for name, value in change.items():
        values[int(name.removeprefix("n_"))] = value
    known = np.isfinite(values)
    times = START + np.arange(3 * 144, dtype=np.int64) * TEN_MIN
    return make_series(times[known], values[known], TEN_MIN)


def told(
    series: Series, limits: tuple[InForce, ...], until: KnownUntil = LATER, **more: object
) -> list:
    found = day_verdicts(series, limits, SPAN, "UTC", until, **more)
    return [(day_verdict.verdict, day_verdict.reason) for day_verdict in found]


INSIDE, OUTSIDE = ("inside", ""), ("outside", "")


def test_quiet_days_are_inside_and_one_reading_makes_one_outside() -> None:
    assert told(readings(), constant_limits((HOT,))) == [INSIDE] * 3
    assert told(readings(n_200=20.1), constant_limits((HOT,))) == [INSIDE, OUTSIDE, INSIDE]
    assert told(readings(n_200=20.0), constant_limits((HOT,))) == [INSIDE] * 3  # equal is inside
    assert (
        told(readings(n_143=25.0), constant_limits((HOT,)))[1] == INSIDE
    )  # held to midnight, no longer


def test_without_a_limit_or_with_one_for_a_part_of_the_day_nothing_is_said() -> None:
    half = InForce((HOT,), START + DAY_MS + 12 * HOUR_MS, EVER_MS)
    assert told(readings(), ()) == [("not judged", "no limit was in force")] * 3
    assert told(readings(), (half,)) == [
        ("not judged", "no limit was in force"),
        ("not judged", "a limit was in force for a part of the day only"),
        INSIDE,
    ]
    in_turn = (InForce((HOT,), START, half.start_ms), half)  # the same limit, in two missions
    assert told(readings(), in_turn) == [INSIDE] * 3


@pytest.mark.parametrize(
    ("missing", "wanted"),
    [
        (36, INSIDE),
        (37, ("not judged", "under 75 % of the time covered")),
        (144, ("not judged", "no readings")),
    ],
)
def test_three_quarters_of_the_day_have_to_be_covered(
    missing: int, wanted: tuple[str, str]
) -> None:
    """108 readings of ten minutes are 18 h; the reading before the gap is held for 15 min, five
    minutes more."""
    first = 144 + (0 if missing == 144 else 60)
    gone = {f"n_{i}": np.nan for i in range(first, first + missing)}
    assert told(readings(**gone), constant_limits((HOT,)))[1] == wanted


def test_outside_needs_no_coverage() -> None:
    gone = {f"n_{i}": np.nan for i in range(144, 280)}
    assert told(readings(**gone, n_285=21.0), constant_limits((HOT,)))[1] == OUTSIDE


def test_what_waits_on_a_logger_and_what_is_not_over() -> None:
    short = readings().between(START, START + DAY_MS)
    pending = KnownUntil(EVER_MS, pending_ms=START + DAY_MS)
    assert (
        told(short, constant_limits((HOT,)), pending)[1:]
        == [("not judged", "not offloaded yet")] * 2
    )
    at_noon = KnownUntil(START + 2 * DAY_MS + 12 * HOUR_MS)
    assert told(readings(), constant_limits((HOT,)), at_noon)[2] == (
        "not judged",
        "the day is not over",
    )


def test_a_window_asks_for_its_own_hours_alone() -> None:
    """Monday to Friday from eight to five: nothing at night counts, nothing on a Saturday."""
    rule = LimitRule("air_temperature", "above", 20.0, window=WORKING_HOURS)
    night = {f"n_{i}": np.nan for i in range(144, 144 + 48)}
    assert told(readings(n_20=25.0, **night), constant_limits((rule,))) == [INSIDE] * 3
    assert told(readings(n_60=25.0), constant_limits((rule,)))[0] == OUTSIDE
    saturday = (START + 5 * DAY_MS, START + 6 * DAY_MS)
    [free] = day_verdicts(readings(), constant_limits((rule,)), saturday, "UTC", LATER)
    assert (free.verdict, free.reason) == ("not judged", "no limit was in force")


def test_all_limits_have_to_hold_and_one_of_means_is_judged_by_means() -> None:
    """An hour at 40 °C moves the mean of six hours by 4.2 K: over 18, no single reading counts."""
    mean = LimitRule("air_temperature", "above", 18.0, mean_s=6 * 3600)
    hot = readings(**{f"n_{i}": 40.0 for i in range(200, 206)})
    means = {6 * 3600: moving_mean(hot, 6 * HOUR_MS)}
    assert told(hot, constant_limits((mean,)), means=means) == [INSIDE, OUTSIDE, INSIDE]
    cold = LimitRule("air_temperature", "below", 10.0)
    part = (*constant_limits((HOT,)), InForce((cold,), START + DAY_MS, EVER_MS))
    assert told(readings(), part)[0] == ("not judged", "no limit was in force")


def test_reasons_are_counted_the_most_frequent_first() -> None:
    days = [
        DayVerdict(datetime(2026, 1, i).date(), "not judged", reason)
        for i, reason in enumerate(("no readings", "no limit was in force", "no readings"), 1)
    ]
    assert reasons_of(days) == [("no readings", 2), ("no limit was in force", 1)]
