"""Column blocks: decoding undoes encoding to the bit; summaries are those of the values."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.archive.blocks import decode_values, encode_values, summary
from gezeiten.errors import ArchiveDamagedError

VALUES = st.lists(st.floats(-1e300, 1e300) | st.just(math.nan), max_size=200)


@given(VALUES)
def test_decoding_undoes_encoding_to_the_bit(values: list[float]) -> None:
    given_values = np.array(values, np.float64)
    found = decode_values(encode_values(given_values), len(values))
    assert found.tobytes() == given_values.tobytes()


@given(VALUES)
def test_the_summary_is_that_of_the_known_values(values: list[float]) -> None:
    facts = summary(np.array(values, np.float64))
    known = [v for v in values if not math.isnan(v)]
    assert facts.valid == len(known)
    if known:
        assert (facts.low, facts.high) == (min(known), max(known))
        scale = max(map(abs, known))
        assert facts.total == pytest.approx(math.fsum(known), abs=max(scale, 1) * 1e-9)


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
