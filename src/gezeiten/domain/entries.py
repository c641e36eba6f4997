"""An entry of the logbook, as everything above the archive sees it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Entry:
    """One act: number, instant (UTC ms), who, what in a word, on what, in a sentence; details as
    JSON gives them back. hash covers the entry and the hash before it, 64 hexadecimal digits.
    chain, number: its chain file and its place there; "" and 0 for entries from before those."""

    seq: int
    at_ms: int
    person: str
    act: str
    subject: str
    sentence: str
    details: dict[str, Any]
    previous: str
    hash: str
    chain: str = ""
    number: int = 0

    def holds(self, words: list[str]) -> bool:
        """Whether every word (folded) stands in it somewhere."""
        text = f"{self.person} {self.act} {self.subject} {self.sentence}".casefold()
        return all(word in text for word in words)
