"""An entry of the logbook, as everything above the archive sees it, and what it is about."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

ThingKind = Literal["site", "point", "logger", "mission", "document", "bytes"]
Thing = tuple[ThingKind, str]
"""What an entry can be about: a site, point or document by its id, a logger by its serial, a
mission by "serial/number", bytes by their fingerprint."""
_KEYS: dict[str, ThingKind] = {
    "site": "site",
    "point": "point",
    "logger": "logger",
    "serial": "logger",
    "document": "document",
    "sha256": "bytes",
}
_NUMBERS = ("number", "in_mission", "mission_number")
QUIET = ("contact", "launch begun")
"""Actions of the field that say nothing that a later one does not."""


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

    def matches(self, texts: list[str]) -> bool:
        """Whether every word (folded) stands in it somewhere, in what its action holds as well."""
        text = f"{self.person} {self.act} {self.subject} {self.sentence}".casefold()
        if all(word in text for word in texts):
            return True
        held = " ".join(_texts(self.details)).casefold()
        return all(word in text or word in held for word in texts)

    @property
    def subjects(self) -> frozenset[Thing]:
        """What it is about; of entries from before there were acts nothing but their subject is
        known."""
        action = self.details.get("act")
        return frozenset(_named_things(action)) if isinstance(action, dict) else frozenset()


def _named_things(action: dict[str, Any]) -> Iterator[Thing]:
    """Yield what an action names, at whatever depth."""
    loggers, numbers = set(), set()
    for key, value in _pairs(action):
        if key in _KEYS and isinstance(value, str) and value:
            yield _KEYS[key], value
            if _KEYS[key] == "logger":
                loggers.add(value)
        elif key in _NUMBERS and isinstance(value, int):
            numbers.add(value)
    for serial in loggers:
        for number in numbers:
            yield "mission", f"{serial}/{number}"
    for serial in action.get("replaced", []):
        yield "logger", serial


def _pairs(value: Any) -> Iterator[tuple[str, Any]]:
    if isinstance(value, dict):
        for key, inner in value.items():
            yield key, inner
            yield from _pairs(inner)
    elif isinstance(value, list):
        for inner in value:
            yield from _pairs(inner)


def _texts(value: Any) -> Iterator[str]:
    for _, inner in _pairs(value):
        if isinstance(inner, str | int | float):
            yield str(inner)
