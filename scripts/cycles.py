"""No module of ours needs, by whatever way, one that needs it: prints every circle of imports.

Imports that wait for a call or serve types only count as well.
"""

from __future__ import annotations

import sys

import grimp


def circles(graph: grimp.ImportGraph) -> list[list[str]]:
    """Return the strongly connected parts of more than one module (Tarjan 1972)."""
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    open_ones: list[str] = []
    found: list[list[str]] = []

    def visit(module: str) -> None:
        index[module] = low[module] = len(index)
        open_ones.append(module)
        for other in sorted(graph.find_modules_directly_imported_by(module)):
            if other not in index:
                visit(other)
                low[module] = min(low[module], low[other])
            elif other in open_ones:
                low[module] = min(low[module], index[other])
        if low[module] == index[module]:
            at = open_ones.index(module)
            part, open_ones[at:] = open_ones[at:], []
            if len(part) > 1:
                found.append(sorted(part))

    for module in sorted(graph.modules):
        if module not in index:
            visit(module)
    return found


if __name__ == "__main__":
    sys.setrecursionlimit(10_000)
    listed = circles(grimp.build_graph("gezeiten", cache_dir=None))
    for part in listed:
        print("import each other:", ", ".join(part))
    sys.exit(bool(listed))
