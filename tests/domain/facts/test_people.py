"""Initials of names, by hand."""

from __future__ import annotations

import pytest

from gezeiten.domain.facts.people import initials


@pytest.mark.parametrize(
    ("name", "wanted"),
    [
        ("Jana Albers", "JA"),
        ("Jana Marie Albers", "JMA"),
        ("JA", "JA"),
        ("root", "RO"),
        ("Hans-Peter Ott", "HPO"),
        ("a b c d", "ABC"),
        ("  ", ""),
    ],
)
def test_initials(name: str, wanted: str) -> None:
    assert initials(name) == wanted
