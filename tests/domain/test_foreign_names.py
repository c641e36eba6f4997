"""Names that come from loggers, texts and copies: what no name can have is taken out of them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.base.naming import clean_name, name_fault

LONGEST = 120


@pytest.mark.parametrize(
    ("came", "kept"),
    [
        ("Cold room A", "Cold room A"),
        ("Kühlraum Nord", "Kühlraum Nord"),
        ("<b>Cold</b> room", "b Cold b room"),
        ("../../etc/passwd", ".. .. etc passwd"),
        ("a\x00b", "a b"),
        ("a\nb\tc", "a b c"),
        ("\u202egnp.exe", "gnp.exe"),
        ("A\u200bB", "A B"),
        ("  ", "unnamed"),
        ("\x00", "unnamed"),
        ("CON", "CON unnamed"),
        ("ends.", "ends"),
        ("...", "unnamed"),
        ("x" * 121, "x" * 120),
        ("ä" * 61, "ä" * 60),
        ("x" * 119 + "ä", "x" * 119),
    ],
)
def test_what_no_name_can_have_is_taken_out(came: str, kept: str) -> None:
    assert clean_name(came, LONGEST) == kept


@given(st.text(max_size=200))
def test_every_name_that_came_is_one_that_could_be_typed(came: str) -> None:
    kept = clean_name(came, LONGEST)
    assert kept
    assert name_fault(kept) == ""
    assert clean_name(kept, LONGEST + 20) == kept


@pytest.mark.parametrize("typed", ["a\u202eb", "a\x07b", "a\x00b", "a\u200bb", "\ufeffa"])
def test_signs_that_cannot_be_seen_are_refused_where_they_are_typed(typed: str) -> None:
    assert "type it again" in name_fault(typed)
