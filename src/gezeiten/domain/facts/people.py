"""How people are called in few signs."""

from __future__ import annotations

WHOLE = 3
"""A single word of so many signs stands as it is: "JA"."""


def initials(name: str) -> str:
    """Return the initials of a name: of "Jana Albers" JA, of "Jana Marie Albers" JMA; of a single
    word its first two signs, a short one whole. "" for no name."""
    words = name.replace("-", " ").split()
    if len(words) > 1:
        return "".join(word[0] for word in words[:WHOLE]).upper()
    return name.strip() if len(name.strip()) <= WHOLE else name.strip()[:2].upper()
