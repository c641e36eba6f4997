"""How well gaps are filled, on made-up records whose truth is known: of readings in filled gaps,
how many lie in the promised band, and whether the promised error is the real one.

Usage: recovery.py [GAPS] [KIND ...]
"""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path
from time import perf_counter

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.made_records import KINDS
from tests.recovering import LENGTHS, recovered


def main(gaps: int, kinds: list[str]) -> None:
    """Print a line for each kind of record and length of gap."""
    for kind in kinds:
        for length in LENGTHS:
            begin = perf_counter()
            told = [recovered(kind, length, seed) for seed in range(gaps)]
            seen = [one for one in told if one is not None]
            inside = np.concatenate([one.inside for one in seen])
            middle = np.concatenate([one.inside[len(one.inside) // 3 : -len(one.inside) // 3]
                                     for one in seen])  # fmt: skip
            promised = np.sqrt(np.mean([one.promised**2 for one in seen]))
            real = np.sqrt(np.mean(np.concatenate([one.errors for one in seen]) ** 2))
            line = np.sqrt(np.mean(np.concatenate([one.by_line for one in seen]) ** 2))
            ways = Counter(one.kind for one in seen)
            print(
                f"{kind:9} {length:5} readings  {len(seen):4} gaps  inside {inside.mean():6.1%}  "
                f"middle {middle.mean():6.1%}  promised {promised:.3g}  real {real:.3g} "
                f"({promised / real:.2f})  line {line:.3g}  {dict(ways)}  "
                f"{(perf_counter() - begin) / gaps * 1000:.0f} ms each",
                flush=True,
            )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 400, sys.argv[2:] or list(KINDS))
