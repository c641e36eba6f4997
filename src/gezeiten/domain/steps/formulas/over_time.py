"""What readings of the time before each one make together: running mean, lowest, highest, sum,
kinetic mean, rate of change.

Source: docs/calculations.md, "Running figures": over [t - W, t), from 75 % held on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from gezeiten.domain.series.series import Series
from gezeiten.domain.series.statistics.figures import ACTIVATION_J_PER_MOL, GAS_J_PER_MOL_K
from gezeiten.domain.series.statistics.moving import (
    moving_extreme,
    moving_mean,
    moving_slope,
    moving_sum,
)
from gezeiten.domain.steps.formulas.formula import WINDOW_H, Formula, Made, Parameter, Role

_RATIO_K = ACTIVATION_J_PER_MOL / GAS_J_PER_MOL_K
_REFERENCE_K = 293.15
"""At which a rate counts as 1, so that rates of rooms and stores are near it."""
_ONE = (Role("Series", ""),)
_TEMPERATURE = (Role("Temperature", "°C"),)


def _window(usual_h: float, high_h: float = 720.0) -> tuple[Parameter, ...]:
    return (Parameter(WINDOW_H, "Window", "h", usual_h, 0.1, high_h, 1),)


def _no_values(inputs: tuple[object, ...], _: Mapping[str, float]) -> Made:
    raise TypeError(f"it looks back over time, not at one of {len(inputs)} readings")


def _kinetic(series: Series, _: Mapping[str, float], window_ms: int) -> Series:
    rates = np.exp(_RATIO_K / _REFERENCE_K - _RATIO_K / (series.values + 273.15))
    means = moving_mean(replace(series, values=rates), window_ms)
    kelvin = _RATIO_K / (_RATIO_K / _REFERENCE_K - np.log(means.values))
    return replace(means, values=kelvin - 273.15)


def _highest(series: Series, _: Mapping[str, float], window_ms: int) -> Series:
    return moving_extreme(series, window_ms, highest=True)


def _lowest(series: Series, _: Mapping[str, float], window_ms: int) -> Series:
    return moving_extreme(series, window_ms, highest=False)


RUNNING_MEAN = Formula(
    "running_mean",
    1,
    "Running mean",
    _ONE,
    {},
    _no_values,
    "time-weighted over [t − W, t)",
    _window(24.0),
    gathers="mean",
    over=lambda series, _, window_ms: moving_mean(series, window_ms),
    averages=("plain",),
)
RUNNING_LOWEST = Formula(
    "running_lowest",
    1,
    "Lowest of the time before",
    _ONE,
    {},
    _no_values,
    "over [t − W, t)",
    _window(24.0),
    gathers="lowest",
    over=_lowest,
    averages=("plain",),
)
RUNNING_HIGHEST = Formula(
    "running_highest",
    1,
    "Highest of the time before",
    _ONE,
    {},
    _no_values,
    "over [t − W, t)",
    _window(24.0),
    gathers="highest",
    over=_highest,
    averages=("plain",),
)
RUNNING_SUM = Formula(
    "running_sum",
    2,
    "Running sum",
    _ONE,
    {},
    _no_values,
    "of the readings in (t − W, t]",
    _window(24.0),
    gathers="sum",
    over=lambda series, _, window_ms: moving_sum(series, window_ms),
    is_running=True,
    averages=("sum",),
)
RUNNING_SUM_1 = replace(
    RUNNING_SUM,
    version=1,
    is_running=False,
    superseded="its sums are of the quantity that went in, and are summed once more",
)
"""Of the quantity that went in, so that a stretch of running sums was summed once more."""
KINETIC_MEAN = Formula(
    "kinetic_mean",
    1,
    "Running mean kinetic temperature",
    _TEMPERATURE,
    {},
    _no_values,
    "USP <1079.2>",
    _window(720.0),
    gathers="mean",
    over=_kinetic,
    averages=("plain",),
)
RATE = Formula(
    "rate_of_change",
    1,
    "Rate of change",
    _ONE,
    {"°C": "temperature_rate", "kPa": "pressure_rate", "m": "level_rate"},
    _no_values,
    "slope of the least-squares line over [t − W, t]",
    _window(1.0, 6.0),
    gathers="slope",
    over=lambda series, _, window_ms: moving_slope(series, window_ms),
    averages=("plain",),
)
