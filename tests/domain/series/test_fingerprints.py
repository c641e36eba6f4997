"""A fingerprint of readings: the same for the same readings, another one for any others."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.fingerprints import ReadingsPrint

CHANNELS = (("air_temperature", "°C"), ("relative_humidity", "%"))
STEPS = st.lists(st.sampled_from([60_000, 60_000, 60_000, 90_000, 1]), min_size=1, max_size=40)


def printed(times: list[int], *columns: list[float], cuts: tuple[int, ...] = ()) -> str:
    readings_print = ReadingsPrint(CHANNELS[: len(columns)])
    ends = [0, *sorted(cuts), len(times)]
    for a, b in itertools.pairwise(ends):
        readings_print.add(
            np.array(times[a:b], np.int64), [np.array(c[a:b], float) for c in columns]
        )
    return readings_print.hex()


@given(STEPS, st.data())
def test_pieces_of_any_size_make_the_same(steps: list[int], data: st.DataObject) -> None:
    times = np.cumsum([1_790_000_000_000, *steps]).tolist()
    values = [i / 8 for i in range(len(times))]
    cuts = data.draw(st.lists(st.integers(0, len(times)), max_size=4))
    assert printed(times, values, cuts=tuple(cuts)) == printed(times, values)


@given(STEPS, st.data())
def test_any_other_instant_or_value_makes_another(steps: list[int], data: st.DataObject) -> None:
    times = np.cumsum([1_790_000_000_000, *steps]).tolist()
    values = [i / 8 for i in range(len(times))]
    at = data.draw(st.integers(0, len(times) - 1))
    later = [*times[:at], times[at] + 1, *times[at + 1 :]]
    higher = [*values[:at], math.nextafter(values[at], math.inf), *values[at + 1 :]]
    prints = {printed(*one) for one in ((times, values), (later, values), (times, higher))}
    assert len(prints) == 3


def test_there_is_one_nan_and_one_zero() -> None:
    other_nan = np.array([0x7FF8000000000001], np.uint64).view(float)[0]
    assert printed([0, 1], [math.nan, 0.0]) == printed([0, 1], [other_nan, -0.0])


@pytest.mark.parametrize(
    "other",
    [([0, 60_000], [1.0, 2.0]), ([0, 60_000, 120_000], [2.0, 1.0, 3.0]), ([], [])],
)
def test_fewer_or_in_another_order_is_another(other: tuple[list[int], list[float]]) -> None:
    assert printed(*other) != printed([0, 60_000, 120_000], [1.0, 2.0, 3.0])


def test_the_order_of_channels_says_nothing_their_values_do() -> None:
    one, other = ReadingsPrint(CHANNELS), ReadingsPrint(CHANNELS[::-1])
    swapped = ReadingsPrint(CHANNELS)
    times, a, b = np.array([0, 1]), np.array([1.0, 2.0]), np.array([3.0, 4.0])
    one.add(times, [a, b])
    other.add(times, [b, a])
    swapped.add(times, [b, a])
    assert one.hex() == other.hex() != swapped.hex()
