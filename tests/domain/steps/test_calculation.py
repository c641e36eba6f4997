"""Calculated readings: which instants, which values between readings, which quality."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.series.quality import Quality, worst
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.series.timeline import HOUR_MS, MINUTE_MS
from gezeiten.domain.steps.calculation import at_instants, derive
from gezeiten.domain.steps.formulas import FORMULAS, Role

ROLE = Role("Second", "")
BAROMETER = Role("Air pressure", "kPa", (), 3 * HOUR_MS)


def series(*readings: tuple[float, float], quality: int | list[int] = Quality.GOOD) -> Series:
    """Readings (minute, value) at one minute."""
    times = np.array([round(minute * MINUTE_MS) for minute, _ in readings], np.int64)
    codes = np.broadcast_to(np.asarray(quality, np.uint8), len(readings))
    return make_series(times, np.array([value for _, value in readings]), MINUTE_MS, codes)


def at(one: Series, *minutes: float, role: Role = ROLE, averages: str = "plain") -> list[float]:
    times = np.array([round(minute * MINUTE_MS) for minute in minutes], np.int64)
    return at_instants(one, times, role, averages)[0].tolist()  # type: ignore[arg-type]


def told(values: list[float]) -> list[float | None]:
    return [None if np.isnan(value) else round(value, 9) for value in values]


def test_between_neighbours_it_is_the_straight_line_and_beyond_them_nothing() -> None:
    one = series((1, 10.0), (2, 20.0), (3.5, 50.0), (5.1, 9.0))
    wanted = [0.5, 1, 1.25, 2, 3, 3.5, 4, 5.1, 6]
    assert told(at(one, *wanted)) == [None, 10.0, 12.5, 20.0, 40.0, 50.0, None, 9.0, None]
    assert told(at(series(), 1, 2)) == [None, None]


def test_a_barometer_may_have_a_gap_of_three_hours() -> None:
    one = series((0, 100.0), (180, 103.0), (361, 100.0))
    assert told(at(one, 60, 200, role=BAROMETER)) == [101.0, None]
    assert told(at(one, 60)) == [None]


@pytest.mark.parametrize(
    ("interval_min", "apart_min", "wanted"),
    [
        (10, 180, 50.0),
        (10, 181, None),
        (120, 180, 50.0),
        (120, 181, None),
        (180, 180.02, 50.0),  # every three hours, by a clock that was put right
        (180, 270, 50.0),
        (180, 270.1, None),
        (240, 360, 50.0),
        (300, 360, 50.0),
        (300, 360.1, None),
        (600, 361, None),
    ],
)
def test_air_pressure_holds_over_one_and_a_half_of_its_intervals_up_to_six_hours(
    interval_min: int, apart_min: float, wanted: float | None
) -> None:
    """CALCULATIONS.md, Water: 3 h, or 1.5 times the interval in force, 6 h at most."""
    times = np.array([0, round(apart_min * MINUTE_MS)], np.int64)
    codes = np.zeros(2, np.uint8)
    one = make_series(times, np.array([0.0, 100.0]), interval_min * MINUTE_MS, codes)
    for key, newest in (("water_level", 3), ("level_by_temperature", 2)):
        [found] = told(at(one, apart_min / 2, role=FORMULAS[key, newest].roles[1]))
        assert found == wanted
        [before] = told(at(one, apart_min / 2, role=FORMULAS[key, newest - 1].roles[1]))
        assert before == (wanted if apart_min <= 180 else None)  # what is kept stays as it was


def test_a_direction_goes_the_short_way_round_and_a_sum_never() -> None:
    one = series((0, 350.0), (1, 30.0))
    assert told(at(one, 0.25, 0.75, averages="direction")) == [0.0, 20.0]
    assert told(at(one, 0, 0.5, averages="sum")) == [350.0, None]


def test_quality_is_the_worst_of_all() -> None:
    # the order of docs/calculations.md, not that of the numbers
    order = [
        Quality.GOOD,
        Quality.UNCHECKED,
        Quality.SUSPECT,
        Quality.POOR,
        Quality.ESTIMATE,
        Quality.MISSING,
    ]
    for i, first in enumerate(order):
        for j, second in enumerate(order):
            codes = [np.array([one], np.uint8) for one in (first, second)]
            assert worst(*codes)[0] == order[max(i, j)]
    one = series((0, 1.0), (1, 2.0), (2, 3.0), quality=[0, 2, 0])
    codes = at_instants(one, np.array([0, 30_000, 60_000, 120_000]), ROLE)[1]
    assert codes.tolist() == [Quality.GOOD, Quality.ESTIMATE, Quality.ESTIMATE, Quality.GOOD]


def test_a_dew_point_of_two_channels_by_hand() -> None:
    temps = series((0, 20.0), (1, 20.0), (2, 20.0), (3, 20.0), (4, 20.0))
    humid = series((0, 50.0), (1, 104.0), (2, 106.0), (3, 0.0))
    inputs = [(temps, "air_temperature"), (humid, "relative_humidity")]
    made = derive(FORMULAS["dew_point", 1], {}, inputs, "dew_point")
    # 9.2552 as in the test of moist air; saturated air has its temperature; 106 %, 0 % and no
    # reading have none
    assert made.times_utc_ms.tolist() == [0, MINUTE_MS]
    assert made.values.tolist() == pytest.approx([9.2552, 20.0], abs=5e-5)
    assert made.quality.tolist() == [Quality.GOOD, Quality.SUSPECT]
    assert made.values.tolist() == np.round(made.values, 4).tolist()


def test_a_level_of_two_pressures_by_hand() -> None:
    water = series((0, 121.325), (10, 101.0))
    air = series((-60, 101.425), (60, 101.225))
    formula = FORMULAS["water_level", 1]
    made = derive(
        formula,
        formula.checked({"density_kg_m3": 1000.0}),
        [(water, "water_pressure"), (air, "air_pressure")],
        "water_level",
    )
    # (121.325 - 101.325) kPa / (1000 kg/m3 x 9.80665 m/s2) = 2.03943 m; 10 min later the air has
    # 101.30833 kPa, more than there is at the sensor
    assert made.values.tolist() == pytest.approx([2.03943, -0.03144], abs=1e-5)
    assert made.quality.tolist() == [Quality.GOOD, Quality.SUSPECT]
