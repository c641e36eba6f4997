"""Counts in sentences that are made below the window: grouped, with the right plural."""

from __future__ import annotations

import math

_SUPERSCRIPTS = str.maketrans("0123456789-", "⁰¹²³⁴⁵⁶⁷⁸⁹⁻")


def superscript(number: int) -> str:
    """Return a whole number in superscript: "10" and this make a power of ten."""
    return str(number).translate(_SUPERSCRIPTS)


def axis_text(value: float, largest: float, places: int) -> str:
    """Return a number for an axis: from 100,000 on in a power of ten, which all numbers of the axis
    share."""
    power = power_of(largest)
    if not power or value == 0:
        return f"{value:,.{0 if power else places}f}"
    return f"{value / 10**power:.1f}·10{superscript(power)}"


def power_of(largest: float) -> int:
    """Return the power of ten, a multiple of three, with which numbers up to one are said; 0 up to
    99,999."""
    return 3 * (int(math.log10(largest)) // 3) if largest >= _MANY else 0


_MANY = 100_000.0


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


def readings_text(count: int) -> str:
    """Return "1 reading" or "2,880 readings". A reading is one instant with all its channels."""
    return counted(count, "reading", "readings")
