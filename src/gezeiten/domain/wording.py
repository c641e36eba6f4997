"""Counts in sentences that are made below the window: grouped, with the right plural."""

from __future__ import annotations

import math


def grouped(count: int) -> str:
    """Return "2,880": these sentences are English, so their digits are grouped as English does."""
    return f"{count:,}"


def figure(value: float) -> str:
    """Return "12,000,000", "60" or "0.35": a limit or range without powers of ten."""
    return f"{value:,.6f}".rstrip("0").rstrip(".")


def error_decimals(error: float, most: int) -> int:
    """Return how many decimals say an error or uncertainty by two digits that count, at most so
    many. Source: JCGM 100:2008, 7.2.6."""
    size = abs(error)
    if not math.isfinite(size) or size == 0:
        return most
    return max(min(1 - math.floor(math.log10(size)), most), 0)


def counted(count: int, one: str, many: str) -> str:
    """Return "1 gap" or "2,880 gaps"."""
    return f"{grouped(count)} {one if count == 1 else many}"


def readings_words(count: int) -> str:
    """Return "1 reading" or "2,880 readings". A reading is one instant with all its channels."""
    return counted(count, "reading", "readings")
