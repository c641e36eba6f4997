"""Formulas: what they take, what can be set, and what they give."""

from __future__ import annotations

import numpy as np
import pytest

from gezeiten.domain.quantities.quantities import QUANTITIES, quantity
from gezeiten.domain.steps.formulas import FORMULAS, NEWEST, Formula


def give(formula: str, *inputs: float) -> float:
    values = tuple(np.array([value]) for value in inputs)
    return float(FORMULAS[formula, 1].apply(values, {})[0][0])


@pytest.mark.parametrize(
    ("formula", "temp_c", "percent", "wanted"),
    [
        # WMO-No. 8, Annex 4.B, by a calculator: e_w(20) = 6.112 exp(352.4 / 263.12) = 23.3254 hPa
        ("absolute_humidity", 20.0, 50.0, 216.7 * 11.6627 / 293.15),
        ("vapour_deficit", 20.0, 50.0, 1.16627),
        # e = 0.5 x 6.112 exp(-176.2 / 233.12) = 1.4352 hPa; y = ln(1.4352 / 6.112) = -1.44897
        ("frost_point", -10.0, 50.0, 272.62 * -1.44897 / (22.46 + 1.44897)),
    ],
)
def test_moist_air_by_hand(formula: str, temp_c: float, percent: float, wanted: float) -> None:
    assert give(formula, temp_c, percent) == pytest.approx(wanted, rel=2e-4)


def test_there_is_no_frost_above_zero_and_nothing_beyond_the_range_of_the_source() -> None:
    assert np.isnan(give("frost_point", 20.0, 50.0))
    assert np.isnan(give("dew_point", 61.0, 50.0))
    assert np.isnan(give("dew_point", -46.0, 50.0))


@pytest.mark.parametrize("formula", NEWEST, ids=lambda one: one.key)
def test_what_comes_out_is_a_quantity_that_is_known(formula: Formula) -> None:
    for unit, channel in formula.gives.items():
        assert channel in QUANTITIES
        assert any(one.unit == unit and formula.roles[0].takes(one) for one in QUANTITIES.values())
    assert formula.checked({}) == {one.key: one.usual for one in formula.parameters}


def test_what_cannot_be_calculated_says_why() -> None:
    dew, difference = FORMULAS["dew_point", 1], FORMULAS["difference", 1]
    air, humid = quantity("air_temperature"), quantity("relative_humidity")
    assert dew.problem((air, humid)) == ""
    assert dew.problem((quantity("probe_temperature"), humid)) == ""
    assert dew.problem((humid, air)) == "Relative humidity cannot be its temperature"
    assert dew.problem((air,)) == "it takes 2 series"
    assert difference.problem((air, air)) == ""
    assert difference.problem((air, humid)) == "both have to be of one unit"
    assert "nothing is known" in difference.problem((humid, humid))


def test_parameters_stay_in_their_range() -> None:
    level = FORMULAS["water_level", 1]
    assert level.checked({"density_kg_m3": 1025.0})["density_kg_m3"] == 1025.0
    with pytest.raises(ValueError, match="between 900 and 1100"):
        level.checked({"density_kg_m3": 1.025})
    with pytest.raises(ValueError, match="cannot be set"):
        level.checked({"salt": 1.0})
