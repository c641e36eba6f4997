"""What was read is kept in memory, bounded in bytes: what was not asked for longest goes first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class MemoryCache(Generic[T]):
    """Keeps things by key, each with its size; the one asked for last always stays."""

    def __init__(self, most_bytes: int) -> None:
        self.most_bytes, self._lock = most_bytes, threading.Lock()
        self._kept: OrderedDict[Hashable, tuple[T, int]] = OrderedDict()
        self._nbytes = 0

    def get(self, key: Hashable) -> T | None:
        """Return what is kept under a key, None where nothing is."""
        with self._lock:
            known = self._kept.get(key)
            if known is None:
                return None
            self._kept.move_to_end(key)
            return known[0]

    def store(self, key: Hashable, item: T, nbytes: int) -> None:
        """Keep a thing."""
        with self._lock:
            self._nbytes += nbytes - self._kept.pop(key, (None, 0))[1]
            self._kept[key] = (item, nbytes)
            while len(self._kept) > 1 and self._nbytes > self.most_bytes:
                _, (_, gone) = self._kept.popitem(last=False)
                self._nbytes -= gone

    @property
    def nbytes(self) -> int:
        """How many bytes are kept."""
        return self._nbytes

    def __len__(self) -> int:
        return len(self._kept)

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._kept.clear()
            self._nbytes = 0
