"""One way to write: what still writes without an act is listed, and the list only shrinks."""

from __future__ import annotations

import ast
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src" / "gezeiten"
WITHOUT_AN_ACT = {
    # what came from loggers, texts and live lines
    "archive/intake.py", "archive/overviews.py", "archive/readings.py", "archive/text_intake.py",
    # contacts and launches
    "desk/contact.py", "desk/erasing.py", "desk/following.py", "desk/intents.py",
    "desk/launching.py", "desk/carried.py", "desk/couriers.py", "desk/offloading.py",
    "desk/overviews.py", "desk/incoming.py",
    # drives and copies of the vault: they only tell
    "desk/drives.py", "desk/vault_copy.py",
    # what this computer finds
    "archive/excursions.py",
    # the ways themselves
    "archive/doing.py", "archive/logbook.py", "desk/context.py",
}  # fmt: skip
WRITES = {"add", "add_all", "delete", "merge", "log", "log_alone", "log_failure"}
"""Methods of a session or a desk that write rows or entries."""
OF = {"session", "db", "desk", "self.desk", "logbook"}


def writes_without_an_act(source: Path) -> bool:
    """Whether a module adds rows to a session or tells the logbook something without an act."""
    for node in ast.walk(ast.parse(source.read_text())):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
            whose = ast.unparse(node.func.value)
            if node.func.attr in WRITES and whose in OF:
                return True
            if (whose, node.func.attr) == ("logbook", "write"):
                return True
    return False


def test_who_writes_without_an_act_is_listed_and_the_list_only_shrinks() -> None:
    found = {
        source.relative_to(SOURCE).as_posix()
        for folder in ("archive", "desk")
        for source in (SOURCE / folder).rglob("*.py")
        if "migrations" not in source.parts and writes_without_an_act(source)
    }
    assert found <= WITHOUT_AN_ACT, f"write by an act instead: {sorted(found - WITHOUT_AN_ACT)}"
    assert found == WITHOUT_AN_ACT, f"take off the list: {sorted(WITHOUT_AN_ACT - found)}"
