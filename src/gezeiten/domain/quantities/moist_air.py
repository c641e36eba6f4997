"""Moist air: vapour pressure and dew point. Source: WMO-No. 8, Annex 4.B (docs/calculations.md)."""

from __future__ import annotations

from math import exp, log

_A_WATER, _B_WATER = 17.62, 243.12


def saturation_hpa(temp_c: float) -> float:
    """Return the saturation vapour pressure over water, hPa."""
    return 6.112 * exp(_A_WATER * temp_c / (_B_WATER + temp_c))


def dew_point_c(temp_c: float, humidity_percent: float) -> float:
    """Return the dew point, °C; NaN where there is no vapour at all.

    Args:
        humidity_percent: relative humidity over water, above 0.
    """
    vapour_hpa = saturation_hpa(temp_c) * humidity_percent / 100
    if vapour_hpa <= 0:
        return float("nan")
    ratio = log(vapour_hpa / 6.112)
    return _B_WATER * ratio / (_A_WATER - ratio)
