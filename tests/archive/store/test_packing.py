"""Packed columns: decoding undoes encoding to the bit, damage is said."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.archive.store.packing import decode_values, encode_values
from gezeiten.errors import ArchiveDamagedError

VALUES = st.lists(st.floats(-1e300, 1e300) | st.just(math.nan), max_size=200)


@given(VALUES)
def test_decoding_undoes_encoding_to_the_bit(values: list[float]) -> None:
    given_values = np.array(values, np.float64)
    found = decode_values(encode_values(given_values), len(values))
    assert found.tobytes() == given_values.tobytes()


@pytest.mark.parametrize("damage", [lambda b: b[:-3], lambda b: b"junk" + b, lambda b: b""])
def test_damaged_bytes_are_said_to_be_damaged(damage: object) -> None:
    data = damage(encode_values(np.arange(100.0)))  # type: ignore[operator]
    with pytest.raises(ArchiveDamagedError, match="run gezeiten verify"):
        decode_values(data, 100)


def test_another_count_than_kept_is_damage() -> None:
    with pytest.raises(ArchiveDamagedError):
        decode_values(encode_values(np.arange(100.0)), 99)


def test_slow_signals_take_little_room() -> None:
    values = np.round(20 + np.sin(np.arange(4096) / 300), 2)
    assert len(encode_values(values)) < 4096 * 8 / 4
