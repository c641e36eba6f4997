"""Level of water above a sensor, from its absolute pressure and that of the air."""

from __future__ import annotations

from collections.abc import Mapping

from gezeiten.domain.series.timeline import HOUR_MS, Values
from gezeiten.domain.steps.formulas.formula import Formula, Made, Parameter, Role

_BAROMETER_MS = 3 * HOUR_MS


def _level_m(inputs: tuple[Values, ...], parameters: Mapping[str, float]) -> Made:
    pressures_kpa, air_kpa = inputs
    pascals_a_metre = parameters["density_kg_m3"] * parameters["gravity_m_s2"]
    levels_m = (pressures_kpa - air_kpa) * 1000 / pascals_a_metre
    return levels_m, levels_m < 0


WATER_LEVEL = Formula(
    "water_level", 1, "Level above the sensor",
    (Role("Absolute pressure in water", "kPa", ("water_pressure",)),
     Role("Air pressure", "kPa", ("air_pressure",), _BAROMETER_MS)),
    {"kPa": "water_level"}, _level_m, "h = (P − P air) / (ρ g)",
    (Parameter("density_kg_m3", "Density of the water", "kg/m³", 999.1, 900.0, 1100.0, 1),
     Parameter("gravity_m_s2", "Gravity", "m/s²", 9.80665, 9.76, 9.84, 5)),
)  # fmt: skip
