"""How much of what is done to the database behind the program's back `verify` finds: a number that
may only rise. Acts and rebuilding are to bring it to all."""

from __future__ import annotations

import random
import shutil
import sqlite3
from pathlib import Path

from gezeiten.desk.context import Desk, TrustedClock
from gezeiten.desk.pin_store import MemoryPins
from gezeiten.desk.verifying import verify
from gezeiten.errors import GezeitenError
from tests.archive.test_golden import unpacked

CHANGES = 100
FOUND_SO_FAR = 42
"""Of so many, on the archive of the newest schema, with the changes that these seeds make."""
NOT_OURS = ("alembic_version", "sqlite_sequence")


def tampered(database: Path, seed: int) -> str:
    """Change one cell, take one row out or double one; return what was done."""
    dice = random.Random(seed)
    with sqlite3.connect(database) as raw:
        listed = raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        tables = sorted(
            name for (name,) in listed
            if name not in NOT_OURS and raw.execute(f"SELECT 1 FROM {name} LIMIT 1").fetchone()
        )  # fmt: skip
        table = dice.choice(tables)
        columns = [row[1] for row in raw.execute(f"PRAGMA table_info({table})")]
        rows = raw.execute(f"SELECT rowid, * FROM {table}").fetchall()
        row = dice.choice(rows)
        kind = dice.choice(("cell", "cell", "out", "doubled"))
        if kind == "out":
            raw.execute(f"DELETE FROM {table} WHERE rowid = ?", (row[0],))
            return f"row {row[0]} of {table} taken out"
        if kind == "doubled":
            places = ", ".join("?" * len(columns))
            fresh = (max(r[0] for r in rows) + 1, *(_other(v) for v in row[2:]))
            raw.execute(f"INSERT INTO {table} VALUES ({places})", fresh)
            return f"row {row[0]} of {table} doubled"
        i = dice.randrange(1, len(columns))
        value = _other(row[i + 1])
        raw.execute(f"UPDATE {table} SET {columns[i]} = ? WHERE rowid = ?", (value, row[0]))
        return f"{columns[i]} of row {row[0]} of {table} changed"


def _other(value: object) -> object:
    """Another value of the same kind."""
    if isinstance(value, bytes):
        return value[:-1] + bytes((value[-1] ^ 1,))
    if isinstance(value, str):
        return value.replace("1", "2") if "1" in value else value + "x"
    return 1 if value is None else value + 1  # type: ignore[operator]


def is_found(folder: Path) -> bool:
    """Whether the archive cannot be opened, or verifying it finds a fault."""
    try:
        desk = Desk(folder, computer=TrustedClock(), pins=MemoryPins(), zone="Europe/Berlin")
    except GezeitenError:
        return True
    try:
        return not verify(desk).is_whole
    except GezeitenError:
        return True
    finally:
        desk.close()


def test_so_many_changes_behind_the_programs_back_are_found(tmp_path: Path) -> None:
    whole = unpacked("0005", tmp_path)
    assert not is_found(whole)
    missed = []
    for seed in range(CHANGES):
        folder = tmp_path / "tampered"
        shutil.copytree(whole, folder)
        done = tampered(folder / "archive.db", seed)
        if not is_found(folder):
            missed.append(done)
        shutil.rmtree(folder)
    found = CHANGES - len(missed)
    print(f"{found} of {CHANGES} changes found")
    assert found >= FOUND_SO_FAR, "\n".join(missed)
