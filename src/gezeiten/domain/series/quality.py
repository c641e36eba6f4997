"""Quality codes of readings: the code list of the OGC time-series standards."""

from __future__ import annotations

from enum import IntEnum


class Quality(IntEnum):
    """One code a reading. Only `GOOD`, `SUSPECT` and `POOR` are measured values."""

    GOOD = 0
    SUSPECT = 1
    ESTIMATE = 2
    POOR = 3
    UNCHECKED = 4
    MISSING = 5

    @property
    def word(self) -> str:
        """The code as written in files: lower case."""
        return self.name.lower()
