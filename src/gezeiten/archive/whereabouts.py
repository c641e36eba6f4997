"""Where an archive's database lies, and whether there is one; without what opening it needs."""

from __future__ import annotations

from pathlib import Path

from gezeiten.archive.files.chains import ChainFiles

DATABASE = "archive.db"


def is_archive(folder: Path) -> bool:
    """Whether a folder holds an archive: its database, or the logbook that it can be made from."""
    return (folder / DATABASE).exists() or bool(ChainFiles(folder).sizes())
