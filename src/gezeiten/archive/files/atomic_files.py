"""Small files beside the database: written whole and synced, or not at all."""

from __future__ import annotations

import os
from pathlib import Path


def write_atomic(path: Path, text: str) -> None:
    """Write a text; the one before stays until this one is on the disk.

    Raises:
        OSError: the disk does not take it.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    fresh = path.with_name(path.name + ".new")
    try:
        with fresh.open("w", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        fresh.replace(path)
    except OSError:
        fresh.unlink(missing_ok=True)
        raise
    sync_folder(path.parent)


def sync_folder(folder: Path) -> None:
    """Have the names in a folder written to the disk: a file without a name is lost."""
    names = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(names)
    finally:
        os.close(names)
