"""What relative humidity would be at the temperature that was measured, by the vapour there is: of
a neighbour, or as if it stayed the same. Vapour pressure goes more evenly than humidity does.

Source: docs/calculations.md, "Fills", scale.
"""

from __future__ import annotations

import numpy as np

from gezeiten.domain.quantities.moist_air import saturation_hpa, vapour_hpa
from gezeiten.domain.series.quality import Quality, worst
from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.calculation import at_instants
from gezeiten.domain.steps.formulas.formula import Role

_ONE_HPA = 10.0
"""Any vapour pressure: what is learnt from it takes its size up."""
_TEMPERATURE, _HUMIDITY = Role("Temperature", "°C"), Role("Relative humidity", "%")


def at_one_vapour_pressure(temp: Series) -> Series:
    """Return the humidity, %, that air of some constant vapour pressure has at measured
    temperatures, °C; at their instants."""
    values = 100 * _ONE_HPA / saturation_hpa(temp.values)
    return make_series(temp.times_utc_ms, values, temp.interval_ms, temp.quality)


def at_the_vapour_of(temp: Series, humidity_there: Series, temp_there: Series) -> Series:
    """Return the humidity, %, that air of another place has when brought to the temperature here,
    °C; at the instants of the latter, NaN where the other place has no value.

    Args:
        humidity_there, temp_there: of the other place, %, °C, with readings beside on either side.
    """
    times = temp.times_utc_ms
    percent, codes = at_instants(humidity_there, times, _HUMIDITY)
    there_c, others = at_instants(temp_there, times, _TEMPERATURE)
    values = 100 * vapour_hpa(there_c, percent) / saturation_hpa(temp.values)
    quality = worst(
        temp.quality, np.where(np.isfinite(values), worst(codes, others), np.uint8(Quality.GOOD))
    )
    return make_series(times, values, temp.interval_ms, quality)
