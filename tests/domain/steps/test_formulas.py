"""Formulas: what they take, what can be set, and what they give."""

from __future__ import annotations

import numpy as np
import psychrolib
import pytest

from gezeiten.domain.quantities.moist_air import dew_point_c, mixing_ratio_g_kg
from gezeiten.domain.quantities.quantities import QUANTITIES, quantity
from gezeiten.domain.series.series import Series
from gezeiten.domain.steps.calculation import derive
from gezeiten.domain.steps.formulas import FORMULAS, NEWEST, Formula
from tests.conftest import series_of


def give(formula: str, *inputs: float, version: int = 1, **said: float) -> float:
    values = tuple(np.array([value]) for value in inputs)
    its = FORMULAS[formula, version]
    return float(its.apply(values, its.checked(said))[0][0])


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


@pytest.mark.parametrize(
    "formula", [one for one in NEWEST if not one.is_of_any], ids=lambda one: one.key
)
def test_what_comes_out_is_a_quantity_that_is_known(formula: Formula) -> None:
    for unit, channel in formula.results.items():
        assert channel in QUANTITIES
        assert any(
            one.unit == unit and formula.roles[0].accepts(one) for one in QUANTITIES.values()
        )
    assert any(
        formula.starts_from(key) for key in QUANTITIES if formula.roles[0].accepts(quantity(key))
    )
    assert formula.checked({}) == {
        parameter.key: parameter.usual for parameter in formula.parameters
    }


def test_what_cannot_be_calculated_says_why() -> None:
    dew, difference = FORMULAS["dew_point", 1], FORMULAS["difference", 1]
    air, humid = quantity("air_temperature"), quantity("relative_humidity")
    assert dew.problem((air, humid)) == ""
    assert dew.problem((quantity("probe_temperature"), humid)) == ""
    assert dew.problem((humid, air)) == "Relative humidity cannot be its temperature"
    assert dew.problem((air,)) == "it needs 2 series"
    assert difference.problem((air, air)) == ""
    assert difference.problem((air, humid)) == "both must have the same unit"
    assert "it gives no known quantity from %" in difference.problem((humid, humid))


def test_parameters_stay_in_their_range() -> None:
    level = FORMULAS["water_level", 1]
    assert level.checked({"density_kg_m3": 1025.0})["density_kg_m3"] == 1025.0
    with pytest.raises(ValueError, match="between 900 and 1100"):
        level.checked({"density_kg_m3": 1.025})
    with pytest.raises(ValueError, match="cannot be set"):
        level.checked({"salt": 1.0})


def test_moist_air_beside_an_independent_library_above_zero() -> None:
    """psychrolib (ASHRAE 2017) has other formulas of the vapour pressure: within a tenth of a
    kelvin and half a percent."""
    psychrolib.SetUnitSystem(psychrolib.SI)
    for temp_c in (1.0, 12.0, 25.0, 40.0):
        for percent in (15.0, 50.0, 95.0):
            dew = psychrolib.GetTDewPointFromRelHum(temp_c, percent / 100)
            if dew > 0:
                assert float(dew_point_c(temp_c, percent)) == pytest.approx(dew, abs=0.1)
            ratio = psychrolib.GetHumRatioFromRelHum(temp_c, percent / 100, 101_325) * 1000
            found = float(mixing_ratio_g_kg(temp_c, percent, np.array(1013.25)))
            assert found == pytest.approx(ratio, rel=0.005)


def test_a_barometer_on_the_hill_by_hand() -> None:
    """100 m above the water at 15 °C: 98 kPa x exp(9.80665 x 100 / (287.05 x 288.15)) = 99.16883;
    (119.16883 - 99.16883) kPa of water of 1000 kg/m³ are 2.03943 m."""
    found = give(
        "water_level", 119.16883, 98.0, version=2, density_kg_m3=1000.0, barometer_above_m=100.0
    )
    assert found == pytest.approx(2.03943, abs=2e-5)
    as_before = give("water_level", 120.0, 100.0, version=2)
    assert as_before == give("water_level", 120.0, 100.0)


def test_a_vented_sensor_wants_no_barometer_by_hand() -> None:
    """20 kPa above the air in water of 999.1 kg/m³: 20,000 / (999.1 x 9.80665) m."""
    assert give("level_vented", 20.0) == pytest.approx(2.04127, abs=1e-5)
    assert give("level_vented", 20.0, density_kg_m3=1025.0) == pytest.approx(1.98969, abs=1e-5)


def test_density_by_temperature_and_salt_by_hand() -> None:
    """Tanaka: 998.2067 kg/m³ at 20 °C; EOS-80: 1023.343 at 25 °C (t68) and salinity 35."""
    fresh = give("level_by_temperature", 120.0, 100.0, 20.0)
    assert fresh == pytest.approx(20_000 / (998.2067 * 9.80665), rel=1e-6)
    salt = give("level_by_temperature", 120.0, 100.0, 25 / 1.00024, salinity=35.0)
    assert salt == pytest.approx(20_000 / (1023.34306 * 9.80665), rel=1e-6)


def test_mass_from_counts_by_hand() -> None:
    """A million spheres of 0.88 µm a cubic metre: pi/6 x 0.681472 µm³ x 1.65 g/cm³ = 0.5887 pg
    each, so 0.5887 µg/m³; at 80 % they appear 1 + 0.25 x 0.64 / 0.2 = 1.8 times as heavy."""
    dry = give("pm25_of_two_counts", 1.5e6, 0.5e6, 0.0)
    assert dry == pytest.approx(0.58876, rel=1e-4)
    assert give("pm25_of_two_counts", 1.5e6, 0.5e6, 80.0) == pytest.approx(dry / 1.8)
    assert np.isnan(give("pm25_of_two_counts", 1.5e6, 0.5e6, 99.5))
    classes = give("pm25_of_four_counts", 5e6, 2e6, 1e6, 0.0, 0.0)
    by_hand = np.pi / 6 * 1.65e-6 * (3e6 * 0.387**3 + 1e6 * 0.707**3 + 1e6 * 1.581**3)
    assert classes == pytest.approx(by_hand)


def over(formula: str, series: Series, window_h: float) -> Series:
    its = FORMULAS[formula, 1]
    return derive(
        its,
        its.checked({"window_h": window_h}),
        [(series, "air_temperature")],
        its.result("air_temperature"),
    )


def test_a_kinetic_mean_is_above_the_mean_as_by_the_formula() -> None:
    """12 h at 20 °C and 12 h at 30 °C, USP <1079.2>: T = 10000 / -ln(mean of exp(-10000/T)), which
    is 26.216 °C; the plain mean is 25."""
    hourly = series_of([60 * h for h in range(25)], [20.0] * 12 + [30.0] * 13, interval_min=60)
    kinetic, plain = over("kinetic_mean", hourly, 24), over("running_mean", hourly, 24)
    kelvin = 10_000 / -np.log((np.exp(-10_000 / 293.15) + np.exp(-10_000 / 303.15)) / 2)
    assert kinetic.values[-1] == pytest.approx(kelvin - 273.15, abs=1e-4)
    assert plain.values[-1] == 25.0


def test_a_sum_is_of_what_is_summed_and_a_rate_has_a_quantity_of_its_own() -> None:
    rain, rate = FORMULAS["running_sum", 2], FORMULAS["rate_of_change", 1]
    assert rain.starts_from("precipitation")
    running = quantity(rain.result("precipitation"))
    assert (running.name, running.unit) == ("Precipitation, running sum", "mm")
    assert running.averages == "plain"  # they overlap: added up they would count rain many times
    assert FORMULAS["running_sum", 1].result("precipitation") == "precipitation"  # as it was kept
    assert not rain.starts_from("air_temperature")
    assert "is not a quantity it applies to" in rain.problem((quantity("air_temperature"),))
    assert rate.result("water_level") == "level_rate"
    assert not rate.starts_from("relative_humidity")
    assert FORMULAS["running_mean", 1].result("relative_humidity") == "relative_humidity"
    assert not FORMULAS["running_mean", 1].starts_from("wind_direction")
