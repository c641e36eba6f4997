"""What is kept in memory takes no more than it may."""

from __future__ import annotations

from gezeiten.desk.memory_cache import MemoryCache


def test_what_was_not_asked_for_longest_goes_first() -> None:
    kept: MemoryCache[str] = MemoryCache(300)
    for name in "abc":
        kept.store(name, name.upper(), 100)
    assert kept.get("a") == "A"
    kept.store("d", "D", 100)
    assert kept.get("b") is None
    assert kept.get("a") == "A"
    assert kept.nbytes == 300


def test_one_that_is_larger_than_all_may_be_is_kept_alone() -> None:
    kept: MemoryCache[int] = MemoryCache(10)
    kept.store("one", 1, 50)
    kept.store("other", 2, 40)
    assert (len(kept), kept.get("other"), kept.nbytes) == (1, 2, 40)


def test_what_is_put_again_counts_once() -> None:
    kept: MemoryCache[int] = MemoryCache(100)
    kept.store("one", 1, 50)
    kept.store("one", 2, 30)
    assert (kept.get("one"), kept.nbytes) == (2, 30)
    kept.clear()
    assert (len(kept), kept.nbytes) == (0, 0)
