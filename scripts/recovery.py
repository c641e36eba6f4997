"""How well gaps are filled, on made-up records whose truth is known: of readings in filled gaps,
how many lie in the promised band, whether the promised error is the real one, and how often a way
that was said to beat the straight line did; by length, by way, by hour of day and in unrest.

Usage: recovery.py [GAPS] [KIND ...]
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from time import perf_counter

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.made_records import KINDS, KINDS_OF_EVENTS
from tests.recovering import LENGTHS, SPIKED, Recovered, recovered, spikes_found

_HOURS = ((0, 6), (6, 12), (12, 18), (18, 24))
_UNREST = 0.9
"""A gap is one in unrest where more moved within it than in so many others of its length."""


def main(gaps: int, kinds: list[str]) -> None:
    """Print a line for each kind of record and length of gap, then the same gaps by other ways of
    putting them together."""
    for kind in kinds:
        everything: list[Recovered] = []
        in_unrest: list[Recovered] = []
        for length in LENGTHS:
            begin = perf_counter()
            texts = [recovered(kind, length, seed) for seed in range(gaps)]
            seen = [one for one in texts if one is not None]
            took_ms = (perf_counter() - begin) / gaps * 1000
            _tell(f"{kind} {length} readings", seen, f"{took_ms:.0f} ms each")
            bound = np.quantile([one.unrest for one in seen], _UNREST)
            in_unrest += [one for one in seen if one.unrest > bound]
            everything += seen
        _tell(f"{kind}, all", everything)
        _tell("  enough known", [one for one in everything if not one.is_few])
        _tell("  few known", [one for one in everything if one.is_few])
        for method in sorted({one.kind for one in everything}):
            _tell(f"  {method}", [one for one in everything if one.kind == method])
        for since, until in _HOURS:
            _tell(
                f"  {since} to {until} h", [one for one in everything if since <= one.hour < until]
            )
        _tell("  in unrest", in_unrest)
    _spikes(max(gaps // 10, 1))
    _after_extremes(max(gaps // 10, 1), [*kinds, *KINDS_OF_EVENTS])


def _after_extremes(gaps: int, kinds: list[str]) -> None:
    """Print a line for gaps that begin after one of the 1 % highest or lowest readings."""
    for length in (6, 36, 144):
        everything: list[Recovered] = []
        for kind in kinds:
            texts = [
                recovered(kind, length, seed, after)
                for seed in range(gaps)
                for after in ("highest", "lowest")
            ]
            seen = [one for one in texts if one is not None]
            said = np.mean([bool(one.unrest_said) for one in seen]) if seen else 0.0
            _tell(f"{kind} {length} after extremes", seen, f"unrest said {said:.0%}")
            everything += seen
        _tell(f"{length} after extremes, all", everything)


def _spikes(records: int) -> None:
    """Print how many of the spikes put into records the number that is proposed finds."""
    for kind in (*SPIKED, "failing"):
        texts = [spikes_found(kind, seed) for seed in range(records)]
        found, of = sum(one.found for one in texts), sum(one.of for one in texts)
        besides = sum(one.besides for one in texts)
        print(
            f"{kind:24} spikes: found {found} of {of} ({found / of:.1%}), "
            f"{found / max(found + besides, 1):.1%} of those caught",
            flush=True,
        )


def _tell(name: str, seen: Sequence[Recovered], more: str = "") -> None:
    if not seen:
        return
    inside = np.concatenate([one.inside for one in seen])
    middle = np.concatenate(
        [one.inside[len(one.inside) // 3 : -len(one.inside) // 3] for one in seen]
    )
    promised = np.sqrt(np.mean([one.promised**2 for one in seen]))
    real = np.sqrt(np.mean([np.mean(one.errors**2) for one in seen]))
    line = np.sqrt(np.mean([np.mean(one.by_line**2) for one in seen]))
    texts = [one.is_better for one in seen if one.says_better]
    better = f"said to beat it {len(texts)}, did {np.mean(texts):.1%}" if texts else ""
    print(
        f"{name:24} {len(seen):5} gaps  inside {inside.mean():6.1%}  middle {middle.mean():6.1%}  "
        f"promised {promised:.3g}  real {real:.3g} ({promised / real:.2f})  line {line:.3g}  "
        f"{better}  {more}",
        flush=True,
    )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 400, sys.argv[2:] or list(KINDS))
