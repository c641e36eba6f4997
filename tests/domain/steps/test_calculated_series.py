"""Which series are calculated from which, and how far a change reaches."""

from __future__ import annotations

from gezeiten.domain.steps.calculated_series import (
    CalculatedSeries,
    closes_a_circle,
    in_force,
    root,
    spread,
    transitive_inputs,
)
from gezeiten.domain.steps.formulas.formula import LONGEST_MS

T, RH = ("well", "air_temperature"), ("well", "relative_humidity")
AIR = ("mast", "air_pressure")


def derived(
    name: str, *inputs: tuple[str, str], point: str = "well", formula: str = "difference"
) -> CalculatedSeries:
    return CalculatedSeries(f"uid of {name}", point, name, formula, 1, {}, inputs)


def test_of_two_of_one_name_the_earlier_stands() -> None:
    first, second = derived("d@=", T, RH), derived("d@=", RH, T)
    assert in_force([first, second]) == {first.key: first}


def test_what_closes_a_circle_has_no_effect() -> None:
    a = derived("a@=", T, ("well", "b@="))
    b = derived("b@=", ("well", "c@="), T)
    c = derived("c@=", T, ("well", "a@="))
    assert list(in_force([a, b, c])) == [a.key, b.key]
    assert list(in_force([c, b, a])) == [c.key, b.key]
    itself = derived("x@=", T, ("well", "x@="))
    assert closes_a_circle(itself, {})
    assert in_force([itself]) == {}


def test_a_formula_of_a_newer_program_is_left_alone() -> None:
    assert in_force([derived("a@=", T, RH, formula="of the future")]) == {}


def test_what_it_rests_on_is_told_over_any_number_of_others() -> None:
    a = derived("a@=", T, RH)
    b = derived("b@=", a.key, AIR)
    standing = in_force([a, b])
    assert set(transitive_inputs(b, standing)) == {a.key, AIR, T, RH}
    assert root(b.key, standing) == T
    assert root(AIR, standing) == AIR


def test_a_change_reaches_whatever_rests_on_it() -> None:
    a = derived("a@=", T, AIR)
    b = derived("b@=", a.key, T)
    far = derived("f@=", ("roof", "air_temperature"), b.key, point="roof")
    standing = in_force([a, b, far])
    changed = spread({"mast": (1_000, 2_000)}, standing)
    assert changed["mast"] == (1_000, 2_000)
    assert changed["well"] == (1_000 - 2 * LONGEST_MS, 2_000 + 2 * LONGEST_MS)
    assert changed["roof"] == (1_000 - 3 * LONGEST_MS, 2_000 + 3 * LONGEST_MS)
    assert spread({"elsewhere": (1, 2)}, standing) == {"elsewhere": (1, 2)}
    assert spread({}, standing) == {}
