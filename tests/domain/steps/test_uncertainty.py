"""How sure values are, by hand."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from gezeiten.domain.series.series import Series, make_series
from gezeiten.domain.steps.chain import Correction
from gezeiten.domain.steps.formulas import FORMULAS, own_formula, with_units
from gezeiten.domain.steps.propagation import through
from gezeiten.domain.steps.uncertainty import (
    AveragedPeriod,
    Uncertainty,
    UncertaintyShare,
    of_fill,
    of_mean,
    of_mean_of_sums,
    of_reading,
    of_slope,
    of_sum,
    over_window,
)


def step(kind: str, uid: str = "", **parameters: Any) -> Correction:
    usual = {"tie": {"knots": [[0, 0.0]]}}.get(kind, {})
    return Correction(uid or kind, "p", "s", kind, 1, 0, None, {**usual, **parameters}, "", 0, "")


def raw(value: float = 5.0) -> Series:
    return make_series(np.array([1000]), np.array([value]), 1000)


def calibrated(u: float) -> Uncertainty:
    """Of a reading of a sensor whose offset is known to U."""
    return of_reading(2, [step("linear", offset=1.0, gain=1.0, u=u)], raw(), 0.0, None)


def test_a_calibrated_reading_on_a_clock_that_was_put_right() -> None:
    """By hand: a certificate's ±0.10 is 0.05; resolved to 0.01 it is 0.01/√12; it rises by 0.002 a
    second and its instant is sure to ±20 s: 0.02."""
    sure = of_reading(2, [step("linear", offset=0.3, gain=1.0, u=0.1)], raw(), 0.002, 20_000)
    assert not sure.is_least
    assert sure.expanded == pytest.approx(2 * math.sqrt(0.05**2 + 0.01**2 / 12 + 0.02**2))
    assert {share.kind for share in sure.shares} == {"calibration", "resolution", "clock"}


def test_what_nobody_calibrated_is_at_least_so_unsure() -> None:
    sure = of_reading(1, [step("mark", mark="kept", stretches=[])], raw(), 0.0, None)
    assert sure.is_least
    assert sure.expanded == pytest.approx(2 * 0.1 / math.sqrt(12))


def test_a_tie_replaces_what_is_constant() -> None:
    """A level of two pressures: 1/(rho g) metres a pascal. At 1000 kg/m³ and 9.81 m/s² 1 kPa are
    0.10194 m. Each ±0.05 kPa, so 0.0051 m each; tied to dips by ±6 mm their calibration is gone."""
    formula = FORMULAS["water_level", 1]
    parameters = formula.checked({"density_kg_m3": 1000.0, "gravity_m_s2": 9.81})
    pressure = Uncertainty(
        (UncertaintyShare("calibration", 0.025), UncertaintyShare("resolution", 0.001)),
        is_least=False,
    )
    inputs = [("Absolute pressure", 120.0, pressure), ("Air pressure", 101.0, pressure)]
    free = through(formula, parameters, inputs, [])
    one = 0.101936799  # m/kPa
    assert free.expanded == pytest.approx(
        2 * one * math.sqrt(2 * 0.025**2 + 2 * 0.001**2), rel=1e-6
    )
    assert [share.of for share in free.shares][:1] == ["Absolute pressure"]
    tied = through(formula, parameters, inputs, [step("tie", u=0.006)])
    left = 2 * math.sqrt(0.003**2 + 2 * (one * 0.001) ** 2)
    assert tied.expanded == pytest.approx(left, rel=1e-6)
    unknown = Uncertainty((), is_least=True)
    assert through(formula, parameters, [inputs[0], ("Air", 101.0, unknown)], []).is_least


def test_an_estimate_is_as_sure_as_its_band() -> None:
    sure = of_fill(2, 0.4, [], raw())
    assert sure.is_least
    assert sure.expanded == pytest.approx(math.hypot(0.4, 0.02 / math.sqrt(12)))
    uncertainty = of_fill(2, 0.4, [step("linear", offset=0.1, gain=1.0, u=0.3)], raw())
    assert not uncertainty.is_least
    assert uncertainty.expanded == pytest.approx(math.hypot(0.4, 0.3, 0.02 / math.sqrt(12)))


def test_in_a_mean_what_is_random_shrinks_and_calibrations_do_not() -> None:
    """By hand: half the time under U = 0.2 °C, half under U = 0.4 °C: u = 0.05 + 0.1; resolution of
    0.01 °C over 100 readings; a clock sure to 60 s (k = 2) while it rose by 2 °C in 1,000 s; two
    fills of a tenth and a fifth of the time, bands of ± 1 and ± 0.5 °C."""
    over = AveragedPeriod(
        ((0.5, calibrated(0.2)), (0.5, calibrated(0.4))),
        100,
        2.0,
        1_000.0,
        60_000,
        ((0.1, 1.0), (0.2, 0.5)),
    )
    sure = of_mean(over)
    bare = of_reading(2, [], raw(), 0.0, None)
    resolution = 0.01 / math.sqrt(12) / 10
    fills = math.hypot(0.1 * 0.5, 0.2 * 0.25)
    wanted = math.hypot(0.15, resolution, 2 / 1_000 * 30, fills)
    assert sure.expanded == pytest.approx(2 * wanted)
    assert not sure.is_least
    assert of_mean(replace(over, segments=((0.5, calibrated(0.2)), (0.5, bare)))).is_least
    once = of_mean(replace(over, readings=1, segments=((1.0, bare),), clock_u_ms=None, fills=()))
    assert once.expanded == pytest.approx(0.02 / math.sqrt(12))


def test_in_a_sum_calibrations_add_up_and_filled_sums_err_apart() -> None:
    """By hand: 100 readings of 0.1 mm, each calibrated to U = 0.02 mm; two gaps, ± 3 and ± 4 mm."""
    uncertainty = of_reading(1, [step("linear", offset=0.1, gain=1.0, u=0.02)], raw(), 0.0, None)
    sure = of_sum(AveragedPeriod(((1.0, uncertainty),), 100, 0.0, 1.0, None, (), (3.0, 4.0)))
    wanted = math.hypot(100 * 0.01, 10 * 0.1 / math.sqrt(12), 5.0)
    assert sure.expanded == pytest.approx(2 * wanted)


def test_in_a_mean_of_running_sums_a_reading_counts_as_often_as_it_stands_in_them() -> None:
    """By hand: sums of two over three readings, the middle one in both: weights of 1/2, 1, 1/2;
    each calibrated to U = 0.02 mm; a gap in one of them is unsure by 3 mm."""
    uncertainty = of_reading(1, [step("linear", offset=0.1, gain=1.0, u=0.02)], raw(), 0.0, None)
    over = AveragedPeriod(((1.0, uncertainty),), 3, 0.0, 1.0, None, (), (3.0,))
    sure = of_mean_of_sums(over, np.array([1, 2, 1]), 2)
    wanted = math.hypot(2 * 0.01, math.sqrt(1.5) * 0.1 / math.sqrt(12), 3.0)
    assert sure.expanded == pytest.approx(2 * wanted)
    assert not sure.is_least


def test_a_difference_by_one_sensor_drops_what_both_share() -> None:
    """By hand: both rest on one calibration of U = 0.4 °C: of a - b nothing is left of it, of a + b
    twice as much; what is random stays and adds in squares."""
    uncertainty = of_reading(2, [step("linear", offset=0.1, gain=1.0, u=0.4)], raw(), 0.0, None)
    inputs = [("Now", 5.0, uncertainty), ("Before", 4.0, uncertainty)]
    resolution = 0.01 / math.sqrt(12)
    difference = through(FORMULAS["difference", 1], {}, inputs, [])
    assert difference.expanded == pytest.approx(2 * math.hypot(resolution, resolution))
    assert not difference.is_least
    both = with_units(own_formula("a + b"), ["K", "K"], "K")
    total = through(both, {}, inputs, [])
    assert total.expanded == pytest.approx(2 * math.hypot(0.4, resolution, resolution), rel=1e-6)
    [share] = [part for part in total.shares if part.kind == "calibration"]
    assert share.of == "Now and Before"
    other = replace(
        uncertainty, shares=tuple(replace(part, step="another") for part in uncertainty.shares)
    )
    apart = through(FORMULAS["difference", 1], {}, [inputs[0], ("Before", 4.0, other)], [])
    assert apart.expanded == pytest.approx(
        2 * math.hypot(0.2, 0.2, resolution, resolution), rel=1e-3
    )


def test_a_slope_drops_what_all_readings_have_alike() -> None:
    """By hand: at 0, 1 and 2 h the squares about 1 h add up to 2; resolved to 0.01."""
    resolution = 0.01 / math.sqrt(12)
    uncertainty = Uncertainty(
        (
            UncertaintyShare("calibration", 0.1, step="a"),
            UncertaintyShare("resolution", resolution),
        ),
        True,
    )
    sure = of_slope(uncertainty, np.array([0.0, 1.0, 2.0]))
    assert [share.kind for share in sure.shares] == ["resolution"]
    assert sure.expanded == pytest.approx(2 * resolution / math.sqrt(2))
    assert sure.is_least


def test_a_tie_of_a_running_mean_replaces_the_calibration_of_its_input() -> None:
    mean = Uncertainty(
        (UncertaintyShare("calibration", 0.1), UncertaintyShare("resolution", 0.001)), is_least=True
    )
    free = over_window("Water level", mean, [], raw())
    assert {(share.kind, share.of) for share in free.shares} == {
        ("calibration", "Water level"),
        ("resolution", "Water level"),
    }
    assert free.is_least
    tied = over_window("Water level", mean, [step("tie", u=0.006)], raw())
    assert tied.expanded == pytest.approx(2 * math.hypot(0.003, 0.001))
    assert not tied.is_least
