"""Check readings against records by hand, and against NumPy's polynomial fit."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gezeiten.domain.series.series import make_series
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from gezeiten.domain.steps.checks.comparing import CheckComparison, compared
from gezeiten.domain.steps.checks.plausibility import ExpectedReading, doubt, limit_of
from gezeiten.domain.steps.checks.reading import (
    CheckReading,
    checked,
    dip_of_value,
    dip_uncertainty_m,
    value_of_dip,
)
from gezeiten.domain.steps.checks.reference_fit import added, fit
from gezeiten.domain.steps.checks.schedule import schedule_days
from gezeiten.errors import InputError

MINUTE = 60_000


def read(at_ms: int, value: float, u: float = 0.1, **more: object) -> CheckReading:
    facts = {"low": None, "high": None, "dip_m": None, "rim_m": None, **more}
    return CheckReading(
        "x",
        "p",
        "air_temperature",
        at_ms,
        value,
        u,
        by="ah",
        remark="",
        stated_ms=0,
        stated_by="ah",
        **facts,
    )  # type: ignore[arg-type]


def seen(days: list[float], differences: list[float], u: list[float]) -> list[CheckComparison]:
    return [
        CheckComparison(read(round(day * DAY_MS), 0), 0.0, off, sure)
        for day, off, sure in zip(days, differences, u, strict=True)
    ]


def test_a_check_between_two_readings_is_held_against_what_lies_between() -> None:
    """By hand: 10 and 12 °C ten minutes apart, read 11.5 after five: 11 stood there. It rises by
    2/600 °C a second; half a minute either way, noted to the minute: 60/√12 s, twice."""
    series = make_series(np.array([0, 10 * MINUTE]), np.array([10.0, 12.0]), 10 * MINUTE)
    [one] = compared([read(5 * MINUTE, 11.5)], series)
    assert (one.recorded, one.difference) == (11.0, 0.5)
    assert one.u == pytest.approx(math.hypot(0.1, 2 * 2 / 600 * 60 / math.sqrt(12)))


def test_in_a_gap_nothing_is_compared() -> None:
    series = make_series(np.array([0, 16 * MINUTE]), np.array([10.0, 12.0]), 10 * MINUTE)
    [one] = compared([read(8 * MINUTE, 11.5)], series)
    assert math.isnan(one.recorded)
    assert fit("offset", [one]) is None


def test_a_direction_differs_the_short_way_round() -> None:
    series = make_series(np.array([0, MINUTE]), np.array([350.0, 350.0]), MINUTE)
    check = replace(read(0, 10.0), series="wind_direction")
    assert compared([check], series)[0].difference == pytest.approx(20.0)


def test_lowest_and_highest_are_those_since_the_look_before() -> None:
    values = np.array([5.0, 3.0, 4.0, 9.0, 6.0])
    series = make_series(np.arange(5) * HOUR_MS, values, HOUR_MS)
    looks = [read(HOUR_MS, 3.2, low=2.9, high=5.1), read(4 * HOUR_MS, 6.1, low=3.5, high=9.2)]
    first, second = compared(looks, series)
    assert (first.low, first.high) == (None, None)  # since when is not known
    assert second.low == pytest.approx(0.5)  # 3.0 at the look before counts
    assert second.high == pytest.approx(0.2)


@pytest.mark.parametrize("channel", ["water_level", "depth_to_water"])
def test_a_dip_and_the_value_it_stands_for(channel: str) -> None:
    """By hand: 1.97 m below a rim at 3.20 m the water stands at 1.23 m."""
    value = value_of_dip(channel, 1.97, 3.20)
    assert value == pytest.approx({"water_level": 1.23, "depth_to_water": 1.97}[channel])
    assert dip_of_value(channel, value, 3.20) == pytest.approx(1.97)


def test_a_tape_is_sure_to_three_millimetres_and_a_tenth_a_metre() -> None:
    assert dip_uncertainty_m(10.0) == pytest.approx(2 * (0.003 + 0.0001 * 10))


# -- tied ------------------------------------------------------------------------------------------
def test_one_check_gives_its_offset_and_several_their_mean() -> None:
    one = fit("offset", seen([1], [0.4], [0.2]))
    assert one is not None
    assert one.knots == ((DAY_MS, pytest.approx(0.4)),)
    assert one.u == pytest.approx(0.2)
    assert math.isnan(one.left_out[0])
    two = fit("offset", seen([1, 3], [0.4, 0.6], [0.2, 0.2]))
    assert two is not None
    assert two.knots[0][1] == pytest.approx(0.5)
    assert two.left_out == pytest.approx((-0.2, 0.2))


def test_a_surer_check_weighs_more() -> None:
    """By hand: weights 1/0.1² and 1/0.2² are 4 to 1."""
    made = fit("offset", seen([1, 2], [0.0, 1.0], [0.1, 0.2]))
    assert made is not None
    assert made.knots[0][1] == pytest.approx(0.2)


def test_a_line_is_that_of_another_library() -> None:
    rng = np.random.default_rng(4)
    days = np.sort(rng.uniform(0, 60, 9))
    u = rng.uniform(0.01, 0.05, 9)
    off = 1.2 + 0.004 * days + rng.normal(0, 0.2, 9)
    made = fit("line", seen(days.tolist(), off.tolist(), u.tolist()))
    assert made is not None
    days = np.round(days * DAY_MS) / DAY_MS
    (slope, begin), cov = np.polyfit(days, off, 1, w=1 / u, cov=True)
    at = np.array([made.knots[0][0], made.knots[-1][0]]) / DAY_MS
    assert [value for _, value in made.knots] == pytest.approx(begin + slope * at)
    assert made.slope_a_day == pytest.approx(slope)
    assert made.u_slope == pytest.approx(2 * math.sqrt(cov[0, 0]))  # by how they scatter
    for i, rest in enumerate(made.left_out):
        others = np.arange(9) != i
        its = np.polyfit(days[others], off[others], 1, w=1 / u[others])
        ends = np.clip(days[i], days[others].min(), days[others].max())
        assert rest == pytest.approx(off[i] - np.polyval(its, ends))


def test_a_drift_within_what_checks_are_sure_of_is_chance() -> None:
    calm = fit("line", seen([0, 10, 20], [0.0, 0.02, 0.01], [0.1, 0.1, 0.1]))
    clear = fit("line", seen([0, 10, 20], [0.0, 0.5, 1.0], [0.1, 0.1, 0.1]))
    assert calm is not None
    assert clear is not None
    assert not calm.drifts
    assert clear.drifts
    assert fit("line", seen([0, 10], [0.0, 0.5], [0.1, 0.1])) is None


def test_through_every_check_it_says_what_they_say_and_stands_beyond() -> None:
    made = fit("each", seen([1, 2, 4], [0.1, 0.3, 0.2], [0.1] * 3))
    assert made is not None
    times = np.array([0, 1, 1.5, 2, 3, 4, 9]) * DAY_MS
    assert added(made.knots, times.astype(np.int64)) == pytest.approx(
        [0.1, 0.1, 0.2, 0.3, 0.25, 0.2, 0.2]
    )
    assert made.left_out == pytest.approx((-0.2, 0.3 - 0.4 / 3, -0.1))


# -- doubted ---------------------------------------------------------------------------------------
EXPECTED = ExpectedReading(1.97, 0.05)


@pytest.mark.parametrize(
    ("typed", "unit", "wanted"),
    [
        (1.99, "m", None),
        (-1.98, "m", ("sign", "")),
        (197.0, "m", ("cm", "")),
        (1975.0, "m", ("mm", "")),
        (6.46, "m", ("ft", "")),
        (19.7, "m", ("tenfold", "")),
        (0.197, "m", ("tenth", "")),
        (2.61, "m", ("other point", "K 2")),
        (2.3, "m", ("no reason", "")),
        (float("nan"), "m", None),
        (197.0, "%", ("no reason", "")),
        (35.5, "°C", ("°F", "")),
    ],
)
def test_what_cannot_well_be_is_asked_about(
    typed: float, unit: str, wanted: tuple[str, str] | None
) -> None:
    assert (
        doubt(
            typed,
            EXPECTED,
            unit,
            [("K 1", ExpectedReading(9.0, 1.0)), ("K 2", ExpectedReading(2.6, 0.05))],
        )
        == wanted
    )


def test_the_limit_follows_how_checks_scattered() -> None:
    assert limit_of("m", 0.007, []) == 0.05
    scattered = limit_of("m", 0.0, [0.1, -0.1, 0.2, -0.2, 0.0])  # their median is 0, of sizes 0.1
    assert scattered == pytest.approx(3 * 1.4826 * 0.1)


def test_what_cannot_be_at_all_is_refused() -> None:
    assert checked(read(0, 3.0)).value == 3.0
    for wrong in (
        read(0, math.nan),
        read(0, math.inf),
        read(0, 3.0, -1.0),
        read(0, 5000.0),
        read(0, 3.0, low=9.0, high=2.0),
        replace(read(0, 3.0), by=" "),
    ):
        with pytest.raises(InputError):
            checked(wrong)


# -- duty ------------------------------------------------------------------------------------------
def test_a_duty_of_two_looks_on_working_days() -> None:
    """Friday 27 to Tuesday 31 March 2026 in Berlin; the clocks change on Sunday. Two values of one
    look are one; the look at 00:30 on Monday is Sunday's in UTC."""
    friday = 1_774_566_000_000  # 2026-03-27T00:00 in Berlin, UTC+1
    looks = [friday + 8 * HOUR_MS, friday + 8 * HOUR_MS, friday + 16 * HOUR_MS]
    monday = friday + 71 * HOUR_MS
    looks += [monday + HOUR_MS // 2]
    days = schedule_days(
        looks, (friday, monday + 47 * HOUR_MS), "Europe/Berlin", 2, working_days=True
    )
    told = [(duty_day.day.isoformat(), duty_day.readings, duty_day.is_met) for duty_day in days]
    assert told == [("2026-03-27", 2, True), ("2026-03-30", 1, False)]  # Tuesday is not over
