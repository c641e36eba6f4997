"""No name and no docstring in the package falls back to words that the project gave up.

`RETIRED` names them, with what is said instead. Names that are on the wire or on disk stay as
they were written (`FROZEN`): fields of actions, columns of tables, keys of plans and settings.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

PACKAGE = Path(__file__).parents[1] / "src" / "gezeiten"

RETIRED = {
    "acts": "actions",
    "feeding": "assignment",
    "hanging": "sensor_depth",
    "honest": "evidence",
    "house": "context",
    "hung": "sensor_depth",
    "lent": "is_covered_by",
    "lifted": "upgrade",
    "manner": "device_options",
    "manners": "device_options",
    "misfit": "conflict",
    "misfits": "conflicts",
    "placing": "deployment",
    "rubbish": "garbage collection",
    "story": "provenance",
    "stretch": "span, period",
    "stretches": "spans, periods",
    "tie": "template, fit",
    "tied": "fitted",
    "ties": "templates, fits",
    "whose": "owner",
}
"""Words that no identifier of ours may contain, and the word for it."""

FROZEN = {
    "domain/actions": {"feeding", "hanging", "placing", "stretch", "stretches", "tie"},
    "domain/facts/sites.py": {"stretches"},
    "domain/plan": {"manner", "manners"},
    "domain/series/gaps.py": {"stretches"},
    "domain/steps/corrections/reference.py": {"tie"},
    "domain/steps/fills.py": {"stretches"},
    "archive/migrations": set(RETIRED),
    "archive/projection": {"hanging", "placing", "tie"},
    "archive/queries/plans.py": {"tie"},
    "archive/store/tables.py": {"tie"},
    "cli/routes.py": {"tie"},
    "cli/logbook.py": {"misfits"},
}
"""Where a retired word is what was written once: part of a path, and the words."""

RIDDLES = re.compile(
    r"(Have what|Whose |What .* whose|Let go |Take back|Say that|Tell |Put right|Make anew)"
)
"""Docstrings do not begin so: they say what is returned or done."""


def names_of(tree: ast.Module) -> Iterator[tuple[int, str]]:
    """Yield line and name of everything that a module defines."""
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            yield node.lineno, node.name
        elif isinstance(node, ast.arg):
            yield node.lineno, node.arg
        elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
            yield node.lineno, node.id
        elif isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Store):
            yield node.lineno, node.attr


def words_in(name: str) -> list[str]:
    """Return the words that a name is made of, in lower case."""
    return [word.lower() for word in re.findall(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+", name)]


def faults_of(path: str, text: str) -> Iterator[str]:
    """Yield what is wrong in a module. path: below the package."""
    allowed = {word for part, words in FROZEN.items() if path.startswith(part) for word in words}
    tree = ast.parse(text)
    names = [(1, Path(path).stem), *names_of(tree)]
    for line, name in names:
        for word in words_in(name):
            if word in RETIRED and word not in allowed:
                yield f"{path}:{line}: {name}: say “{RETIRED[word]}”, not “{word}”"
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef | ast.ClassDef | ast.Module):
            opening = ast.get_docstring(node) or ""
            if RIDDLES.match(opening):
                yield f"{path}:{getattr(node, 'lineno', 1)}: “{opening.splitlines()[0]}”"


def main() -> int:
    """Print all faults; returns 1 where there is one."""
    faults = [
        fault
        for file in sorted(PACKAGE.rglob("*.py"))
        for fault in faults_of(file.relative_to(PACKAGE).as_posix(), file.read_text())
    ]
    print("\n".join(faults) or "No retired word.")
    return bool(faults)


if __name__ == "__main__":
    sys.exit(main())
