"""The text of an own formula as a tree of Python's grammar, with the way back from a part of the
tree to the place where it was typed."""

from __future__ import annotations

import ast
import re
from dataclasses import dataclass
from functools import lru_cache

from gezeiten.errors import InputError

MOST_SIGNS = 500
_DEEPEST, _SHOWN_SIGNS = 40, 40
_NUMBER = r"(?:\d+\.?\d*(?:[eE][-+]?\d+)?|\.\d+)"
_TOKEN = re.compile(
    rf"(?P<number>{_NUMBER})\s*\[(?P<unit>[^\[\]]*(?:\[[^\[\]]*\][^\[\]]*)*)\]"
    r"|(?P<raised>[⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+)|(?P<sign>.)",
    re.DOTALL,
)
_SIGNS = {"^": "**", "−": "-", "–": "-", "·": "*", "⋅": "*", "∙": "*", "×": "*", "÷": "/"}
_RAISED = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
WITH_UNIT = "_"
"""The function that a number with its unit becomes: `_(9.81, 'm/s2')`."""


@dataclass(frozen=True, slots=True)
class TypedFormula:
    """text: as it was typed; tree: of Python's grammar; places: where in the text each sign of the
    tree's own text stood, with one behind the last."""

    text: str
    tree: ast.expr
    python: str
    places: tuple[int, ...]

    def place_of(self, node: ast.AST) -> str:
        """Return where a part stands, as the beginning of a sentence: `At sign 5, “a + b”: `."""
        line = self.python.encode()
        first = len(line[: getattr(node, "col_offset", 0)].decode())
        last = len(line[: getattr(node, "end_col_offset", 0) or 0].decode())
        start, end = self.places[first], self.places[last]
        return _place(self.text, start, max(end, start + 1))


def _place(text: str, start: int, end: int) -> str:
    shown = text[start:end].strip()
    if len(shown) > _SHOWN_SIGNS:
        shown = shown[:_SHOWN_SIGNS] + "…"
    return f"At character {start + 1}, “{shown}”: " if shown else "At its end: "


@lru_cache(maxsize=256)
def read_formula(typed: str) -> TypedFormula:
    """Return what was typed as a tree.

    Raises:
        InputError: it is no formula; the sentence says where.
    """
    if len(typed) > MOST_SIGNS:
        raise InputError(f"A formula has up to {MOST_SIGNS} characters; shorten it.")
    python, places = _as_python(typed)
    try:
        tree = ast.parse(python, mode="eval").body
    except SyntaxError as exc:
        start = places[min(max((exc.offset or 1) - 1, 0), len(places) - 1)]
        raise InputError(
            f"{_place(typed, start, start + 12)}this formula cannot be read; check "
            "its brackets and operators."
        ) from exc
    except (ValueError, RecursionError, MemoryError) as exc:
        raise InputError("This formula cannot be read; check its brackets and operators.") from exc
    if _depth(tree) > _DEEPEST:
        raise InputError("This formula is nested too deep; split it into two series.")
    return TypedFormula(typed, tree, python, places)


def _as_python(typed: str) -> tuple[str, tuple[int, ...]]:
    """Return a formula in Python's signs, and where each of them comes from."""
    pieces: list[str] = []
    places: list[int] = []
    for token in _TOKEN.finditer(typed):
        if token["unit"] is not None:
            piece = f"{WITH_UNIT}({token['number']}, {token['unit']!r})"
        elif token["raised"] is not None:
            piece = "**" + token["raised"].translate(_RAISED)
        else:
            piece = _SIGNS.get(token["sign"], token["sign"])
        pieces.append(piece)
        places += [token.start()] * len(piece)
    return "".join(pieces), (*places, len(typed))


def spine(node: ast.expr) -> tuple[ast.expr, list[ast.BinOp]]:
    """Return the first term of a sum or product and what is done with it, in order: long ones nest
    to the left."""
    done: list[ast.BinOp] = []
    while isinstance(node, ast.BinOp) and not isinstance(node.op, ast.Pow):
        done.append(node)
        node = node.left
    return node, done[::-1]


def _depth(tree: ast.expr) -> int:
    """Return how deep a formula is nested; a long sum is no deeper than a short one."""
    deepest, waiting = 0, [(tree, 1)]
    while waiting:
        one, depth = waiting.pop()
        deepest = max(deepest, depth)
        first, done = spine(one)
        below = [each.right for each in done] + ([first] if done else [])
        below = below or [
            child for child in ast.iter_child_nodes(one) if isinstance(child, ast.expr)
        ]
        waiting += [(child, depth + 1) for child in below]
    return deepest
