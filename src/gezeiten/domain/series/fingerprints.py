"""What readings are, in one short word: so that bytes can be seen to be read as they were before.

Source: docs/archive.md, "Readers".
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from typing import Any, TypeAlias

import numpy as np

from gezeiten.domain.series.timeline import Times, Values

_NONE = np.iinfo(np.int64).min
Each: TypeAlias = Callable[[Callable[[Any], None], Iterable[Any]], Iterable[None]]
"""Goes through things as `map` does."""


class ReadingsPrint:
    """A fingerprint of readings, channel by channel, taken in pieces of any size.

    Instants are told as runs of equal distances, values as float64 to the bit, but with one NaN and
    no -0.0: the same readings have the same one on every computer.
    """

    def __init__(self, channels: Iterable[tuple[str, str]]) -> None:
        """channels: (key, unit), in the order in which values are taken."""
        self._channels = [(f"{key} {unit}", hashlib.blake2b()) for key, unit in channels]
        self._instants = _Runs()
        self._count = 0

    def add(self, times: Times, values: Sequence[Values], each: Each = map) -> None:
        """Take readings, in the order in which they are read: instants int64 (n,), UTC ms, and one
        float64 (n,) a channel, NaN for "no value". each: goes through the channels, as `map` does;
        several at once where it likes."""
        self._count += len(times)
        self._instants.add(times)
        digests = [digest for _, digest in self._channels]
        list(each(_add, zip(digests, values, strict=True)))

    def hex(self) -> str:
        """Return it: 32 hexadecimal digits."""
        whole = hashlib.blake2b(digest_size=16)
        whole.update(f"{self._count} ".encode() + self._instants.digest())
        for name, digest in sorted(self._channels, key=lambda one: one[0]):
            whole.update(name.encode() + digest.digest())
        return whole.hexdigest()


class _Runs:
    """Instants as runs: whenever the distance to the one before changes, the new distance and how
    many came before."""

    def __init__(self) -> None:
        self._hash = hashlib.blake2b()
        self._last = self._distance = _NONE
        self._count = 0

    def add(self, times: Times) -> None:
        if not len(times):
            return
        distances = np.diff(times, prepend=times[0] if self._last == _NONE else self._last)
        before = np.concatenate(([self._distance], distances[:-1]))
        at = np.flatnonzero(distances != before)
        if self._last == _NONE:
            self._hash.update(np.int64(times[0]).tobytes())
        described = np.column_stack((at + self._count, distances[at])).astype("<i8")
        self._hash.update(described.tobytes())
        self._count += len(times)
        self._last, self._distance = int(times[-1]), int(distances[-1])

    def digest(self) -> bytes:
        return self._hash.digest()


def _add(one: tuple[hashlib.blake2b, Values]) -> None:
    """Add values to a digest, with one NaN and no -0.0."""
    digest, values = one
    plain = np.ascontiguousarray(values, "<f8") + 0.0
    missing = np.isnan(plain)
    if missing.any():
        plain[missing] = np.nan
    digest.update(plain.data)
