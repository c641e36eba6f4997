"""Packed columns: decoding undoes encoding to the bit, damage is said."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.archive.store.packing import (
    all_compressed,
    compressed,
    decode_readings,
    decode_values,
    encode_readings,
    encode_values,
)
from gezeiten.errors import ArchiveDamagedError

VALUES = st.lists(st.floats(-1e300, 1e300) | st.just(math.nan), max_size=200)


@given(VALUES)
def test_decoding_undoes_encoding_to_the_bit(values: list[float]) -> None:
    given_values = np.array(values, np.float64)
    found = decode_values(encode_values(given_values), len(values))
    assert found.tobytes() == given_values.tobytes()


COUNTED = st.lists(st.integers(-(2**31) - 5, 2**31 + 5) | st.none(), max_size=200)
ODD = st.sampled_from([math.nan, math.inf, -math.inf, 0.0, 1e308, 1e-308, 0.1 + 0.2])


@given(COUNTED, st.sampled_from([1, 10, 100, 1000, 10_000, 3]), st.lists(ODD, max_size=2))
def test_readings_come_back_to_the_bit_whatever_they_are_counts_of(
    counts: list[int | None], divisor: int, odd: list[float]
) -> None:
    given_values = np.array([math.nan if c is None else c / divisor for c in counts] + odd)
    found = decode_readings(encode_readings(given_values), len(given_values))
    assert found.tobytes() == given_values.tobytes()


def test_counts_of_hundredths_take_four_bytes_before_they_are_compressed() -> None:
    drawn = np.random.default_rng(1).integers(-(2**31) + 1, 2**31, 4096)  # nothing to compress
    assert len(encode_readings(drawn / 100)) < 4096 * 4 + 50 < len(encode_readings(drawn / 3))


def test_nothing_measured_as_minus_nought_is_nought() -> None:
    found = decode_readings(encode_readings(np.array([-0.0, 1.0])), 2)
    assert found.tolist() == [0.0, 1.0]


@given(st.lists(st.binary(max_size=300), max_size=20))
def test_many_are_compressed_as_each_alone(data: list[bytes]) -> None:
    assert all_compressed(data) == [compressed(one) for one in data]


@pytest.mark.parametrize("damage", [lambda b: b[:-3], lambda b: b"junk" + b, lambda b: b""])
def test_damaged_bytes_are_said_to_be_damaged(damage: object) -> None:
    data = damage(encode_values(np.arange(100.0)))  # type: ignore[operator]
    with pytest.raises(ArchiveDamagedError, match="gezeiten verify names the offload"):
        decode_values(data, 100)


def test_another_count_than_kept_is_damage() -> None:
    with pytest.raises(ArchiveDamagedError):
        decode_values(encode_values(np.arange(100.0)), 99)


def test_slow_signals_take_little_room() -> None:
    values = np.round(20 + np.sin(np.arange(4096) / 300), 2)
    assert len(encode_values(values)) < 4096 * 8 / 4
