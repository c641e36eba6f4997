"""Timing two acts side by side, and printing a figure with its reference."""

from __future__ import annotations

import time
from collections.abc import Callable

Act = Callable[[], object]


def seconds(act: Act) -> float:
    """Return how long an act takes."""
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def best_of_both(ours: Act, reference: Act, runs: int) -> tuple[float, float]:
    """Return the shortest run of each, seconds.

    They take turns: a machine that changes its speed meanwhile then changes it for both.
    """
    pairs = [(seconds(ours), seconds(reference)) for _ in range(runs)]
    return min(a for a, _ in pairs), min(b for _, b in pairs)


def report(name: str, ours: float, reference: float, unit: str, aim: str) -> None:
    """Print one figure."""
    ratio = ours / reference
    print(f"{name:46} {ours:9.3f} {unit}  reference {reference:8.3f} {unit}  "
          f"ratio {ratio:5.2f}  aim {aim}", flush=True)  # fmt: skip
