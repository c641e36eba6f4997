"""How a sensor hangs, and heights by it, worked by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gezeiten.domain.series.quality import Quality
from gezeiten.domain.series.series import make_series
from gezeiten.domain.steps.calculated_series import CalculatedSeries
from gezeiten.domain.steps.calculation import derive
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.domain.steps.sensor_depth import SensorDepth, at_each, depth_at, stayed_m

CUT = (SensorDepth(1_000, 3.20, 8.40), SensorDepth(3_000, 3.08, 8.40))
"""The pipe was cut by 12 cm and the sensor came down with it."""


def test_of_two_histories_each_holds_from_its_instant_on() -> None:
    found = at_each(CUT, np.array([999, 1_000, 2_999, 3_000, 9_000]))
    assert np.isnan(found["rim_m"]).tolist() == [True, False, False, False, False]
    assert found["rim_m"][1:].tolist() == [3.20, 3.20, 3.08, 3.08]
    assert depth_at(CUT, 999) is None
    assert depth_at(CUT, 3_000) == CUT[1]
    assert stayed_m(CUT[0], 3.08) == pytest.approx(8.28)
    assert CUT[0].sensor_m == pytest.approx(-5.20)


@pytest.mark.parametrize(
    ("formula", "channel", "wanted"),
    [
        ("water_height", "water_height", [1.3, 1.3, 1.18]),
        ("depth_to_water", "depth_to_water", [1.9, 1.9, 1.9]),
    ],
)
def test_heights_follow_how_the_sensor_hung_then(
    formula: str, channel: str, wanted: list[float]
) -> None:
    """6.50 m above the sensor all the time: H = 3.20 - 8.40 + 6.50; after the cut 12 cm less."""
    times = np.array([500, 1_500, 2_500, 3_500], np.int64)
    level = make_series(times, np.full(4, 6.5), 1_000)
    series = derive(FORMULAS[formula, 1], {}, [(level, "water_level")], channel, CUT)
    assert series.times_utc_ms.tolist() == [1_500, 2_500, 3_500]  # before that nobody said
    assert series.values.tolist() == pytest.approx(wanted)


def test_a_level_above_the_rim_is_doubted() -> None:
    level = make_series(np.array([1_500, 2_000], np.int64), np.array([8.5, 8.3]), 500)
    series = derive(FORMULAS["water_height", 1], {}, [(level, "water_level")], "water_height", CUT)
    assert series.quality.tolist() == [Quality.SUSPECT, Quality.GOOD]
    depth = derive(
        FORMULAS["depth_to_water", 1], {}, [(level, "water_level")], "depth_to_water", CUT
    )
    assert depth.quality.tolist() == [Quality.SUSPECT, Quality.GOOD]


def test_a_formula_is_told_how_it_hung_at_an_instant() -> None:
    calculated = CalculatedSeries(
        "u", "p", "water_height@=", "water_height", 1, {}, (("p", "water_level"),), CUT
    )
    assert calculated.numbers_at(2_000) == {"rim_m": 3.20, "length_m": 8.40}
    assert math.isnan(calculated.numbers_at(0)["rim_m"])
