"""Moist air: vapour pressure, dew and frost point, absolute humidity. NaN where there is no value.

Source: WMO-No. 8, Annex 4.B, pure phase (docs/calculations.md, "Moist air").
"""

from __future__ import annotations

import numpy as np

from gezeiten.domain.series.timeline import Values

_A_WATER, _B_WATER = 17.62, 243.12
_A_ICE, _B_ICE = 22.46, 272.62
_AT_ZERO_HPA = 6.112
WATER_RANGE_C = (-45.0, 60.0)
"""Of the formula of the vapour pressure over water."""


def saturation_hpa(temp_c: Values | float) -> Values:
    """Return the saturation vapour pressure over water, hPa; NaN outside of `WATER_RANGE_C`."""
    temps_c = np.asarray(temp_c, np.float64)
    low, high = WATER_RANGE_C
    known = np.where((temps_c >= low) & (temps_c <= high), temps_c, np.nan)
    hpa: Values = _AT_ZERO_HPA * np.exp(_A_WATER * known / (_B_WATER + known))
    return hpa


def vapour_hpa(temp_c: Values | float, humidity_percent: Values | float) -> Values:
    """Return the vapour pressure, hPa; NaN where there is no vapour at all.

    Args:
        humidity_percent: relative humidity over water, below 0 °C too.
    """
    hpa = saturation_hpa(temp_c) * humidity_percent / 100
    positive: Values = np.where(hpa > 0, hpa, np.nan)
    return positive


def dew_point_c(temp_c: Values | float, humidity_percent: Values | float) -> Values:
    """Return the dew point over water, °C."""
    ratio = np.log(vapour_hpa(temp_c, humidity_percent) / _AT_ZERO_HPA)
    found: Values = _B_WATER * ratio / (_A_WATER - ratio)
    return found


def frost_point_c(temp_c: Values | float, humidity_percent: Values | float) -> Values:
    """Return the frost point, °C; NaN where it would lie above 0 °C."""
    ratio = np.log(vapour_hpa(temp_c, humidity_percent) / _AT_ZERO_HPA)
    found = _B_ICE * ratio / (_A_ICE - ratio)
    frozen: Values = np.where(found <= 0, found, np.nan)
    return frozen


def absolute_humidity_g_m3(temp_c: Values | float, humidity_percent: Values | float) -> Values:
    """Return the mass of vapour in a volume of air, g/m³."""
    found: Values = 216.7 * vapour_hpa(temp_c, humidity_percent) / (273.15 + np.asarray(temp_c))
    return found


def mixing_ratio_g_kg(
    temp_c: Values | float, humidity_percent: Values | float, pressure_hpa: Values
) -> Values:
    """Return the mass of vapour beside a mass of dry air, g/kg; NaN where all would be vapour."""
    enhanced = 1.0016 + 3.15e-6 * pressure_hpa - 0.074 / pressure_hpa
    vapour = enhanced * vapour_hpa(temp_c, humidity_percent)
    dry = pressure_hpa - vapour
    found: Values = 621.98 * vapour / np.where(dry > 0, dry, np.nan)
    return found


def vapour_deficit_hpa(temp_c: Values | float, humidity_percent: Values | float) -> Values:
    """Return how far the vapour pressure is from saturation, hPa."""
    return saturation_hpa(temp_c) - vapour_hpa(temp_c, humidity_percent)
