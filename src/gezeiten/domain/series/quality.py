"""Quality codes of readings: the code list of the OGC time-series standards."""

from __future__ import annotations

from enum import IntEnum

import numpy as np
from numpy.typing import NDArray


class Quality(IntEnum):
    """One code a reading. Only `GOOD`, `SUSPECT` and `POOR` are measured values."""

    GOOD = 0
    SUSPECT = 1
    ESTIMATE = 2
    POOR = 3
    UNCHECKED = 4
    MISSING = 5

    @property
    def file_code(self) -> str:
        """The code as written in files: lower case."""
        return self.name.lower()


_FROM_BEST = (
    Quality.GOOD,
    Quality.UNCHECKED,
    Quality.SUSPECT,
    Quality.POOR,
    Quality.ESTIMATE,
    Quality.MISSING,
)
"""The standard's numbers are not in order of badness."""
_CODES = np.array(_FROM_BEST, np.uint8)
_RANKS = np.argsort(_CODES).astype(np.uint8)


def worst(first: NDArray[np.uint8], *others: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return the worst code of each reading, uint8 (n,), of codes of shape (n,) each.

    Source: docs/calculations.md, "Calculated series".
    """
    ranks = _RANKS[first]
    for codes in others:
        ranks = np.maximum(ranks, _RANKS[codes])
    worst_codes: NDArray[np.uint8] = _CODES[ranks]
    return worst_codes
