"""One way to write: an action, applied by `archive/projection`; who else writes rows is listed."""

from __future__ import annotations

import ast
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src" / "gezeiten"
THE_WAY = {
    # acts done, entered and applied; applied again and put back
    "archive/actions/entry_writing.py",
    "archive/actions/catching_up.py",
    "archive/actions/verification/entry_restoration.py",
    "archive/actions/verification/lost_entries.py",
    "archive/actions/verification/projected_tables.py",
    "archive/actions/conflicts.py",
    "archive/actions/verification/rebuild.py",
    "archive/queries/people.py",
    "archive/store/prepared.py",
    # what this computer makes of bytes and acts: readings in blocks, excursions found
    "archive/local_cache/changes.py",
    "archive/local_cache/block_store.py",
    "archive/intake/block_check.py",
    "archive/local_cache/excursion_store.py",
    "archive/local_cache/excursions.py",
    # and which bytes it found right
    "archive/intake/byte_verification.py",
}
"""Who writes rows besides `archive/projection`."""
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
        if not {"migrations", "projection"} & set(source.parts) and writes_without_an_act(source)
    }
    assert found <= THE_WAY, f"write by an act instead: {sorted(found - THE_WAY)}"
    assert found == THE_WAY, f"take off the list: {sorted(THE_WAY - found)}"
