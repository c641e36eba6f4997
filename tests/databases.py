"""A database of an archive, opened behind the program's back and closed again."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path


@contextmanager
def behind_its_back(path: Path) -> Iterator[sqlite3.Connection]:
    """What is changed is kept. (`sqlite3.connect` as a context keeps it too but closes nothing.)"""
    with closing(sqlite3.connect(path)) as raw, raw:
        yield raw
