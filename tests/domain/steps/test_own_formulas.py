"""Own formulas: by hand, against Python's own arithmetic, and what has to be refused."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.quantities.quantities import QUANTITIES
from gezeiten.domain.quantities.unit_algebra import CELSIUS, KELVIN, PURE, unit_of
from gezeiten.domain.steps.formulas import formula_of, own_formula
from gezeiten.domain.steps.formulas.own import OWN, names_in, with_units
from gezeiten.errors import InputError


def value(typed: str, units: list[str], result: str, *values: float) -> float:
    formula = with_units(own_formula(typed), units, result)
    return float(formula.apply(tuple(np.array([one]) for one in values), {})[0][0])


@pytest.mark.parametrize(
    ("typed", "units", "result", "values", "wanted"),
    [
        # (120 - 101) kPa over rho g: 19,000 / (1000 x 9.81) m
        ("(a - b) / (9.81[m/s2] * 1000[kg/m3])", ["kPa", "kPa"], "m", (120, 101), 1.936799),
        ("a - b", ["°C", "°C"], "K", (21.5, 20.0), 1.5),
        ("a + 2[K]", ["°C"], "°C", (20.0,), 22.0),
        ("celsius(kelvin(a) * 2)", ["°C"], "°C", (20.0,), 313.15),
        ("mean(a, b)", ["°C", "°C"], "°C", (20.0, 21.0), 20.5),
        ("max(a, b) - min(a, b)", ["m", "m"], "m", (1.0, 4.0), 3.0),
        ("a * 60[min]", ["m³/s"], "m3", (2.0,), 7200.0),
        ("a + 50[cm]", ["m"], "m", (1.0,), 1.5),  # another size of the same
        ("100[%] * exp(0 - a / 10[%])", ["%"], "%", (10.0,), 100 / math.e),
        ("sqrt(a * a)", ["m"], "m", (-3.0,), 3.0),
        ("a ^ 2 / 1[m]", ["m"], "m", (3.0,), 9.0),
        ("where(a > 3[m], a, 3[m])", ["m"], "m", (2.0,), 3.0),
        ("-a + abs(a)", ["m"], "m", (-2.0,), 4.0),
        ("ln(a / b)", ["m", "m"], "", (math.e, 1.0), 1.0),
        ("(a - 0[°C]) * 0.5[1/K] * 1[m]", ["°C"], "m", (4.0,), 2.0),
        ("a * 1e-3[g/mg]", ["mg/m³"], "µg/m³", (5.0,), 5000.0),
        # a rating curve: Q = 0.02 l/s (h / 1 cm)^1.65 with h over a notch at 30 cm
        ("0.02[l/s] * ((a - 30[cm]) / 1[cm])^1.65", ["m"], "m³/s", (0.8,), 2e-5 * 50**1.65),
        ("1[m] * ((a − 30[cm]) / 1[m])^(8/3)", ["m"], "m", (0.8,), 0.5 ** (8 / 3)),
        ("a^1.65 · 1[m] ÷ 1[cm]^1.65", ["m"], "m", (0.8,), 80**1.65),
        ("(a / 1[%])^0.37", ["%"], "", (40.0,), 40**0.37),
        ("(1[m] / 1[cm])^0.5 * a", ["m"], "m", (3.0,), 30.0),
        ("2·a² × 1[m⁻¹] − a³ * 1[1/m2]", ["m"], "m", (3.0,), -9.0),
        ("a⁻² * 1[m3]", ["m"], "m", (2.0,), 0.25),
        ("a + 1[ft] - 12[in]", ["m"], "m", (2.0,), 2.0),
        ("a * 1[mL/l]", ["m"], "mm", (2.0,), 2.0),
        ("a + 1[gal/min]", ["m³/s"], "l/s", (0.0,), 0.0630902),
        ("a + 10[mph] + 1[kn]", ["m/s"], "m/s", (0.0,), 4.984844),
        ("a + 1[psi] + 1[mmHg]", ["kPa"], "kPa", (0.0,), 7.02808),
        ("a" + " - a + a" * 61, ["m"], "m", (2.0,), 2.0),  # 490 signs
    ],
)
def test_by_hand(
    typed: str, units: list[str], result: str, values: tuple[float, ...], wanted: float
) -> None:
    assert value(typed, units, result, *values) == pytest.approx(wanted, rel=1e-6)


@pytest.mark.parametrize(
    ("typed", "units", "result", "reason"),
    [
        ("a + b", ["°C", "°C"], "°C", "At character 1"),
        ("2[K] - a", ["°C"], "°C", r"“2\[K\] - a”"),
        ("a * 2", ["°C"], "°C", "multiplied"),
        ("a + 3", ["m"], "m", "Values that are added or compared must be of the same kind"),
        ("a + b", ["m", "kPa"], "m", "Values that are added or compared must be of the same kind"),
        ("a + b", ["%", "ppm"], "%", "Values that are added or compared must be of the same kind"),
        ("exp(a)", ["%"], "", "takes a plain number"),
        ("a ^ b", ["m", "m"], "m", "this is not allowed here"),
        ("a * 1[m]", ["m"], "m", "another quantity"),
        ("a - b", ["°C", "°C"], "°C", "another quantity"),
        ("a * 1[florin/]", ["m"], "m", "is not a unit"),
        ("where(a == 3[m], a, a)", ["m"], "m", "comparison"),
        ("where(a, a, a)", ["m"], "m", "comparison"),
        ("min(a)", ["m"], "m", "number of values"),
        ("kelvin(a)", ["m"], "K", "takes °C"),
        ("a // 2", ["m"], "m", "correct it"),
        ("a if a else a", ["m"], "m", "this is not allowed here"),
        ("a.real", ["m"], "m", "this is not allowed here"),
        ("a and a", ["m"], "m", "this is not allowed here"),
        ("_('1', a) + a", ["m"], "m", "written like"),
    ],
)
def test_what_makes_no_sense_is_refused(
    typed: str, units: list[str], result: str, reason: str
) -> None:
    with pytest.raises(InputError, match=reason):
        with_units(own_formula(typed), units, result)


@pytest.mark.parametrize(
    "typed",
    [
        "",
        "b",
        "a + c",
        "a +",
        "(" * 300 + "a" + ")" * 300,
        "a" + " + a" * 200,
        "__import__('os')",
        "open('x')",
        "a; b",
        "lambda: a",
        "[a for a in b]",
        "x := 3",
        "a\x00",
    ],
)
def test_what_is_no_formula_is_refused(typed: str) -> None:
    with pytest.raises(InputError):
        with_units(own_formula(typed), ["m"] * 8, "m")


@pytest.mark.parametrize(
    ("typed", "unit", "where"),
    [
        ("a + 3", "m", "At character 1, “a + 3”: "),
        ("a + 2[m] + (a · 3)² ", "m", "At character 1, “a + 2[m] + (a · 3)²”: "),
        ("a - exp(a − 1[m])", "m", "At character 5, “exp(a − 1[m])”: "),
        ("a + ä", "m", "At character 5, “ä”: "),
        ("1[m] + a * )", "m", "At character 12, “)”: "),
        ("a * (1 + ", "m", "At character 5, “(1 +”: "),
        ("a ^ (a / 1[m])", "m", "At character 6, “a”: "),
        ("a^1.23456789", "m", "At character 1, “a^1.23456789”: "),
    ],
)
def test_what_is_wrong_is_named_with_its_place(typed: str, unit: str, where: str) -> None:
    with pytest.raises(InputError) as raised:
        with_units(own_formula(typed), [unit], unit)
    assert str(raised.value).startswith(where)


def test_what_was_calculated_by_the_first_version_stays_as_it_was() -> None:
    """It is on paper already; it raised m/cm, 100, to 18/11 for 1.65."""
    typed = f"{OWN}((a - 30[cm]) / 1[cm])^1.65 * 1[m]"
    before, now = (formula_of(typed, version, ["water_level"], "water_level") for version in (1, 2))
    assert before is not None
    assert now is not None
    values = (np.array([0.8]),)
    assert now.apply(values, {})[0][0] == pytest.approx(50**1.65)
    assert before.apply(values, {})[0][0] == pytest.approx(0.5**1.65 * 100 ** (18 / 11))


def test_nothing_finite_is_no_value() -> None:
    assert math.isnan(value("a / (b - b)", ["m", "m"], "", 1.0, 2.0))
    assert math.isnan(value("ln(a / 1[m])", ["m"], "", -1.0))
    assert math.isnan(value("where(a > 1[m], a, a)", ["m"], "m", math.nan))


def _pair(x: str, sign: str, y: str) -> str:
    return f"({x} {sign} {y})"


TERMS = st.recursive(
    st.sampled_from(["a", "b", "c", "1.5", "2", "0.25"]),
    lambda inner: st.builds(_pair, inner, st.sampled_from("+-*/"), inner),
    max_leaves=8,
)


@given(TERMS, st.tuples(*[st.floats(-100, 100)] * 3))
def test_of_pure_numbers_it_is_arithmetic(typed: str, values: tuple[float, ...]) -> None:
    typed = f"{typed} + a - a + b - b + c - c"  # so that all are named
    try:
        wanted = eval(typed, {}, dict(zip("abc", values, strict=True)))
    except (ZeroDivisionError, OverflowError):
        wanted = math.nan
    found = value(typed, ["", "", ""], "", *values)
    both_none = math.isnan(found) and not math.isfinite(wanted)
    assert both_none or found == pytest.approx(wanted, rel=1e-12, abs=1e-12)


def test_series_are_named_from_a_on() -> None:
    assert names_in("b + a * 2") == ["a", "b"]
    formula = formula_of(f"{OWN}a - b", 1, ["air_temperature", "air_temperature"], "level_rate")
    assert formula is None  # its units do not fit: it has no effect
    assert formula_of(f"{OWN}a - b", 3, ["water_level"] * 2, "level_difference") is None
    assert formula_of(f"{OWN}a - b", 1, ["water_level"] * 2, "level_difference") is not None


def test_every_unit_of_the_list_is_understood_and_like_itself() -> None:
    for one in QUANTITIES.values():
        assert unit_of(one.unit).is_compatible(unit_of(one.unit))
    assert unit_of("°C") == CELSIUS
    assert unit_of("K") == KELVIN
    assert unit_of("") == PURE
    watt = unit_of("W/m²").times(unit_of("m2"))
    assert watt.is_compatible(unit_of("V").times(unit_of("A")))
    assert unit_of("kPa").factor == pytest.approx(1000 * unit_of("Pa").factor)


@pytest.mark.parametrize("typed", ["where(a > 3[m], a, b)", "b^0 * a", "max(a, 0 * b)"])
def test_what_lacks_an_input_has_no_value(typed: str) -> None:
    """Version 1 had one where the missing input did not count; what it gave stays."""
    formula = with_units(own_formula(typed), ["m", "m"], "m")
    inputs = (np.array([4.0, 4.0]), np.array([np.nan, 5.0]))
    found, _ = formula.apply(inputs, {})
    assert np.isnan(found).tolist() == [True, False]
    old = with_units(replace(own_formula(typed), version=1), ["m", "m"], "m")
    assert old.superseded
    if typed.startswith("where"):
        assert old.apply(inputs, {})[0].tolist() == [4.0, 4.0]
