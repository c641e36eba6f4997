"""What follows from temperature and relative humidity of the same air."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from gezeiten.domain.quantities.moist_air import (
    absolute_humidity_g_m3,
    dew_point_c,
    frost_point_c,
    mixing_ratio_g_kg,
    vapour_deficit_hpa,
)
from gezeiten.domain.series.timeline import HOUR_MS, Values
from gezeiten.domain.steps.formulas.formula import Formula, Made, Role

_ROLES = (
    Role("Temperature", "°C"),
    Role("Relative humidity", "%", ("relative_humidity",)),
)
_SOURCE = "WMO-No. 8, Annex 4.B"
_MOST_PERCENT, _SATURATED_PERCENT = 105.0, 100.0


def _of_air(
    formula: Callable[[Values, Values], Values], factor: float = 1.0
) -> Callable[[tuple[Values, ...], Mapping[str, float]], Made]:
    def apply(inputs: tuple[Values, ...], _: Mapping[str, float]) -> Made:
        temps_c, humidities = inputs
        above = humidities > _SATURATED_PERCENT
        known = np.where(humidities <= _MOST_PERCENT, humidities, np.nan)
        return formula(temps_c, np.minimum(known, _SATURATED_PERCENT)) * factor, above

    return apply


DEW_POINT = Formula(
    "dew_point", 1, "Dew point", _ROLES, {"°C": "dew_point"}, _of_air(dew_point_c), _SOURCE
)
FROST_POINT = Formula(
    "frost_point", 1, "Frost point", _ROLES, {"°C": "frost_point"}, _of_air(frost_point_c), _SOURCE
)
ABSOLUTE_HUMIDITY = Formula(
    "absolute_humidity",
    1,
    "Absolute humidity",
    _ROLES,
    {"°C": "absolute_humidity"},
    _of_air(absolute_humidity_g_m3),
    _SOURCE,
)


def _mixing_ratio(inputs: tuple[Values, ...], _: Mapping[str, float]) -> Made:
    temps_c, humidities, pressures_kpa = inputs
    above = humidities > _SATURATED_PERCENT
    known = np.where(humidities <= _MOST_PERCENT, humidities, np.nan)
    percent = np.minimum(known, _SATURATED_PERCENT)
    return mixing_ratio_g_kg(temps_c, percent, pressures_kpa * 10), above


MIXING_RATIO = Formula(
    "mixing_ratio",
    1,
    "Mixing ratio",
    (*_ROLES, Role("Air pressure", "kPa", ("air_pressure",), 3 * HOUR_MS)),
    {"°C": "mixing_ratio"},
    _mixing_ratio,
    _SOURCE,
)
VAPOUR_DEFICIT = Formula(
    "vapour_deficit",
    1,
    "Vapour pressure deficit",
    _ROLES,
    {"°C": "vapour_pressure_deficit"},
    _of_air(vapour_deficit_hpa, factor=0.1),
    _SOURCE,
)
