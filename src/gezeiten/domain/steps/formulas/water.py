"""Water: the level above a sensor from its absolute pressure and that of the air, conductance at
25 °C, practical salinity."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from gezeiten.domain.quantities.water_physics import (
    fresh_density_kg_m3,
    practical_salinity,
    sea_density_kg_m3,
    specific_conductance,
)
from gezeiten.domain.series.timeline import HOUR_MS, Values
from gezeiten.domain.steps.formulas.formula import Formula, Made, Parameter, Role
from gezeiten.domain.steps.sensor_depth import LENGTH_M, RIM_M

_BAROMETER_MS, _SLOW_BAROMETER_MS = 3 * HOUR_MS, 6 * HOUR_MS
_GAS_J_KG_K = 287.05
_PRESSURE = Role("Absolute pressure in water", "kPa", ("water_pressure",))
_AIR_1 = Role("Air pressure", "kPa", ("air_pressure",), _BAROMETER_MS)
_AIR = replace(_AIR_1, most_ms=_SLOW_BAROMETER_MS)
"""A barometer every three hours whose clock runs a little slow is one of 3 h and a second."""
_NO_SLOW_BAROMETER = "a barometer every three hours leaves it without values"
_TEMPERATURE = Role("Water temperature", "°C", ("water_temperature",))
_LEVEL = Role("Level above the sensor", "m", ("water_level",))
_DENSITY = Parameter("density_kg_m3", "Density of the water", "kg/m³", 999.1, 900.0, 1100.0, 1)
_GRAVITY = Parameter("gravity_m_s2", "Gravity", "m/s²", 9.80665, 9.76, 9.84, 5)
_ABOVE = Parameter("barometer_above_m", "Barometer above the water", "m", 0.0, -500.0, 500.0, 1)
_AIR_C = Parameter("air_c", "Air temperature between them", "°C", 15.0, -50.0, 50.0, 1)


def _level_m(inputs: tuple[Values, ...], parameters: Mapping[str, float]) -> Made:
    pressures_kpa, air_kpa = inputs
    pascals_a_metre = parameters["density_kg_m3"] * parameters["gravity_m_s2"]
    levels_m = (pressures_kpa - air_kpa) * 1000 / pascals_a_metre
    return levels_m, levels_m < 0


def _level_vented_m(inputs: tuple[Values, ...], parameters: Mapping[str, Any]) -> Made:
    levels_m = inputs[0] * 1000 / (parameters["density_kg_m3"] * parameters["gravity_m_s2"])
    return levels_m, levels_m < 0


def _air_at_the_water(air_kpa: Values, parameters: Mapping[str, float]) -> Values:
    """Return the air pressure at the water's surface, of a barometer that stands above it."""
    kelvin = parameters["air_c"] + 273.15
    exponent = parameters["gravity_m_s2"] * parameters["barometer_above_m"] / (_GAS_J_KG_K * kelvin)
    return air_kpa * float(np.exp(exponent))


def _level_with_height(inputs: tuple[Values, ...], parameters: Mapping[str, float]) -> Made:
    pressures_kpa, air_kpa = inputs
    return _level_m((pressures_kpa, _air_at_the_water(air_kpa, parameters)), parameters)


def _level_by_temperature(inputs: tuple[Values, ...], parameters: Mapping[str, float]) -> Made:
    pressures_kpa, air_kpa, temps_c = inputs
    salinity = parameters["salinity"]
    density = sea_density_kg_m3(temps_c, salinity) if salinity > 0 else fresh_density_kg_m3(temps_c)
    above_kpa = pressures_kpa - _air_at_the_water(air_kpa, parameters)
    levels_m = above_kpa * 1000 / (density * parameters["gravity_m_s2"])
    return levels_m, levels_m < 0


def _height_m(inputs: tuple[Values, ...], parameters: Mapping[str, Any]) -> Made:
    """Above the rim there is no well any more: suspect."""
    heights_m = parameters[RIM_M] - parameters[LENGTH_M] + inputs[0]
    return heights_m, heights_m > parameters[RIM_M]


def _depth_to_water_m(inputs: tuple[Values, ...], parameters: Mapping[str, Any]) -> Made:
    depths_m = parameters[LENGTH_M] - inputs[0]
    return depths_m, depths_m < 0


def _conductance(inputs: tuple[Values, ...], parameters: Mapping[str, float]) -> Made:
    conductivity, temps_c = inputs
    made = specific_conductance(conductivity, temps_c, parameters["percent_per_k"])
    return made, np.zeros(len(made), np.bool_)


def _salinity(inputs: tuple[Values, ...], parameters: Mapping[str, float]) -> Made:
    conductivity, temps_c = inputs
    made = practical_salinity(conductivity, temps_c, parameters["pressure_dbar"])
    return made, made < 2


WATER_LEVEL_1 = Formula(
    "water_level",
    1,
    "Level above the sensor",
    (_PRESSURE, _AIR_1),
    {"kPa": "water_level"},
    _level_m,
    "h = (P − P air) / (ρ g)",
    (_DENSITY, _GRAVITY),
    superseded=_NO_SLOW_BAROMETER,
)
WATER_LEVEL_2 = replace(
    WATER_LEVEL_1,
    version=2,
    apply=_level_with_height,
    parameters=(_DENSITY, _GRAVITY, _ABOVE, _AIR_C),
)
WATER_LEVEL = replace(WATER_LEVEL_2, version=3, roles=(_PRESSURE, _AIR), superseded="")
LEVEL_BY_TEMPERATURE_1 = Formula(
    "level_by_temperature",
    1,
    "Level above the sensor, density by temperature",
    (_PRESSURE, _AIR_1, _TEMPERATURE),
    {"kPa": "water_level"},
    _level_by_temperature,
    "Tanaka et al. 2001; EOS-80 where salt",
    (Parameter("salinity", "Practical salinity", "", 0.0, 0.0, 42.0, 1), _GRAVITY, _ABOVE, _AIR_C),
    superseded=_NO_SLOW_BAROMETER,
)
LEVEL_BY_TEMPERATURE = replace(
    LEVEL_BY_TEMPERATURE_1, version=2, roles=(_PRESSURE, _AIR, _TEMPERATURE), superseded=""
)
HEIGHT = Formula(
    "water_height",
    1,
    "Height above datum",
    (_LEVEL,),
    {"m": "water_height"},
    _height_m,
    "H = z − l + h, z and l as the sensor hung then",
    uses_sensor_depth=True,
)
DEPTH_TO_WATER = Formula(
    "depth_to_water",
    1,
    "Depth below the reference mark",
    (_LEVEL,),
    {"m": "depth_to_water"},
    _depth_to_water_m,
    "d = l − h, l as the sensor hung then",
    uses_sensor_depth=True,
)
LEVEL_VENTED = Formula(
    "level_vented",
    1,
    "Level above a vented sensor",
    (Role("Pressure above that of the air", "kPa", ("gauge_pressure",)),),
    {"kPa": "water_level"},
    _level_vented_m,
    "h = P / (ρ g)",
    (_DENSITY, _GRAVITY),
)
SPECIFIC_CONDUCTANCE = Formula(
    "specific_conductance",
    1,
    "Conductance at 25 °C",
    (Role("Conductivity", "mS/cm", ("conductivity",)), _TEMPERATURE),
    {"mS/cm": "specific_conductance"},
    _conductance,
    "k25 = k / (1 + a (t − 25))",
    (Parameter("percent_per_k", "a", "%/K", 1.91, 0.5, 4.0, 2),),
)
SALINITY = Formula(
    "practical_salinity",
    1,
    "Practical salinity",
    (Role("Conductivity", "mS/cm", ("conductivity",)), _TEMPERATURE),
    {"mS/cm": "salinity"},
    _salinity,
    "PSS-78; below 2 Hill et al. 1986",
    (Parameter("pressure_dbar", "Gauge pressure at the sensor", "dbar", 0.0, 0.0, 11_000.0, 1),),
)
