"""Counts and figures in sentences."""

from __future__ import annotations

import pytest

from gezeiten.domain.base.wording import (
    counted,
    error_decimals,
    figure,
    grouped,
    readings_text,
)


@pytest.mark.parametrize(
    ("count", "words"),
    [(0, "0 readings"), (1, "1 reading"), (2, "2 readings"), (2880, "2,880 readings")],
)
def test_readings_are_counted_with_their_plural(count: int, words: str) -> None:
    assert readings_text(count) == words


def test_other_things_are_counted_too() -> None:
    assert (counted(1, "gap", "gaps"), counted(1000, "gap", "gaps")) == ("1 gap", "1,000 gaps")
    assert grouped(-1234567) == "-1,234,567"


@pytest.mark.parametrize(
    ("value", "words"),
    [
        (12e6, "12,000,000"),
        (60.0, "60"),
        (0.35, "0.35"),
        (-40.0, "-40"),
        (0.0000004, "0"),
        (1.2345678, "1.234568"),
        (100.0, "100"),
    ],
)
def test_figures_have_no_powers_of_ten(value: float, words: str) -> None:
    assert figure(value) == words


@pytest.mark.parametrize(
    ("error", "most", "decimals"),
    [
        (12.08, 4, 0),
        (0.6815, 4, 2),
        (0.031, 3, 3),
        (0.031, 2, 2),
        (0.0996, 4, 3),
        (1.0, 3, 1),
        (0.0, 3, 3),
        (float("nan"), 2, 2),
        (-0.25, 4, 2),
    ],
)
def test_an_error_is_said_by_two_digits_that_count(error: float, most: int, decimals: int) -> None:
    """JCGM 100:2008, 7.2.6."""
    assert error_decimals(error, most) == decimals
