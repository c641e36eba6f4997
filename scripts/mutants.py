"""Puts small faults into every rule of the trade and counts which of them the tests beside it
notice. Of `domain`, what stays unnoticed stands in tests/domain/survivors.toml, with the reason.

    python scripts/mutants.py [room[/module] ...]     without names: all of domain

Rooms are `domain`, `projection` (actions put into tables) and `exchange` (open file formats), a
module is called as its file: domain/limits, exchange/csv_out.
"""

from __future__ import annotations

import ast
import difflib
import json
import re
import shutil
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

HERE = Path(__file__).parent.parent
COPY = HERE / ".cache" / "mutants"
LEFT = HERE / "tests" / "domain" / "survivors.toml"
AROUND = 25
UNNOTICED = (0, 5, 33)  # the tests passed, or none of them comes there


@dataclass(frozen=True, slots=True)
class Room:
    """A part of the package: its folder below `gezeiten`, the tests that are to notice, the least
    share of faults that they must."""

    folder: str
    tests: tuple[str, ...]
    wanted: float


ROOMS = {
    "domain": Room("domain", ("tests/domain",), 0.95),
    "projection": Room(
        "archive/projection",
        ("tests/archive/projection", "tests/archive/actions", "tests/archive/test_golden.py"),
        0.92,
    ),
    "exchange": Room("exchange", ("tests/exchange",), 0.92),
}


@dataclass(frozen=True, slots=True)
class Fault:
    """One fault: where, what stood there and what was put in its place; whether it was noticed.

    is_wording: only the words of a sentence were changed; such faults are counted apart.
    """

    place: str
    was: str
    now: str
    is_noticed: bool
    is_wording: bool

    @property
    def text(self) -> str:
        """One line that stays the same as long as the rule does: what differs, with a little of
        what stands around it."""
        before = _alike(self.was, self.now)
        after = _alike(self.was[before:][::-1], self.now[before:][::-1])
        begin, cut = max(before - AROUND, 0), max(after - AROUND, 0)
        was, now = (text[begin : len(text) - cut] for text in (self.was, self.now))
        return f"{self.place}: {was} -> {now}"


def _alike(one: str, other: str) -> int:
    """Return how many characters are the same from the beginning on."""
    pairs = zip(one, other, strict=False)
    return next((i for i, (a, b) in enumerate(pairs) if a != b), min(len(one), len(other)))


def main(wanted: list[str]) -> int:
    """Run, report, and return 0 where enough was noticed and the rest is explained."""
    modules: dict[str, list[str]] = {}
    for name in wanted or ["domain"]:
        room, _, module = name.partition("/")
        modules.setdefault(room, []).extend([module] if module else [])
    return max(_try(name, parts) for name, parts in modules.items())


def _try(name: str, modules: list[str]) -> int:
    room = ROOMS[name]
    _copy_tree(room, modules)
    tool = [sys.executable, "-m", "mutmut", "run", "--max-children", "2"]
    subprocess.run(tool, cwd=COPY, check=True)
    tried = list(faults(COPY / "mutants" / "src" / "gezeiten" / room.folder))
    return report(tried, room, is_part=bool(modules))


def _copy_tree(room: Room, modules: list[str]) -> None:
    """Copy what is tried, with settings that name it and the tests that are to notice."""
    shutil.rmtree(COPY, ignore_errors=True)
    COPY.mkdir(parents=True)
    for name in ("src", "tests", "docs"):
        left_out = shutil.ignore_patterns("__pycache__", "screenshots")
        shutil.copytree(HERE / name, COPY / name, ignore=left_out)
    below = f"src/gezeiten/{room.folder}"
    paths = [f"{below}/{one}{deep}" for one in modules or [""] for deep in ("*", "*/*", "*/*/*")]
    settings = (HERE / "pyproject.toml").read_text()
    for key, listed in (("only_mutate", paths), ("test_selection", list(room.tests))):
        settings = re.sub(rf"(?m)^(\w*{key}) = .*$", rf"\1 = {json.dumps(listed)}", settings)
    (COPY / "pyproject.toml").write_text(settings)


def faults(folder: Path) -> Iterator[Fault]:
    """Yield every fault that was tried, read from what the tool leaves behind."""
    for meta in sorted(folder.rglob("*.meta")):
        results = json.loads(meta.read_text())["exit_code_by_key"]
        tree = ast.parse(meta.with_suffix("").read_text())
        functions = {n.name: n for n in ast.walk(tree) if isinstance(n, ast.FunctionDef)}
        for key, code in results.items():
            name = key.rsplit(".", 1)[1]
            usual = functions[re.sub(r"__mutmut_[0-9]+$", "__mutmut_orig", name)]
            if code is not None:
                module = ".".join(meta.relative_to(folder).parts).removesuffix(".py.meta")
                place = f"{module}.{_plain(name)}"
                yield _fault(place, usual, functions[name], code not in UNNOTICED)


def _plain(name: str) -> str:
    return re.sub(r"^x_?|__mutmut_[0-9]+$", "", name).strip("ǁ").replace("ǁ", ".")


def _fault(place: str, usual: ast.FunctionDef, faulty: ast.FunctionDef, noticed: bool) -> Fault:
    lines = [ast.unparse(body).splitlines()[1:] for body in (usual, faulty)]
    changed = [line for line in difflib.ndiff(*lines) if line[:2] in ("- ", "+ ")]
    was, now = ("; ".join(c[2:].strip() for c in changed if c[0] == sign) for sign in "-+")
    return Fault(place, was, now, noticed, _is_wording(usual, faulty))


def _is_wording(usual: ast.FunctionDef, faulty: ast.FunctionDef) -> bool:
    """Whether nothing but a text of several words differs; a key or unit is part of a rule."""
    texts, others = _texts(usual), _texts(faulty)
    pairs = zip(texts, others, strict=False)
    return len(texts) == len(others) and any(a != b and " " in a.strip() for a, b in pairs)


def _texts(body: ast.FunctionDef) -> list[str]:
    constants = (node.value for node in ast.walk(body) if isinstance(node, ast.Constant))
    return [value for value in constants if isinstance(value, str)]


def report(tried: list[Fault], room: Room, *, is_part: bool) -> int:
    """Print the counts and what is not explained yet."""
    rules = [f for f in tried if not f.is_wording]
    share = _say("rules", rules)
    _say("wording", [f for f in tried if f.is_wording])
    unnoticed = {f.text for f in rules if not f.is_noticed}
    if room is not ROOMS["domain"]:
        print(*sorted(unnoticed), sep="\n")
        return 0 if share >= room.wanted else 1
    known = _explained()
    for text in sorted(unnoticed - known):
        print(f"not explained: {text}")
    for text in sorted(known - unnoticed) if not is_part else ():
        print(f"explained, but noticed or gone: {text}")
    return 0 if share >= room.wanted and unnoticed <= known else 1


def _say(what: str, some: list[Fault]) -> float:
    """Print how many of some faults were noticed, and return which share."""
    noticed = sum(f.is_noticed for f in some)
    share = noticed / len(some) if some else 1.0
    print(f"{what}: {noticed} of {len(some)} faults noticed ({share:.1%})")
    return share


def _explained() -> set[str]:
    groups = tomllib.loads(LEFT.read_text())["group"]
    return {fault for group in groups for fault in group["faults"]}


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
