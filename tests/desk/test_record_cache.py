"""Records in memory take no more than they may."""

from __future__ import annotations

from gezeiten.desk.record_cache import RecordCache
from gezeiten.domain.pyramid import Pyramid
from tests.conftest import series_of


def made(readings: int) -> Pyramid:
    return Pyramid(series_of(list(range(readings)), [1.0] * readings))


def test_what_was_not_asked_for_longest_goes_first() -> None:
    one = made(100)
    size = one.nbytes
    assert size >= 100 * 16  # instants and values, eight bytes each
    cache = RecordCache(3 * size)
    for i in range(3):
        cache.put((i, "co2"), "then", made(100))
    assert cache.get((0, "co2"), "then") is not None
    cache.put((3, "co2"), "then", made(100))
    assert cache.get((1, "co2"), "then") is None
    assert cache.get((0, "co2"), "then") is not None
    assert cache.nbytes <= 3 * size


def test_a_record_of_another_state_is_none() -> None:
    cache = RecordCache()
    cache.put((1, "co2"), (1, "a"), made(3))
    assert cache.get((1, "co2"), (2, "a")) is None
    assert cache.get((1, "co2"), (1, "a")) is not None


def test_one_that_is_larger_than_all_may_be_is_kept_alone() -> None:
    cache = RecordCache(10)
    cache.put((1, "co2"), 0, made(3))
    cache.put((2, "co2"), 0, made(3))
    assert len(cache) == 1
    assert cache.get((2, "co2"), 0) is not None
    cache.clear()
    assert len(cache) == 0
