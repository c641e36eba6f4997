"""Mass of fine dust from counts of particles in classes of size.

Source: spheres of a diameter a class; growth with humidity C = 1 + 0.25 h² / (1 - h) (Laulainen
1993; Chakrabarti et al. 2004). docs/calculations.md, "Mass from counts".
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise

import numpy as np

from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.formulas.formula import Formula, Made, Parameter, Role

_DENSITY = Parameter("density_g_cm3", "Density of the particles", "g/cm³", 1.65, 0.5, 5.0, 2)
_HUMIDITY = Role("Relative humidity", "%", ("relative_humidity",))
_DOUBTED, _MOST = 0.95, 0.99


def mass_ug_m3(counts_per_m3: Values, diameter_um: float, density_g_cm3: float) -> Values:
    """Return the mass of dry spheres, µg/m³."""
    return counts_per_m3 * np.pi / 6 * diameter_um**3 * density_g_cm3 * 1e-6


def growth(humidity: Values) -> Values:
    """Return by how much mass appears greater through water, of relative humidity 0..1."""
    return 1 + 0.25 * humidity**2 / (1 - humidity)


def _mass(inputs: tuple[Values, ...], parameters: Mapping[str, float]) -> Made:
    """Return the mass of the classes between cumulative counts; the last are those too large."""
    *counts, percent = inputs
    humidity = percent / 100
    known = np.where((humidity >= 0) & (humidity <= _MOST), humidity, np.nan)
    total = np.zeros(len(percent))
    for i, (smaller, larger) in enumerate(pairwise(counts)):
        total = total + mass_ug_m3(
            smaller - larger, parameters[f"diameter_{i}_um"], parameters["density_g_cm3"]
        )
    return total / growth(known), humidity > _DOUBTED


def _diameter(i: int, low: float, high: float, usual: float) -> Parameter:
    name = f"Diameter of {low:g} to {high:g} µm"
    return Parameter(f"diameter_{i}_um", name, "µm", usual, low, high, 3)


def _counted(size: str, key: str) -> Role:
    return Role(f"Particles ≥ {size} µm", "per m³", (key,))


_SOURCE = "π/6 d³ ρ N / C(h), Laulainen 1993"
MASS_OF_TWO = Formula(
    "pm25_of_two_counts",
    1,
    "PM2.5 from counts ≥ 0.5 and ≥ 2.5 µm",
    (_counted("0.5", "particles_from_0_5"), _counted("2.5", "particles_from_2_5"), _HUMIDITY),
    {"per m³": "pm25"},
    _mass,
    _SOURCE,
    (_diameter(0, 0.5, 2.5, 0.88), _DENSITY),
)
MASS_OF_FOUR = Formula(
    "pm25_of_four_counts",
    1,
    "PM2.5 from counts ≥ 0.3, 0.5, 1 and 2.5 µm",
    (
        _counted("0.3", "particles_from_0_3"),
        _counted("0.5", "particles_from_0_5"),
        _counted("1", "particles_from_1_0"),
        _counted("2.5", "particles_from_2_5"),
        _HUMIDITY,
    ),
    {"per m³": "pm25"},
    _mass,
    _SOURCE,
    (
        _diameter(0, 0.3, 0.5, 0.387),
        _diameter(1, 0.5, 1.0, 0.707),
        _diameter(2, 1.0, 2.5, 1.581),
        _DENSITY,
    ),
)
