"""Commands: each thing a user can do is one record with id, title, key and handler.

Shortcuts, the command finder and tests share them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Command:
    """id like "offload.start"; key as Qt writes it, or ""; place: index where it applies, or -1.

    repeats: whether a key held down does it again and again."""

    id: str
    title: str
    key: str
    handler: Callable[[], object]
    place: int = -1
    repeats: bool = True
