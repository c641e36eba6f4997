"""One way to write: an act, applied by `archive/apply`; who else writes rows is listed here."""

from __future__ import annotations

import ast
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src" / "gezeiten"
THE_WAY = {
    # acts done, entered and applied; applied again and put back
    "archive/acts/entering.py", "archive/acts/catching_up.py", "archive/acts/entries_anew.py",
    "archive/acts/lost.py", "archive/acts/made.py", "archive/acts/misfits.py",
    "archive/acts/rebuild.py",
    "archive/people.py", "archive/store/prepared.py",
    # what this computer makes of bytes and acts: readings in blocks, excursions found
    "archive/here/changes.py", "archive/here/holding.py", "archive/intake/block_check.py",
    "archive/here/booking.py", "archive/here/excursions.py",
    # and which bytes it found right
    "archive/intake/looked.py",
}  # fmt: skip
"""Who writes rows besides `archive/apply`."""
WRITES = {"add", "add_all", "delete", "merge"}
"""Methods of a session that write rows."""
STATEMENTS = {"insert", "update", "delete", "insertion"}
OF = {"session", "db", "desk", "self.desk"}


def writes_without_an_act(source: Path) -> bool:
    """Whether a module adds rows to a session or tells the logbook something without an act."""
    for node in ast.walk(ast.parse(source.read_text())):
        if not isinstance(node, ast.Call):
            continue
        if isinstance(node.func, ast.Name) and node.func.id in STATEMENTS:
            return True
        if isinstance(node.func, ast.Attribute):
            whose = ast.unparse(node.func.value)
            if node.func.attr in WRITES and whose in OF:
                return True
    return False


def test_there_is_one_way_to_write() -> None:
    found = {
        source.relative_to(SOURCE).as_posix()
        for folder in ("archive", "desk")
        for source in (SOURCE / folder).rglob("*.py")
        if not {"migrations", "apply"} & set(source.parts) and writes_without_an_act(source)
    }
    assert found <= THE_WAY, f"write by an act instead: {sorted(found - THE_WAY)}"
    assert found == THE_WAY, f"take off the list: {sorted(THE_WAY - found)}"
