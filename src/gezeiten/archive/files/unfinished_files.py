"""Files that are written beside their place and get their name when they are whole; what programs
left that were killed on the way goes."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from tempfile import NamedTemporaryFile

_BEGUN, _NEW = ".gezeiten-", ".new"
_BEGUN_S = 3_600


@contextmanager
def temporary_file(folder: Path) -> Iterator[Path]:
    """A file to write in a folder; what has not got a name of its own in the end goes, as does what
    programs that were killed left there."""
    delete_stale(folder, time.time())  # the clock by which files are dated
    with NamedTemporaryFile(dir=folder, prefix=_BEGUN, suffix=_NEW, delete=False) as made:
        fresh = Path(made.name)
    try:
        yield fresh
    finally:
        fresh.unlink(missing_ok=True)


def delete_stale(folder: Path, now_s: float, pattern: str = f"{_BEGUN}*{_NEW}") -> int:
    """Remove files that were begun in a folder over an hour ago; return how many. Nobody writes
    into one file for so long without a pause. pattern: of their names; default: documents."""
    cleared = 0
    for path in folder.glob(pattern):
        with suppress(OSError):  # another program was faster, or it is not ours to remove
            if now_s - path.stat().st_mtime > _BEGUN_S:
                path.unlink()
                cleared += 1
    return cleared


def synced(fresh: Path) -> None:
    """Have a file's content on the disk."""
    with fresh.open("rb+") as file:
        os.fsync(file.fileno())
