"""Timing two acts side by side, and printing a figure with its reference."""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable

Action = Callable[[], object]
_MOST_RUNS = int(os.environ.get("BENCH_RUNS", "1000"))
"""Runs of each act at most: CI asks for one, which shows that a measure still works and no more."""


def seconds(action: Action) -> float:
    """Return how long an act takes."""
    began = time.perf_counter()
    action()
    return time.perf_counter() - began


def best_of_both(ours: Action, reference: Action, runs: int) -> tuple[float, float]:
    """Return the shortest run of each, seconds."""
    pairs = _in_turns(ours, reference, runs)
    return min(a for a, _ in pairs), min(b for _, b in pairs)


def median_of_both(ours: Action, reference: Action, runs: int) -> tuple[float, float]:
    """Return the run of each that lies in the middle, seconds."""
    pairs = _in_turns(ours, reference, runs)
    return statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)


def _in_turns(ours: Action, reference: Action, runs: int) -> list[tuple[float, float]]:
    """They take turns: a machine that changes its speed meanwhile then changes it for both."""
    return [(seconds(ours), seconds(reference)) for _ in range(min(runs, _MOST_RUNS))]


def report(name: str, ours: float, reference: float, unit: str, aim: str) -> None:
    """Print one figure."""
    ratio = ours / reference
    print(
        f"{name:46} {ours:9.3f} {unit}  reference {reference:8.3f} {unit}  "
        f"ratio {ratio:5.2f}  aim {aim}",
        flush=True,
    )
