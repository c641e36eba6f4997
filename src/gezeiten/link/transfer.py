"""How a transfer is watched and stopped, and the incoming file it writes to locked."""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from gezeiten.errors import CancelledError

INCOMING = ".part"
"""Suffix of files whose readings the archive takes in, now or when it opens again."""
_TELL_EVERY_S = 0.1


@dataclass(frozen=True, slots=True)
class Progress:
    """Where a transfer stands; seconds_left is an honest guess from the rate so far.

    limit_bytes_per_s: what the line itself can carry, None where that is not known.
    """

    readings: int
    of_readings: int
    bytes_per_s: float
    seconds_left: float | None
    limit_bytes_per_s: float | None = None


@dataclass(frozen=True, slots=True)
class Watch:
    """How a long action is watched and stopped from outside."""

    progress: Callable[[Progress], None] = lambda _: None
    cancelled: Callable[[], bool] = lambda: False


UNWATCHED = Watch()


class Meter:
    """Counts what comes, tells of it ten times a second, and stops where that is wished."""

    def __init__(
        self,
        watch: Watch,
        of_bytes: int,
        of_readings: int | None,
        stopped: str,
        limit_bytes_per_s: float | None = None,
    ) -> None:
        """Begin counting.

        Args:
            of_readings: as people count what comes; None where only what came tells how many.
            stopped: the sentence of the error when it is stopped.
        """
        self._watch, self._stopped, self._limit = watch, stopped, limit_bytes_per_s
        self._of_bytes, self._of_readings = of_bytes, of_readings
        self._began = self._reported_s = time.monotonic()
        self._bytes = 0
        self._readings: int | None = None

    def skip(self, count: int) -> None:
        """So many bytes were here already."""
        self._of_bytes -= count

    def count_bytes(self, count: int) -> None:
        """Some bytes came.

        Raises:
            CancelledError: it is to end here.
        """
        self._bytes += count
        if self._watch.cancelled():
            raise CancelledError(self._stopped)
        if time.monotonic() - self._reported_s > _TELL_EVERY_S or self._bytes >= self._of_bytes:
            self.report()

    def settled(self, readings: int) -> None:
        """So many readings more are settled; without a word they count as the bytes do."""
        self._readings = (self._readings or 0) + readings

    def report(self) -> None:
        """Report the progress."""
        self._reported_s = time.monotonic()
        elapsed = self._reported_s - self._began
        rate = self._bytes / elapsed if elapsed > 0 else 0.0
        left = max(self._of_bytes - self._bytes, 0) / rate if rate else None
        share = min(self._bytes / max(self._of_bytes, 1), 1.0)
        readings = self._readings
        if readings is None:
            readings = int(share * (self._of_readings or 0))
        whole = self._of_readings
        if whole is None:
            whole = max(round(readings / max(share, 1e-9)), readings)
        self._watch.progress(Progress(readings, whole, rate, left, self._limit))


def lock_incoming(path: Path) -> int | None:
    """Lock an incoming file; returns the lock's descriptor, None when another holds it."""
    lock = os.open(path, os.O_RDWR | os.O_CREAT, 0o644)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(lock)
        return None
    if _is_that_file(lock, path):
        return lock
    os.close(lock)  # another took the file in and removed it between opening and locking
    return lock_incoming(path)


def _is_that_file(descriptor: int, path: Path) -> bool:
    try:
        there = path.stat()
    except FileNotFoundError:
        return False
    return os.path.samestat(os.fstat(descriptor), there)


def route_of(path: Path) -> str:
    """Return the route by which an incoming file came."""
    return path.suffixes[-2].lstrip(".") if len(path.suffixes) > 1 else "network"
