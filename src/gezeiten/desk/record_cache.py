"""Records in memory, bounded in bytes: the ones not asked for longest are let go first."""

from __future__ import annotations

import threading
from collections import OrderedDict

from gezeiten.domain.pyramid import Pyramid

MOST_BYTES = 300_000_000
"""About three series of ten years at one minute; the one asked for last always stays."""
_Key = tuple[int, str]


class RecordCache:
    """Keeps records by point and series, each with the state it was made in."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most, self._lock = most_bytes, threading.Lock()
        self._kept: OrderedDict[_Key, tuple[object, Pyramid, int]] = OrderedDict()

    def get(self, key: _Key, state: object) -> Pyramid | None:
        """Return the record made in this state, None where another one is kept or none."""
        with self._lock:
            known = self._kept.get(key)
            if known is None or known[0] != state:
                return None
            self._kept.move_to_end(key)
            return known[1]

    def put(self, key: _Key, state: object, made: Pyramid) -> None:
        """Keep a record."""
        with self._lock:
            self._kept[key] = (state, made, made.nbytes)
            self._kept.move_to_end(key)
            while len(self._kept) > 1 and self.nbytes > self._most:
                self._kept.popitem(last=False)

    @property
    def nbytes(self) -> int:
        """How many bytes the records kept take."""
        return sum(size for _, _, size in self._kept.values())

    def __len__(self) -> int:
        return len(self._kept)

    def clear(self) -> None:
        """Let go of all."""
        with self._lock:
            self._kept.clear()
