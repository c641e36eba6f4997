"""Own formulas: by hand, against Python's own arithmetic, and what has to be refused."""

from __future__ import annotations

import math

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
    made = with_units(own_formula(typed), units, result)
    return float(made.apply(tuple(np.array([one]) for one in values), {})[0][0])


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
    ],
)  # fmt: skip
def test_by_hand(
    typed: str, units: list[str], result: str, values: tuple[float, ...], wanted: float
) -> None:
    assert value(typed, units, result, *values) == pytest.approx(wanted, rel=1e-6)


@pytest.mark.parametrize(
    ("typed", "units", "result", "why"),
    [
        ("a + b", ["°C", "°C"], "°C", "means nothing"),
        ("2[K] - a", ["°C"], "°C", "exchange"),
        ("a * 2", ["°C"], "°C", "multiplied"),
        ("a + 3", ["m"], "m", "of one kind"),
        ("a + b", ["m", "kPa"], "m", "of one kind"),
        ("a + b", ["%", "ppm"], "%", "of one kind"),
        ("exp(a)", ["%"], "", "pure number"),
        ("a ^ b", ["m", "m"], "m", "not understood"),
        ("a * 1[m]", ["m"], "m", "another quantity"),
        ("a - b", ["°C", "°C"], "°C", "another quantity"),
        ("a * 1[florin/]", ["m"], "m", "no unit"),
        ("where(a == 3[m], a, a)", ["m"], "m", "comparison"),
        ("where(a, a, a)", ["m"], "m", "comparison"),
        ("min(a)", ["m"], "m", "number of values"),
        ("kelvin(a)", ["m"], "K", "takes °C"),
        ("a // 2", ["m"], "m", "correct it"),
        ("a if a else a", ["m"], "m", "not understood"),
        ("a.real", ["m"], "m", "not understood"),
        ("a and a", ["m"], "m", "not understood"),
        ("_('1', a) + a", ["m"], "m", "written like"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_refused(
    typed: str, units: list[str], result: str, why: str
) -> None:
    with pytest.raises(InputError, match=why):
        with_units(own_formula(typed), units, result)


@pytest.mark.parametrize(
    "typed",
    ["", "b", "a + c", "a +", "(" * 300 + "a" + ")" * 300, "a" + " + a" * 200, "__import__('os')",
     "open('x')", "a; b", "lambda: a", "[a for a in b]", "x := 3", "a\x00"],
)  # fmt: skip
def test_what_is_no_formula_is_refused(typed: str) -> None:
    with pytest.raises(InputError):
        with_units(own_formula(typed), ["m"] * 8, "m")


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
    known = formula_of(f"{OWN}a - b", 1, ["air_temperature", "air_temperature"], "level_rate")
    assert known is None  # its units do not fit: it has no effect
    assert formula_of(f"{OWN}a - b", 2, ["water_level"] * 2, "level_difference") is None
    assert formula_of(f"{OWN}a - b", 1, ["water_level"] * 2, "level_difference") is not None


def test_every_unit_of_the_list_is_understood_and_like_itself() -> None:
    for one in QUANTITIES.values():
        assert unit_of(one.unit).is_like(unit_of(one.unit))
    assert unit_of("°C") == CELSIUS
    assert unit_of("K") == KELVIN
    assert unit_of("") == PURE
    watt = unit_of("W/m²").times(unit_of("m2"))
    assert watt.is_like(unit_of("V").times(unit_of("A")))
    assert unit_of("kPa").factor == pytest.approx(1000 * unit_of("Pa").factor)
