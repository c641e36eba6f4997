"""One small language: parsing, units and evaluation of a formula of somebody's own.

Arithmetic with units, safe whatever is typed.

    (a - b) / (9.81[m/s2] * 1018[kg/m3])        kelvin(a)        where(a > 3[m], a, b)

a is the first series, b the second, and so on. Numbers carry a unit in brackets, or are pure. What
is added has to be alike; °C - °C is K, °C + °C nothing; exp and ln take pure numbers, and
exponents are such.
Division by zero, and all else that gives no finite number, gives no value.
Source: docs/calculations.md, "Own formulas".
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from typing import Any, TypeAlias

import numpy as np

from gezeiten.domain.quantities.unit_algebra import CELSIUS, KELVIN, PURE, Unit, unit_of
from gezeiten.domain.series.timeline import Values
from gezeiten.domain.steps.formulas.formula import Formula, Made, Role
from gezeiten.domain.steps.formulas.own_text import WITH_UNIT, TypedFormula, read_formula, spine
from gezeiten.errors import InputError

OWN = "own: "
"""What the key of such a formula begins with; the rest is what was typed."""
VERSION = 2
"""1 took a power of what is no pure number by itself, like m/cm, in its unit, knew exponents as
twelfths, and gave a value where an input had none if that did not count there."""
_WRONG_IN_1 = "powers can be wrong in it, and it can have a value where an input has none"
_MOST_INPUTS = 8
_NAMES = "abcdefgh"
_FINEST_EXPONENT, _ALMOST = 10_000, 1e-12
_COMPARED: dict[type[ast.cmpop], Callable[[Any, Any], Any]] = {
    ast.Lt: np.less,
    ast.LtE: np.less_equal,
    ast.Gt: np.greater,
    ast.GtE: np.greater_equal,
}
_OF_NUMBERS: dict[str, Callable[[Any], Any]] = {"exp": np.exp, "ln": np.log, "log10": np.log10}
Inputs: TypeAlias = tuple[Values, ...]


@dataclass(frozen=True, slots=True)
class _Scope:
    """What the parts of a formula are read in. units: of its series; version: of this language."""

    typed: TypedFormula
    units: Mapping[str, Unit]
    version: int


class _PlacedError(InputError):
    """The sentence says where already."""


@dataclass(frozen=True, slots=True)
class _Part:
    """A part of a formula: of which unit its values are, and how they follow from the inputs."""

    unit: Unit
    of: Callable[[Inputs], Any]

    def in_unit(self, unit: Unit) -> Callable[[Inputs], Any]:
        """Return its values in another unit of the same dimension."""
        ratio, own = self.unit.factor / unit.factor, self.of
        return own if ratio == 1 else lambda inputs: own(inputs) * ratio


def is_own(key: str) -> bool:
    """Whether the key of a formula is that of one of somebody's own."""
    return key.startswith(OWN)


@lru_cache(maxsize=256)
def own_formula(typed: str) -> Formula:
    """Return the formula that somebody typed; what comes out is for a calculation to say.

    Raises:
        InputError: it cannot be read; the sentence says where.
    """
    text = " ".join(typed.split())
    count = len(names_in(text))
    roles = tuple(Role(name, "") for name in _NAMES[:count])

    def apply(inputs: Inputs, parameters: Mapping[str, float]) -> Made:
        raise TypeError("its units are not known yet; see `with_units`")

    return Formula(f"{OWN}{text}", VERSION, text, roles, {}, apply, "custom formula")


def with_units(formula: Formula, inputs: Sequence[str], result: str) -> Formula:
    """Return an own formula for inputs of these units, with its values in the unit of the result.

    Raises:
        InputError: its units do not fit together; the sentence says which.
    """
    return _with_units(formula.name, tuple(inputs), result, formula.version)


@lru_cache(maxsize=256)
def _with_units(typed: str, inputs: tuple[str, ...], result: str, version: int) -> Formula:
    units = {name: unit_of(unit) for name, unit in zip(_NAMES, inputs, strict=False)}
    read = read_formula(typed)
    whole = _compile_part(read.tree, _Scope(read, units, version))
    wanted = unit_of(result)
    if not whole.unit.is_compatible(wanted) or whole.unit.is_point != wanted.is_point:
        told = f"cannot be in {result}" if result else "is not a plain number"
        raise InputError(
            f"The result of this formula {told}; choose another quantity, or correct its units."
        )
    made = whole.in_unit(wanted)

    def apply(values: Inputs, _: Mapping[str, float]) -> Made:
        with np.errstate(all="ignore"):
            found = np.asarray(made(values), np.float64)
        found = np.broadcast_to(found, values[0].shape)
        is_known = np.isfinite(found)
        if version > 1:  # `where` and a power of 0 would do without an input
            is_known = is_known & np.isfinite(values).all(axis=0)
        return np.where(is_known, found, np.nan), np.zeros(len(values[0]), np.bool_)

    superseded = _WRONG_IN_1 if version < VERSION else ""
    return replace(own_formula(typed), version=version, apply=apply, superseded=superseded)


def names_in(typed: str) -> list[str]:
    """Return the series that a formula names, a first.

    Raises:
        InputError: it cannot be read, names none, or leaves one out.
    """
    read = read_formula(typed)
    named = [
        node
        for node in ast.walk(read.tree)
        if isinstance(node, ast.Name) and node.id not in _FUNCTIONS
    ]
    for node in named:
        if node.id not in _NAMES or len(node.id) != 1:
            raise InputError(
                f"{read.place_of(node)}a formula names its series a, b, c, … up to "
                f"{_NAMES[-1]}; correct it."
            )
    found = sorted({node.id for node in named})
    if not found:
        raise InputError("A formula names its series a, b, c, …; use at least one.")
    for wanted, name in zip(_NAMES, found, strict=False):
        if name != wanted:
            raise InputError(
                f"This formula names {name}, but no {wanted}; name its series from a on."
            )
    return found


# -- reading ---------------------------------------------------------------------------------------
def _compile_part(node: ast.expr, scope: _Scope) -> _Part:
    """Return what a part of a formula says; only what stands here is understood.

    Raises:
        InputError: it makes no sense; the sentence says where.
    """
    with _locate_errors(node, scope):
        return _understood(node, scope)


@contextmanager
def _locate_errors(node: ast.expr, scope: _Scope) -> Iterator[None]:
    """Add to an error the place of the part where it occurred; the innermost part wins."""
    try:
        yield
    except _PlacedError:
        raise
    except InputError as exc:
        raise _PlacedError(scope.typed.place_of(node) + str(exc)) from exc


def _understood(node: ast.expr, scope: _Scope) -> _Part:
    if isinstance(node, ast.Constant) and _is_number(node.value):
        value = float(str(node.value))
        return _Part(PURE, lambda _: value)
    if isinstance(node, ast.Name) and node.id in scope.units:
        place = _NAMES.index(node.id)
        return _Part(scope.units[node.id], lambda inputs: inputs[place])
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        its = _compile_part(node.operand, scope)
        _refuse_point(its, "turned round")
        return _Part(its.unit, lambda x: -its.of(x)) if isinstance(node.op, ast.USub) else its
    if isinstance(node, ast.BinOp):
        return _raised(node, scope) if isinstance(node.op, ast.Pow) else _joined(node, scope)
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and not node.keywords:
        if node.func.id == WITH_UNIT:
            return _quantity_constant(node)
        made = _FUNCTIONS.get(node.func.id)
        if made is not None:
            return made(node, scope)
    raise InputError("this is not allowed here; correct it.")


def _quantity_constant(node: ast.Call) -> _Part:
    values = [one.value for one in node.args if isinstance(one, ast.Constant)]
    if len(values) != len(node.args) or len(values) != len(("number", "unit")):
        raise InputError("A number with a unit is written like 9.81[m/s2]; correct it.")
    if not _is_number(values[0]):
        raise InputError(f"“{values[0]!r}” is not a number; correct it.")
    number, unit = float(str(values[0])), unit_of(str(values[1]))
    return _Part(unit, lambda _: number)


def _is_number(value: object) -> bool:
    return type(value) in (int, float)


def _joined(node: ast.BinOp, scope: _Scope) -> _Part:
    """Return a sum or product, from its first term on."""
    first, done = spine(node)
    made = _compile_part(first, scope)
    for one in done:
        made = _combined(made, one, scope)
    return made


def _combined(a: _Part, node: ast.BinOp, scope: _Scope) -> _Part:
    b = _compile_part(node.right, scope)
    with _locate_errors(node, scope):
        return _of_two(a, node.op, b)


def _of_two(a: _Part, sign: ast.operator, b: _Part) -> _Part:
    if isinstance(sign, ast.Add | ast.Sub):
        return _summed(a, b, -1 if isinstance(sign, ast.Sub) else 1)
    for one in (a, b):
        _refuse_point(one, "multiplied or divided")
    if isinstance(sign, ast.Mult):
        return _Part(a.unit.times(b.unit), lambda x: a.of(x) * b.of(x))
    if isinstance(sign, ast.Div):
        return _Part(a.unit.times(b.unit, -1), lambda x: np.divide(a.of(x), b.of(x)))
    raise InputError(
        "A formula can add, subtract, multiply, divide and raise to a power; correct it."
    )


def _summed(a: _Part, b: _Part, sign: int) -> _Part:
    _refuse_unlike(a, b)
    if a.unit.is_point and b.unit.is_point:
        if sign > 0:
            raise InputError("°C + °C is not defined; use mean(a, b), or their difference.")
        return _Part(KELVIN, lambda x: a.of(x) - b.of(x))
    if b.unit.is_point and sign < 0:
        raise InputError("K - °C is not defined; swap the two.")
    point = a if a.unit.is_point else b
    unit = point.unit if point.unit.is_point else a.unit
    left, right = a.in_unit(unit), b.in_unit(unit)
    return _Part(unit, lambda x: left(x) + sign * right(x))


def _raised(node: ast.BinOp, scope: _Scope) -> _Part:
    a = _compile_part(node.left, scope)
    its = _compile_part(node.right, replace(scope, units={}))  # a number that is written there
    _refuse_point(a, "raised")
    if not its.unit.is_pure:
        raise InputError("An exponent must be a plain number; correct it.")
    power = float((its.of if scope.version == 1 else its.in_unit(PURE))(()))
    if not abs(power) <= 20:
        raise InputError("An exponent must be between -20 and 20; correct it.")
    if scope.version == 1:
        unit = a.unit.power(Fraction(power).limit_denominator(12))
        return _Part(unit, lambda x: np.power(a.of(x), power))
    if a.unit.is_pure:
        base = a.in_unit(PURE)
        return _Part(PURE, lambda x: np.power(base(x), power))
    exact = Fraction(power).limit_denominator(_FINEST_EXPONENT)
    if abs(exact - Fraction(power)) > _ALMOST:
        raise InputError(
            "A value with a unit can only be raised to a plain number; divide by its "
            "unit first, like (a / 1[m])^b."
        )
    return _Part(a.unit.power(exact), lambda x: np.power(a.of(x), power))


def _refuse_point(one: _Part, how: str) -> None:
    if one.unit.is_point:
        raise InputError(f"°C cannot be {how}; write kelvin(a), or a difference like a - 0[°C].")


def _refuse_unlike(a: _Part, b: _Part) -> None:
    if not a.unit.is_compatible(b.unit):
        raise InputError(
            "Values that are added or compared must be of the same kind; give each "
            "number its unit, like 3[m]."
        )


# -- functions -------------------------------------------------------------------------------------
def _arguments(node: ast.Call, scope: _Scope, least: int, most: int) -> list[_Part]:
    if not least <= len(node.args) <= most:
        raise InputError(f"“{ast.unparse(node.func)}” takes another number of values; correct it.")
    return [_compile_part(one, scope) for one in node.args]


def _of_number(node: ast.Call, scope: _Scope) -> _Part:
    [its] = _arguments(node, scope, 1, 1)
    name = ast.unparse(node.func)
    if not its.unit.is_pure:
        raise InputError(f"“{name}” takes a plain number; divide by a unit, like a / 1[%].")
    function, inner = _OF_NUMBERS[name], its.in_unit(PURE)
    return _Part(PURE, lambda x: function(inner(x)))


def _same_unit_arguments(
    node: ast.Call, scope: _Scope
) -> tuple[Unit, list[Callable[[Inputs], Any]]]:
    parts = _arguments(node, scope, 2, _MOST_INPUTS)
    for one in parts[1:]:
        _refuse_unlike(parts[0], one)
        if one.unit.is_point != parts[0].unit.is_point:
            raise InputError("°C and K cannot be compared; use kelvin(a).")
    return parts[0].unit, [one.in_unit(parts[0].unit) for one in parts]


def _lowest(node: ast.Call, scope: _Scope) -> _Part:
    unit, listed = _same_unit_arguments(node, scope)
    return _Part(unit, lambda x: _over(np.minimum, listed, x))


def _highest(node: ast.Call, scope: _Scope) -> _Part:
    unit, listed = _same_unit_arguments(node, scope)
    return _Part(unit, lambda x: _over(np.maximum, listed, x))


def _mean(node: ast.Call, scope: _Scope) -> _Part:
    unit, listed = _same_unit_arguments(node, scope)
    return _Part(unit, lambda x: _over(np.add, listed, x) / len(listed))


def _over(function: Callable[[Any, Any], Any], listed: Sequence[Any], inputs: Inputs) -> Any:
    found = listed[0](inputs)
    for one in listed[1:]:
        found = function(found, one(inputs))
    return found


def _size(node: ast.Call, scope: _Scope) -> _Part:
    [its] = _arguments(node, scope, 1, 1)
    _refuse_point(its, "without its sign")
    return _Part(its.unit, lambda x: np.abs(its.of(x)))


def _root(node: ast.Call, scope: _Scope) -> _Part:
    [its] = _arguments(node, scope, 1, 1)
    _refuse_point(its, "a root")
    return _Part(its.unit.power(Fraction(1, 2)), lambda x: np.sqrt(its.of(x)))


def _kelvin(node: ast.Call, scope: _Scope) -> _Part:
    [its] = _arguments(node, scope, 1, 1)
    if not its.unit.is_point:
        raise InputError("“kelvin” takes °C; correct it.")
    return _Part(KELVIN, lambda x: its.of(x) + 273.15)


def _celsius(node: ast.Call, scope: _Scope) -> _Part:
    [its] = _arguments(node, scope, 1, 1)
    if its.unit.is_point or not its.unit.is_compatible(KELVIN):
        raise InputError("“celsius” takes kelvins; correct it.")
    inner = its.in_unit(KELVIN)
    return _Part(CELSIUS, lambda x: inner(x) - 273.15)


def _conditional(node: ast.Call, scope: _Scope) -> _Part:
    asked, *both = node.args or [ast.Constant(0)]
    if len(both) != len(("yes", "no")) or not isinstance(asked, ast.Compare):
        raise InputError("“where” takes a comparison and two values, like where(a > 3[m], a, b).")
    sign = asked.ops[0] if len(asked.ops) == 1 else ast.Eq()
    compared = _COMPARED.get(type(sign))
    if compared is None:
        raise InputError("A comparison is one of <, <=, >, >=; correct it.")
    _, (left, right) = _same_unit_arguments(_call(asked.left, asked.comparators[0]), scope)
    unit, (yes, no) = _same_unit_arguments(_call(*both), scope)

    def of(x: Inputs) -> Any:
        a, b = left(x), right(x)
        known = np.isfinite(a) & np.isfinite(b)
        return np.where(known, np.where(compared(a, b), yes(x), no(x)), np.nan)

    return _Part(unit, of)


def _call(*arguments: ast.expr) -> ast.Call:
    return ast.Call(ast.Name("where", ast.Load()), list(arguments), [])


_FUNCTIONS: dict[str, Callable[[ast.Call, _Scope], _Part]] = {
    "exp": _of_number,
    "ln": _of_number,
    "log10": _of_number,
    "min": _lowest,
    "max": _highest,
    "mean": _mean,
    "abs": _size,
    "sqrt": _root,
    "kelvin": _kelvin,
    "celsius": _celsius,
    "where": _conditional,
    "_": lambda node, _: _quantity_constant(node),
}
FUNCTIONS = tuple(name for name in _FUNCTIONS if name != "_")
"""What can be called, for those who write one."""
