"""Dew points and vapour pressures as WMO-No. 8 gives them."""

from __future__ import annotations

import math

import pytest

from gezeiten.domain.quantities.moist_air import dew_point_c, saturation_hpa


@pytest.mark.parametrize(
    ("temp_c", "hpa"), [(0.0, 6.112), (10.0, 12.27), (20.0, 23.37), (30.0, 42.43), (-10.0, 2.87)]
)
def test_saturation_vapour_pressure_of_the_tables(temp_c: float, hpa: float) -> None:
    # WMO-No. 8 and psychrometric tables: 6.11, 12.27, 23.37, 42.43 hPa; 2.86 over supercooled water
    assert saturation_hpa(temp_c) == pytest.approx(hpa, rel=0.004)


def test_the_dew_point_of_saturated_air_is_its_temperature() -> None:
    for temp_c in (-30.0, 0.0, 17.5, 40.0):
        assert dew_point_c(temp_c, 100.0) == pytest.approx(temp_c)


def test_the_dew_point_as_worked_by_hand() -> None:
    # 20 degrees, half saturated: ln(0.5) + 17.62 * 20 / 263.12 = 0.646166; 243.12 * 0.646166 /
    # (17.62 - 0.646166) = 9.2552
    assert dew_point_c(20.0, 50.0) == pytest.approx(9.2552, abs=1e-4)
    # air that holds hardly any vapour still has one: 0.0061 hPa at 0.1 % and 0 degrees
    assert dew_point_c(0.0, 0.1) == pytest.approx(-68.46, abs=0.01)


def test_without_vapour_there_is_no_dew_point() -> None:
    assert math.isnan(dew_point_c(20.0, 0.0))
