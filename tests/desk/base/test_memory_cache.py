"""What is kept in memory takes no more than it may."""

from __future__ import annotations

from gezeiten.desk.base.memory_cache import MemoryCache


def test_what_was_not_asked_for_longest_goes_first() -> None:
    cache: MemoryCache[str] = MemoryCache(300)
    for name in "abc":
        cache.store(name, name.upper(), 100)
    assert cache.get("a") == "A"
    cache.store("d", "D", 100)
    assert cache.get("b") is None
    assert cache.get("a") == "A"
    assert cache.nbytes == 300


def test_one_that_is_larger_than_all_may_be_is_kept_alone() -> None:
    cache: MemoryCache[int] = MemoryCache(10)
    cache.store("one", 1, 50)
    cache.store("other", 2, 40)
    assert (len(cache), cache.get("other"), cache.nbytes) == (1, 2, 40)


def test_what_is_put_again_counts_once() -> None:
    cache: MemoryCache[int] = MemoryCache(100)
    cache.store("one", 1, 50)
    cache.store("one", 2, 30)
    assert (cache.get("one"), cache.nbytes) == (2, 30)
    cache.clear()
    assert (len(cache), cache.nbytes) == (0, 0)
