"""Water against the reference implementation of TEOS-10's authors (gsw), check values of the
sources, and by hand."""

from __future__ import annotations

import gsw
import numpy as np
import pytest

from gezeiten.domain.quantities.water_physics import (
    SEAWATER_35_15_MS_CM,
    fresh_density_kg_m3,
    gravity_m_s2,
    practical_salinity,
    sea_density_kg_m3,
    specific_conductance,
)


def one(value: float) -> np.ndarray:
    return np.array([value])


def test_salinity_is_that_of_the_reference_over_its_whole_range() -> None:
    conductivity, temp_c = np.meshgrid(np.linspace(3.5, 60, 120), np.linspace(-2, 35, 80))
    for pressure in (0.0, 50.0, 2_000.0):
        wanted = gsw.SP_from_C(conductivity, temp_c, pressure)
        found = practical_salinity(conductivity, temp_c, pressure)
        inside = (wanted >= 2) & (wanted <= 42)
        np.testing.assert_allclose(found[inside], wanted[inside], atol=2e-5)


def test_brackish_water_is_that_of_the_reference_within_its_last_correction() -> None:
    """gsw multiplies by a ratio that makes both formulas meet at 2; it is at most 0.2 %."""
    conductivity = np.linspace(0.05, 3.0, 60)
    wanted = gsw.SP_from_C(conductivity, 20.0, 0.0)
    found = practical_salinity(conductivity, np.full(60, 20.0))
    inside = wanted < 1.99
    np.testing.assert_allclose(found[inside], wanted[inside], rtol=3e-3)


def test_salinity_by_definition_and_where_there_is_none() -> None:
    assert practical_salinity(one(SEAWATER_35_15_MS_CM), one(15 / 1.00024))[0] == pytest.approx(35)
    assert np.isnan(practical_salinity(one(75.0), one(20.0))[0])  # above 42
    assert np.isnan(practical_salinity(one(40.0), one(36.0))[0])
    assert np.isnan(practical_salinity(one(-1.0), one(20.0))[0])


@pytest.mark.parametrize(
    ("temp_c", "wanted"),
    # Tanaka et al. 2001, table of densities, kg/m³
    [(0, 999.8428), (4, 999.9749), (10, 999.7027), (20, 998.2067), (25, 997.0470), (40, 992.2152)],
)
def test_fresh_water_as_in_the_table(temp_c: float, wanted: float) -> None:
    assert fresh_density_kg_m3(one(temp_c))[0] == pytest.approx(wanted, abs=2e-4)


@pytest.mark.parametrize(
    ("salinity", "t68", "wanted"),
    # UNESCO 44, table of check values at one atmosphere
    [(0, 5, 999.96675), (0, 25, 997.04796), (35, 5, 1027.67547), (35, 25, 1023.34306)],
)
def test_sea_water_as_the_check_values(salinity: float, t68: float, wanted: float) -> None:
    found = sea_density_kg_m3(one(t68 / 1.00024), salinity)[0]
    assert found == pytest.approx(wanted, abs=2e-5)


def test_gravity_on_the_ellipsoid_and_on_a_hill() -> None:
    assert gravity_m_s2(0) == pytest.approx(9.7803253359)
    assert gravity_m_s2(90) == pytest.approx(9.8321849378)  # WGS 84, at the pole
    assert gravity_m_s2(45, 1_000) == pytest.approx(gravity_m_s2(45) - 0.003086)


def test_conductance_at_25_by_hand() -> None:
    assert specific_conductance(one(1.0), one(25.0))[0] == 1.0
    assert specific_conductance(one(0.5), one(10.0))[0] == pytest.approx(0.5 / (1 - 0.2865))
    assert np.isnan(specific_conductance(one(0.5), one(-0.1))[0])
