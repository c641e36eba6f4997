"""The set-up: every program that tests and scripts call is one of its packages'."""

from __future__ import annotations

import ast
import re
import shutil
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "scripts"))

from programs import programs_there, setup_packages  # noqa: E402

_NAME = re.compile(r"[a-z][a-z0-9+.-]*")
_SHELL_WORDS = """
if then else elif fi for in do done while case esac function local return exit set unset cd echo
export exec command trap shift true false printf read wait source [ { } ! : [[
"""
_SHELL = frozenset(_SHELL_WORDS.split())
"""Words of the shell itself."""
_ONLY_BY_HAND = {"debootstrap", "sudo", "unshare"}
"""What `make bare` and the set-up itself ask for, or do without, with a sentence."""


def called_by(source: str) -> set[str]:
    """Return the programs that Python source calls: first words of lists that are run, and what is
    looked for with `which`."""
    found = set()
    tree = ast.parse(source)
    if not re.search(r"import (subprocess|shutil)", source):
        return found
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and ast.unparse(node.func).endswith("which"):
            found |= {a.value for a in node.args if isinstance(a, ast.Constant)}
        is_run = isinstance(node, ast.Call) and ast.unparse(node.func).startswith("subprocess.")
        is_kept = isinstance(node, ast.Assign) and isinstance(node.value, ast.List)
        for given in node.args[:1] if is_run else [node.value] if is_kept else []:
            if isinstance(given, ast.List) and given.elts:
                first = given.elts[0]
                if isinstance(first, ast.Constant) and isinstance(first.value, str):
                    found.add(first.value)
    return {name for name in found if _NAME.fullmatch(name)}


def called_in(script: str) -> set[str]:
    """Return the programs that a shell script calls, roughly: the first word of every command."""
    bare = re.sub(r"'[^']*'|\"(?:\\.|[^\"\\])*\"", "Q", re.sub(r"(^|\s)#.*", "", script))
    bare = re.sub(r"\w+\(\) *\{|\w+=\([^)]*\)|\\\n", " ", bare)
    functions = set(re.findall(r"(\w+)\(\)", script))
    found = set()
    for command in re.split(r"\n|;|&&|\|\||\||\$\(|\(|\)|<<<", bare):
        words = command.split()
        while words and (words[0] in _SHELL or "=" in words[0]) and words[0] != "command":
            words = words[1:] if words[0] not in ("for", "case", "local", "echo", "printf") else []
        if words and words[0] == "command":
            words = words[2:3]
        if words and _NAME.fullmatch(words[0]):
            found.add(words[0])
    return found - functions - _SHELL


def test_every_program_that_is_called_comes_with_the_set_up() -> None:
    there = set(programs_there())
    python = [*(ROOT / "tests").rglob("*.py"), *(ROOT / "scripts").glob("*.py")]
    shell = [*(ROOT / "scripts").glob("*.sh"), ROOT / ".ci" / "run"]
    called = {name: path for path in python for name in called_by(path.read_text())}
    called |= {name: path for path in shell for name in called_in(path.read_text())}
    assert {"mbpoll", "dbus-daemon"} <= set(called)  # or nothing is looked at
    in_venv = {path.name for path in Path(sys.executable).parent.iterdir()}
    missing = {n: p for n, p in called.items() if n not in there | in_venv | _ONLY_BY_HAND}
    assert not missing


@pytest.mark.parametrize("program", ["mbpoll", "dbus-daemon"])
def test_a_package_of_the_set_up_is_really_there(program: str) -> None:
    assert program in setup_packages()
    assert shutil.which(program)


def test_calls_are_seen_in_python_and_in_the_shell() -> None:
    source = "import subprocess, shutil\nasked = ['abc', '-x']\nsubprocess.run(asked)\n"
    assert called_by(source + "subprocess.Popen(['def'])\nshutil.which('ghi')") == {
        "abc",
        "def",
        "ghi",
    }
    assert called_in('if x=$(abc "$1" | def); then\n    ghi && jkl --to mno # pqr\nfi') == {
        "abc",
        "def",
        "ghi",
        "jkl",
    }
