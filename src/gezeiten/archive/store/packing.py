"""Columns of numbers as compressed bytes, and back.

Encoding: eight bytes each, little-endian, bytes of equal weight gathered together (they repeat, so
they compress well), then Zstandard. Decoding undoes encoding exactly, NaN included.
"""

from __future__ import annotations

import numpy as np
import zstandard
from numpy.typing import NDArray

from gezeiten.domain.timeline import Times, Values
from gezeiten.errors import ArchiveDamagedError


def encode_values(values: Values) -> bytes:
    """Return values, shape (n,), as compressed bytes."""
    columns = np.ascontiguousarray(values, "<f8").view(np.uint8).reshape(-1, 8).T
    return zstandard.compress(columns.tobytes(), 3)


def decode_values(data: bytes, count: int) -> Values:
    """Return the `count` values of a block.

    Raises:
        ArchiveDamagedError: the bytes are not such a block.
    """
    return _decoded(data, count).view("<f8").reshape(count).astype(np.float64)


def _decoded(data: bytes, count: int) -> NDArray[np.uint8]:
    """Return `count` words of eight bytes, in the order of memory."""
    try:
        raw = zstandard.decompress(data, max_output_size=count * 8)
        columns = np.frombuffer(raw, np.uint8).reshape(8, count)
    except (zstandard.ZstdError, ValueError) as exc:
        raise ArchiveDamagedError(
            "A block of readings is damaged; run gezeiten verify, it names the offload."
        ) from exc
    return np.ascontiguousarray(columns.T)


def encode_times(times_utc_ms: Times) -> bytes:
    """Return instants, int64 (n,), as compressed bytes: the first one, then the distances."""
    distances = np.diff(times_utc_ms, prepend=np.int64(0))
    columns = np.ascontiguousarray(distances, "<i8").view(np.uint8).reshape(-1, 8).T
    return zstandard.compress(columns.tobytes(), 3)


def decode_times(data: bytes, count: int) -> Times:
    """Return the `count` instants of `encode_times`.

    Raises:
        ArchiveDamagedError: the bytes are not such instants.
    """
    distances = _decoded(data, count).view("<i8").reshape(count)
    return np.cumsum(distances.astype(np.int64))
