"""Lengths of time at their edges: what is still one, and how a faulty text is quoted."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.base.intervals import (
    NEAT_S,
    neat_interval_s,
    parse_duration_s,
    parse_interval_s,
)
from gezeiten.errors import PlanError


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("2:30", 9000), ("1:00:01", 3601), ("1000000000 s", 10**9), ("2 w 1 d", 15 * 86_400)],
)
def test_hours_minutes_and_seconds(text: str, seconds: int) -> None:
    assert parse_interval_s(text) == seconds


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("90", 7_776_000),
        ("1", 86_400),
        ("1 s", 1),
        ("3 weeks", 21 * 86_400),
        ("12 h", 43_200),
        ("1 d 12 h", 129_600),
        ("0:30", 1_800),
    ],
)
def test_a_bare_duration_is_days(text: str, seconds: int) -> None:
    assert parse_duration_s(text) == seconds


@pytest.mark.parametrize("text", ["0", "", "for ever", "-3 d"])
def test_what_is_no_duration_is_one_sentence(text: str) -> None:
    with pytest.raises(PlanError, match="type it like"):
        parse_duration_s(text)


@given(st.integers(1, 10**7))
def test_a_neat_interval_is_the_next_usual_one(wanted_s: int) -> None:
    neat = neat_interval_s(wanted_s)
    assert neat >= wanted_s
    assert neat in NEAT_S or neat % 86_400 == 0
    assert all(86_400 % usual == 0 for usual in NEAT_S)


def test_no_duration_at_all_is_refused() -> None:
    with pytest.raises(PlanError, match="is not a duration"):
        parse_duration_s(" 0 ")


def test_more_than_a_thousand_million_seconds_is_refused() -> None:
    with pytest.raises(PlanError):
        parse_interval_s("1000000001 s")


@pytest.mark.parametrize(
    ("text", "quoted"),
    [("  so   late ", "“so late”"), ("x" * 30, f"“{'x' * 30}”"), ("x" * 31, f"“{'x' * 29}…”")],
)
def test_a_faulty_text_is_quoted_in_thirty_characters(text: str, quoted: str) -> None:
    with pytest.raises(PlanError, match=f"^{quoted} is not an interval"):
        parse_interval_s(text)


@pytest.mark.parametrize(
    ("at_least", "neat"),
    [
        (0, 1),
        (1, 1),
        (3, 5),
        (61, 120),
        (86_399, 86_400),
        (86_401, 2 * 86_400),
        (2 * 86_400, 2 * 86_400),
    ],
)
def test_the_next_usual_interval(at_least: int, neat: int) -> None:
    assert neat_interval_s(at_least) == neat
