"""Databases that nobody closes fail the tests on every Python, as they do from 3.13 on."""

from __future__ import annotations

import os
import sqlite3
import warnings
from functools import partial
from typing import Any


class Watched(sqlite3.Connection):
    """Says so when it goes without having been closed."""

    is_open, where = False, ""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.is_open, self.where = True, os.environ.get("PYTEST_CURRENT_TEST", "no test")

    def close(self) -> None:
        self.is_open = False
        super().close()

    def __del__(self) -> None:
        if self.is_open:
            words = f"unclosed database, opened in {self.where}"
            warnings.warn(words, ResourceWarning, stacklevel=2, source=self)


def watch() -> None:
    """Watch all that are opened from here on in this process."""
    sqlite3.connect = sqlite3.dbapi2.connect = partial(sqlite3.connect, factory=Watched)
