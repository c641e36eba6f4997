"""Water: conductance at 25 °C, practical salinity, density, gravity. NaN where there is no value.

Sources are named at each function (docs/calculations.md, "Water").
"""

from __future__ import annotations

import numpy as np

from gezeiten.domain.series.timeline import Values

SEAWATER_35_15_MS_CM = 42.914
"""Conductivity of water of practical salinity 35 at 15 °C (IPTS-68) without pressure."""
_A = (0.0080, -0.1692, 25.3851, 14.0941, -7.0261, 2.7081)
_B = (0.0005, -0.0056, -0.0066, -0.0375, 0.0636, -0.0144)
_C = (0.6766097, 2.00564e-2, 1.104259e-4, -6.9698e-7, 1.0031e-9)
_D = (3.426e-2, 4.464e-4, 4.215e-1, -3.107e-3)
_E = (2.070e-5, -6.370e-10, 3.989e-15)
_K = 0.0162


def specific_conductance(
    conductivity: Values, temp_c: Values, percent_per_k: float = 1.91
) -> Values:
    """Return the conductance at 25 °C in the unit of what is given, of fresh natural water.

    Source: ISO 7888 in its linear form, k25 = k / (1 + a (t - 25)); NaN outside of 0..40 °C.
    """
    known = np.where((temp_c >= 0) & (temp_c <= 40), temp_c, np.nan)
    return conductivity / (1 + percent_per_k / 100 * (known - 25))


def practical_salinity(
    conductivity_ms_cm: Values, temp_c: Values, pressure_dbar: Values | float = 0.0
) -> Values:
    """Return the practical salinity; below 2 by Hill et al.; NaN above 42 and outside of -2..35 °C.

    Args:
        temp_c: ITS-90; pressure_dbar: gauge pressure at the sensor.

    Source: PSS-78 (UNESCO technical papers in marine science 37 and 44); Hill, Dauphinee and Woods
    1986 (IEEE J. Oceanic Eng. 11, 109) below 2.
    """
    known = np.where((temp_c >= -2) & (temp_c <= 35), temp_c, np.nan)
    t = 1.00024 * known
    ratio = conductivity_ms_cm / SEAWATER_35_15_MS_CM
    p = np.asarray(pressure_dbar, np.float64)
    of_pressure = 1 + p * (_E[0] + _E[1] * p + _E[2] * p * p) / (
        1 + _D[0] * t + _D[1] * t * t + (_D[2] + _D[3] * t) * ratio
    )
    of_temperature = _C[0] + t * (_C[1] + t * (_C[2] + t * (_C[3] + t * _C[4])))
    rt = ratio / (of_pressure * of_temperature)
    root = np.sqrt(np.where(rt >= 0, rt, np.nan))
    factor = (t - 15) / (1 + _K * (t - 15))
    salinity = _polynomial(_A, root) + factor * _polynomial(_B, root)
    low = salinity - _A[0] / (1 + 1.5 * 400 * rt + (400 * rt) ** 2)
    ten = 10 * root
    low -= _B[0] * factor / (1 + ten + ten**2 + ten**3)
    found: Values = np.where(salinity < 2, low, salinity)
    return np.where(found <= 42, found, np.nan)


def _polynomial(coefficients: tuple[float, ...], root: Values) -> Values:
    total = np.zeros_like(root)
    for coefficient in reversed(coefficients):
        total = total * root + coefficient
    return total


def fresh_density_kg_m3(temp_c: Values) -> Values:
    """Return the density of fresh water without air at 101.325 kPa; NaN outside of 0..40 °C.

    Source: Tanaka et al. 2001, Metrologia 38, 301.
    """
    known = np.where((temp_c >= 0) & (temp_c <= 40), temp_c, np.nan)
    a = (-3.983035, 301.797, 522528.9, 69.34881, 999.974950)
    found: Values = a[4] * (1 - (known + a[0]) ** 2 * (known + a[1]) / (a[2] * (known + a[3])))
    return found


def sea_density_kg_m3(temp_c: Values, salinity: Values | float) -> Values:
    """Return the density of sea water at one atmosphere; NaN outside of -2..40 °C and 0..42.

    Source: UNESCO technical papers in marine science 44 (EOS-80), t68 = 1.00024 t90.
    """
    s = np.asarray(salinity, np.float64)
    is_known = (temp_c >= -2) & (temp_c <= 40) & (s >= 0) & (s <= 42)
    t = 1.00024 * np.where(is_known, temp_c, np.nan)
    pure = _polynomial(
        (999.842594, 6.793952e-2, -9.095290e-3, 1.001685e-4, -1.120083e-6, 6.536332e-9), t
    )
    b = _polynomial((8.24493e-1, -4.0899e-3, 7.6438e-5, -8.2467e-7, 5.3875e-9), t)
    c = _polynomial((-5.72466e-3, 1.0227e-4, -1.6546e-6), t)
    return pure + b * s + c * s**1.5 + 4.8314e-4 * s * s


def gravity_m_s2(latitude_deg: float, height_m: float = 0.0) -> float:
    """Return gravity by latitude and height above the sea. Source: WGS 84, with free air."""
    s = float(np.sin(np.radians(latitude_deg)) ** 2)
    at_sea = 9.7803253359 * (1 + 0.00193185265241 * s) / float(np.sqrt(1 - 0.00669437999013 * s))
    return at_sea - 3.086e-6 * height_m
