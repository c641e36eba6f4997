"""± U against draws that know nothing of slopes: of every formula, at kinks and poles, of chains of
two corrections."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from gezeiten.domain.series.series import make_series
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.chain import Correction, corrected
from gezeiten.domain.steps.formulas import FORMULAS, own_formula, with_units
from gezeiten.domain.steps.propagation import through
from gezeiten.domain.steps.sensor_depth import LENGTH_M, RIM_M
from gezeiten.domain.steps.uncertainty import (
    AveragedPeriod,
    Uncertainty,
    UncertaintyShare,
    of_mean,
    of_reading,
    of_slope,
    of_sum,
    over_window,
)

DRAWS = 2_000
PLAUSIBLE = {
    "water_pressure": (121.3, 0.03), "air_pressure": (101.1, 0.02),
    "water_temperature": (11.2, 0.1),
    "gauge_pressure": (22.4, 0.05), "water_level": (3.2, 0.01), "conductivity": (12.1, 0.1),
    "relative_humidity": (61.0, 1.5), "particles_from_0_3": (9e7, 3e6),
    "particles_from_0_5": (2e7, 8e5), "particles_from_1_0": (4e6, 2e5),
    "particles_from_2_5": (9e5, 5e4), "": (7.5, 0.2),
}  # fmt: skip
"""A value of each kind of input, and its standard uncertainty."""


def sure(u: float, name: str = "") -> Uncertainty:
    return Uncertainty((UncertaintyShare("calibration", u, step=name),), is_least=False)


def drawn(of: Callable[[list[Values]], Values], values: list[float], us: list[float]) -> Values:
    """Return the results of 2,000 draws of independent inputs."""
    rng = np.random.default_rng(99)
    inputs = [value + u * rng.standard_normal(DRAWS) for value, u in zip(values, us, strict=True)]
    with np.errstate(all="ignore"):
        return of(inputs)


@pytest.mark.parametrize(
    "key",
    [key for key, one in FORMULAS.items() if one.over is None and not one.is_of_any],
    ids=lambda key: f"{key}",
)
def test_every_formula_away_from_kinks(key: tuple[str, int]) -> None:
    formula = FORMULAS[key]
    parameters: dict[str, Any] = {**formula.checked({}), RIM_M: 3.2, LENGTH_M: 8.4}
    known = [PLAUSIBLE[role.channels[0] if role.channels else ""] for role in formula.roles]
    values, us = [one[0] for one in known], [one[1] for one in known]
    if formula.key == "frost_point":
        values[0] = -4.0
    inputs = [(f"in {i}", values[i], sure(us[i], f"{i}")) for i in range(len(values))]
    uncertainty = through(formula, parameters, inputs, [])
    spread = drawn(lambda its: formula.apply(tuple(its), parameters)[0], values, us).std()
    assert 0.9 <= uncertainty.expanded / (2 * spread) <= 1.15


HOURS = 24
WINDOWS = [
    ("running_mean", 1),
    ("running_lowest", 1),
    ("running_highest", 1),
    ("running_sum", 2),
    ("kinetic_mean", 1),
    ("rate_of_change", 1),
]


@pytest.mark.parametrize("key", WINDOWS, ids=lambda key: key[0])
def test_every_formula_that_looks_back(key: tuple[str, int]) -> None:
    """A day of hourly readings, all off by one calibration (U = 0.4), each resolved to 0.1."""
    formula = FORMULAS[key]
    window_h = 6.0 if key[0] == "rate_of_change" else float(HOURS)
    parameters = {**formula.checked({}), "window_h": window_h}
    times = np.arange(HOURS + 1, dtype=np.int64) * 3_600_000
    truth = 8 + 4 * np.sin(times / 3_600_000 / 3)
    count = round(window_h)
    uncertainty = of_reading(
        1,
        [step("linear", "a", 1, **linear(0.1, 1.0, 0.4))],
        make_series(times[:1], truth[:1], 3_600_000),
        0.0,
        None,
    )
    gathered = {
        "mean": lambda: of_mean(AveragedPeriod(((1.0, uncertainty),), count, 0.0, 86_400.0)),
        "sum": lambda: of_sum(AveragedPeriod(((1.0, uncertainty),), count, 0.0, 86_400.0)),
        "highest": lambda: uncertainty,
        "lowest": lambda: uncertainty,
        "slope": lambda: of_slope(uncertainty, np.arange(count + 1.0)),
    }[formula.gathers]()
    value = make_series(times[:1], truth[:1], 3_600_000)
    found = over_window("x", gathered, [], value)
    rng = np.random.default_rng(17)
    made = []
    for _ in range(DRAWS):
        values = truth + 0.2 * rng.standard_normal() + rng.uniform(-0.05, 0.05, len(truth))
        series = make_series(times, values, 3_600_000)
        assert formula.over is not None
        made.append(formula.over(series, parameters, formula.window_ms(parameters)).values[-1])
    assert 0.9 <= found.expanded / (2 * float(np.std(made))) <= 1.15


@pytest.mark.parametrize("typed", ["a * b", "a / b", "(a / b)^1.65", "exp(a / b)", "sqrt(a * b)"])
def test_own_formulas_away_from_kinks(typed: str) -> None:
    formula = with_units(
        own_formula(typed),
        ["m", "m"],
        {"a * b": "m²"}.get(typed, "") or {"sqrt(a * b)": "m"}.get(typed, ""),
    )
    values, us = [4.0, 3.0], [0.04, 0.05]
    inputs = [("a", 4.0, sure(0.04, "a")), ("b", 3.0, sure(0.05, "b"))]
    uncertainty = through(formula, {}, inputs, [])
    spread = drawn(lambda its: formula.apply(tuple(its), {})[0], values, us).std()
    assert 0.9 <= uncertainty.expanded / (2 * spread) <= 1.15


KINKS = [
    ("abs(a - b)", "m", 3.0, 3.0),
    ("min(a, b)", "m", 3.0, 3.0),
    ("max(a, b)", "m", 3.0, 3.0),
    ("sqrt(abs(a - b) * 1[m])", "m", 3.0, 3.0),
    ("where(a > b, a, b + 1[m])", "m", 3.0, 3.0),
    ("where(a > b, a, b + 1[m])", "m", 3.05, 3.0),
    ("1[m] * a / (b - 2.9[m])", "m", 3.0, 3.1),
    ("(a - 3[m]) * (b - 3[m]) / 1[m]", "m", 3.0, 3.0),
    ("sqrt((a - 3[m]) * 1[m])", "m", 3.02, 1.0),
]


@pytest.mark.parametrize(("typed", "unit", "a", "b"), KINKS)
def test_at_kinks_poles_and_thresholds(typed: str, unit: str, a: float, b: float) -> None:
    """U covers 95 % of what comes out: by draws of another seed, those without a value left out."""
    formula = with_units(own_formula(typed), ["m", "m"], unit)
    uncertainty = through(formula, {}, [("a", a, sure(0.04, "a")), ("b", b, sure(0.05, "b"))], [])
    there = float(formula.apply((np.array([a]), np.array([b])), {})[0][0])
    series = drawn(lambda its: formula.apply(tuple(its), {})[0], [a, b], [0.04, 0.05])
    far = np.abs(series[np.isfinite(series)] - there)
    wanted = float(np.quantile(far, 0.9545))
    assert 0.8 <= uncertainty.expanded / wanted <= 1.5
    again = through(formula, {}, [("a", a, sure(0.04, "a")), ("b", b, sure(0.05, "b"))], [])
    assert again == uncertainty


def test_what_two_inputs_share_is_drawn_once() -> None:
    """abs(a - b) of two readings by one sensor, both moved alike: nothing is left of it."""
    formula = with_units(own_formula("abs(a - b)"), ["m", "m"], "m")
    both = [("a", 3.0, sure(0.04, "one")), ("b", 3.0, sure(0.04, "one"))]
    assert through(formula, {}, both, []).expanded == pytest.approx(0.0, abs=1e-9)


def step(kind: str, uid: str, said_ms: int, **parameters: Any) -> Correction:
    return Correction(uid, "p", "s", kind, 1, 0, None, parameters, "", said_ms, "")


def linear(offset: float, gain: float, u: float) -> dict[str, float]:
    return {"offset": offset, "gain": gain, "u": u}


POINTS = {"points": [[0.0, 0.1], [10.0, 11.0], [20.0, 23.0]], "as_found": [], "u": 0.1}
CHAINS = [
    (("linear", linear(0.4, 1.0, 0.2)), ("linear", linear(0.0, 2.0, 0.0))),
    (("linear", linear(0.4, 1.0, 0.2)), ("linear", linear(0.1, 2.0, 0.3))),
    (("points", POINTS), ("linear", linear(0.0, -1.5, 0.1))),
    (("linear", linear(0.4, 1.1, 0.2)), ("points", POINTS)),
    (("points", POINTS), ("points", POINTS)),
]


@pytest.mark.parametrize("chain", CHAINS, ids=range(len(CHAINS)))
def test_chains_of_two_corrections(chain: tuple[tuple[str, dict[str, Any]], ...]) -> None:
    """Each step adds its own error behind it; what a later one does multiplies all before."""
    steps = [step(kind, f"{i}", i, **its) for i, (kind, its) in enumerate(chain)]
    raw = make_series(np.array([1000]), np.array([6.0]), 1000)
    uncertainty = of_reading(1, steps, raw, 0.0, None)
    rng = np.random.default_rng(5)
    values = 6.0 + rng.uniform(-0.05, 0.05, DRAWS)
    times = np.arange(DRAWS, dtype=np.int64) * 1000
    for one in steps:
        values = corrected(make_series(times, values, 1000), [one]).values
        values = values + rng.standard_normal(DRAWS) * one.parameters["u"] / 2
    assert 0.9 <= uncertainty.expanded / (2 * values.std()) <= 1.15


def test_a_gain_after_an_offset_doubles_what_the_offset_is_unsure_of() -> None:
    """By hand: U = 0.4 of the offset, then gain 2: 0.8; the resolution of 0.01 doubles too."""
    raw = make_series(np.array([1000]), np.array([6.0]), 1000)
    steps = [
        step("linear", "a", 1, **linear(0.5, 1.0, 0.4)),
        step("linear", "b", 2, **linear(0.0, 2.0, 0.0)),
    ]
    uncertainty = of_reading(2, steps, raw, 0.0, None)
    assert uncertainty.expanded == pytest.approx(math.hypot(0.8, 2 * 2 * 0.01 / math.sqrt(12)))


def test_the_chain_of_a_calculated_series_goes_on_with_it() -> None:
    """By hand: a difference sure to 0.4, then gain 3 with U = 0.1: hypot(1.2, 0.1)."""
    formula = FORMULAS["difference", 1]
    inputs = [("a", 5.0, sure(0.2, "a")), ("b", 3.0, Uncertainty((), is_least=False))]
    steps = [step("linear", "c", 1, **linear(0.0, 3.0, 0.1))]
    uncertainty = through(formula, {}, inputs, steps, 1000)
    assert uncertainty.expanded == pytest.approx(math.hypot(1.2, 0.1), rel=1e-6)
