"""Columns of numbers as compressed bytes, and back.

Encoding: eight bytes each, little-endian, bytes of equal weight gathered together (they repeat, so
they compress well), then Zstandard. Decoding undoes encoding exactly, NaN included.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

from gezeiten.domain.series.timeline import Times, Values
from gezeiten.errors import ArchiveDamagedError


def compressed(data: bytes, *, is_checked: bool = True) -> bytes:
    """Return bytes compressed, with a check sum: what was damaged is never taken for readings."""
    return zstandard.ZstdCompressor(3, write_checksum=is_checked).compress(data)


def all_compressed(data: Sequence[bytes]) -> list[bytes]:
    """Return each of many bytes as `compressed` does. Other threads run freely meanwhile: it is one
    call, where so many short ones would each wait for Python's lock."""
    if not any(data):
        return [compressed(one) for one in data]
    made = zstandard.ZstdCompressor(3, write_checksum=True).multi_compress_to_buffer(
        list(data), threads=1
    )
    return [made[i].tobytes() for i in range(len(made))]


def decompressed(data: bytes, most: int = 0) -> bytes:
    """Return the bytes of `compressed`, at most so many; 0: as many as they say.

    Raises:
        ValueError: they are damaged.
    """
    try:
        return zstandard.decompress(data, max_output_size=most)
    except zstandard.ZstdError as exc:
        raise ValueError(str(exc)) from exc


def encode_values(values: Values) -> bytes:
    """Return values, shape (n,), as compressed bytes; without a check sum, as rows that actions
    made have always held them."""
    return compressed(_gathered(values, "<f8"), is_checked=False)


def decode_values(data: bytes, count: int) -> Values:
    """Return the `count` values of a block.

    Raises:
        ArchiveDamagedError: the bytes are not such a block.
    """
    return _decoded(data, count).view("<f8").reshape(count).astype(np.float64)


def _decoded(data: bytes, count: int) -> NDArray[np.uint8]:
    """Return `count` words of eight bytes, in the order of memory."""
    return _unpacked_words(data, count, 8)


def _unpacked_words(data: bytes, count: int, size: int) -> NDArray[np.uint8]:
    try:
        columns = np.frombuffer(decompressed(data, count * size), np.uint8).reshape(size, count)
    except ValueError as exc:
        raise ArchiveDamagedError(
            "A block of readings is damaged; gezeiten verify names the offload."
        ) from exc
    words = np.empty((count, size), np.uint8)
    for byte in range(size):  # five times as quick as turning the whole
        words[:, byte] = columns[byte]
    return words


def encode_times(times_utc_ms: Times) -> bytes:
    """Return instants, int64 (n,), as compressed bytes: the first one, then the distances."""
    return compressed(_gathered(_distances(times_utc_ms), "<i8"))


def _distances(words: NDArray[Any]) -> NDArray[Any]:
    """Return the first word and how far each of the others is from the one before; it wraps around.
    (`np.diff` with its `prepend` takes three times as long.)"""
    distances = np.empty_like(words)
    distances[:1] = words[:1]
    np.subtract(words[1:], words[:-1], out=distances[1:])
    return distances


def decode_times(data: bytes, count: int) -> Times:
    """Return the `count` instants of `encode_times`.

    Raises:
        ArchiveDamagedError: the bytes are not such instants.
    """
    distances = _decoded(data, count).view("<i8").reshape(count)
    return np.cumsum(distances.astype(np.int64))


# -- readings, which are mostly counts over a power of ten ----------------------------------------
_FLOATS, _COUNTS = 0, 1
_DIVISORS = (1.0, 10.0, 100.0, 1000.0, 10000.0)
_NO_VALUE = np.int32(-(2**31))
_TRIED = 64
"""So many readings say at once that a divisor is none of theirs."""


@dataclass(frozen=True, slots=True)
class UncompressedReadings:
    """Readings as bytes that wait to be compressed. header: what tells how they are to be read."""

    header: bytes
    data: bytes


def encode_readings(values: Values) -> bytes:
    """Return measured values, shape (n,), as compressed bytes; see `plain_readings`."""
    plain = plain_readings(values)
    return plain.header + compressed(plain.data)


def plain_readings(values: Values) -> UncompressedReadings:
    """Return measured values, shape (n,): as whole counts over a power of ten where that gives back
    every number (of -0.0 it gives 0.0), else as they are. The first byte tells which."""
    with np.errstate(over="ignore"):
        power, counts = _as_counts(values)
    if counts is not None:
        return UncompressedReadings(bytes([_COUNTS, power]), _gathered(_distances(counts), "<i4"))
    return UncompressedReadings(bytes([_FLOATS]), _gathered(values, "<f8"))


def _as_counts(values: Values) -> tuple[int, NDArray[np.int32] | None]:
    """Return values as counts over the smallest power of ten that they are counts over, and which
    that is; None where there is none."""
    first = values[:_TRIED]
    for power, divisor in enumerate(_DIVISORS):
        counts = _counts(values, divisor) if _may_be_counts(first, divisor) else None
        if counts is not None:
            return power, counts
    return 0, None


def _may_be_counts(values: Values, divisor: float) -> bool:
    """Whether values can be counts over a divisor; a first look, which is quicker."""
    back = np.rint(values * divisor) / divisor
    return bool(((back == values) | np.isnan(values)).all())


def _counts(values: Values, divisor: float) -> NDArray[np.int32] | None:
    """Return values as counts, None where they are none over this divisor."""
    scaled = np.rint(values * divisor)
    missing = np.isnan(scaled) if np.isnan(scaled.max(initial=0.0)) else None
    if missing is not None:
        scaled[missing] = 0.0
    if max(scaled.max(initial=0.0), -scaled.min(initial=0.0)) >= 2**31:
        return None
    counts = scaled.astype(np.int32)
    same = np.divide(counts, divisor, out=scaled) == values
    if not (same if missing is None else same | missing).all():
        return None
    if missing is not None:
        counts[missing] = _NO_VALUE
    return counts


def _gathered(words: NDArray[Any], kind: str) -> bytes:
    """Return words of a kind with their bytes of equal weight together."""
    plain = np.ascontiguousarray(words, kind)
    return plain.view(np.uint8).reshape(-1, plain.itemsize).T.tobytes()


def decode_readings(data: bytes, count: int) -> Values:
    """Return the `count` values of `encode_readings`.

    Raises:
        ArchiveDamagedError: the bytes are not such a block.
    """
    if data[:1] == bytes([_FLOATS]):
        return decode_values(data[1:], count)
    if data[:1] != bytes([_COUNTS]) or len(data) < 2 or data[1] >= len(_DIVISORS):
        return decode_values(b"", count)
    columns = _unpacked_words(data[2:], count, 4)
    differences = columns.view("<i4").reshape(count)
    counts = np.cumsum(differences, dtype=np.int32)  # wraps around as the differences did
    values = counts / _DIVISORS[data[1]]
    values[counts == _NO_VALUE] = np.nan
    return values
