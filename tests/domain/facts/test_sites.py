"""Which facts of a site or a point can be, to the edge of each."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from gezeiten.domain.facts.sites import (
    PointFacts,
    SiteFacts,
    checked_point,
    checked_site,
    full_name,
    split_name,
)
from gezeiten.errors import InputError

SHORE = SiteFacts("Shore", "marsh", "Europe/Berlin", 53.9, 8.1, 1.5, None, 45)
WELL = PointFacts("Well", 2.5, 3.2, ("water_level",), 900)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": ""}, "“” cannot be the name of a site; choose a name without “·”."),
        ({"name": "A·B"}, "“A·B” cannot be the name of a site; choose a name without “·”."),
        ({"name": "a/b"}, "“/” is not allowed in a file name; remove it from “a/b”."),
        ({"name": "x" * 31}, "The name of a site has up to 30 bytes; shorten it."),
        ({"name": "ü" * 16}, "The name of a site has up to 30 bytes; shorten it."),
        (
            {"latitude": 90.001},
            "The latitude 90.001 is out of range; enter a value from -90 to 90.",
        ),
        (
            {"latitude": -90.001},
            "The latitude -90.001 is out of range; enter a value from -90 to 90.",
        ),
        (
            {"longitude": 180.5},
            "The longitude 180.5 is out of range; enter a value from -180 to 180.",
        ),
        (
            {"longitude": -180.5},
            "The longitude -180.5 is out of range; enter a value from -180 to 180.",
        ),
        ({"latitude": None}, "A position needs latitude and longitude; enter both or neither."),
        ({"longitude": None}, "A position needs latitude and longitude; enter both or neither."),
        (
            {"height_m": float("nan")},
            "The height nan is out of range; enter a value from -500 to 9,000.",
        ),
        (
            {"height_m": -501.0},
            "The height -501 is out of range; enter a value from -500 to 9,000.",
        ),
        (
            {"height_m": 9001.0},
            "The height 9,001 is out of range; enter a value from -500 to 9,000.",
        ),
        ({"visit_every_days": 0}, "The days between visits must be from 1 to 3650."),
        ({"visit_every_days": 3651}, "The days between visits must be from 1 to 3650."),
        ({"zone": "Mars/Base"}, "“Mars/Base” is not a time zone; type one like Europe/Berlin."),
        ({"zone": "../etc"}, "“../etc” is not a time zone; type one like Europe/Berlin."),
    ],
)
def test_a_site_that_cannot_be(change: dict[str, Any], words: str) -> None:
    with pytest.raises(InputError) as refused:
        checked_site(replace(SHORE, **change))
    assert str(refused.value).startswith(words)


@pytest.mark.parametrize(
    "change",
    [
        {"name": "x" * 30},
        {"name": "ü" * 15},
        {"latitude": 90.0, "longitude": -180.0},
        {"latitude": -90.0, "longitude": 180.0},
        {"latitude": None, "longitude": None},
        {"height_m": -500.0},
        {"height_m": 9000.0},
        {"height_m": None},
        {"visit_every_days": 1},
        {"visit_every_days": 3650},
        {"visit_every_days": None},
        {"zone": "UTC"},
    ],
)
def test_a_site_that_just_can_be(change: dict[str, Any]) -> None:
    facts = replace(SHORE, **change)
    assert checked_site(facts) == facts


def test_names_and_kinds_are_cleaned() -> None:
    assert checked_site(SiteFacts("  North   shore ", " salt marsh ")) == SiteFacts(
        "North shore", "salt marsh"
    )
    assert checked_point(PointFacts(" Well  2 ")).name == "Well 2"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": "A · B"}, "“A · B” cannot be the name of a point; choose a name without “·”."),
        ({"name": "x" * 31}, "The name of a point has up to 30 bytes; shorten it."),
        (
            {"height_m": 9001.0},
            "The height 9,001 is out of range; enter a value from -500 to 9,000.",
        ),
        (
            {"height_m": -501.0},
            "The height -501 is out of range; enter a value from -500 to 9,000.",
        ),
        ({"measuring_point_height_m": 9001.0}, "The measuring-point height 9,001 is out of range"),
        ({"measuring_point_height_m": -501.0}, "The measuring-point height -501 is out of range"),
        ({"duty_channels": ("co2", "smell")}, "“smell” is not a quantity; choose from the list."),
        ({"duty_interval_s": 0}, "The required interval must be from 1 s to 31 d."),
        ({"duty_interval_s": 2_678_401}, "The required interval must be from 1 s to 31 d."),
        (
            {"fill_limit_s": -1},
            "A straight line fills gaps of up to one day; choose a shorter limit.",
        ),
        (
            {"fill_limit_s": 86_401},
            "A straight line fills gaps of up to one day; choose a shorter limit.",
        ),
    ],
)
def test_a_point_that_cannot_be(change: dict[str, Any], words: str) -> None:
    with pytest.raises(InputError) as refused:
        checked_point(replace(WELL, **change))
    assert str(refused.value).startswith(words)


@pytest.mark.parametrize(
    "change",
    [
        {"duty_interval_s": 1},
        {"duty_interval_s": 2_678_400},
        {"duty_interval_s": None},
        {"fill_limit_s": 0},
        {"fill_limit_s": 86_400},
        {"duty_channels": ()},
        {"height_m": -500.0, "measuring_point_height_m": 9000.0},
        {"height_m": 9000.0, "measuring_point_height_m": -500.0},
    ],
)
def test_a_point_that_just_can_be(change: dict[str, Any]) -> None:
    facts = replace(WELL, **change)
    assert checked_point(facts) == facts


def test_full_names_and_back() -> None:
    assert full_name("Shore", "Well 2") == "Shore · Well 2"
    assert split_name("Shore · Well 2") == ("Shore", "Well 2")
    assert split_name(" Shore ·  Well · 2 ") == ("Shore", "Well · 2")
    assert split_name("Shore") == ("Shore", "Shore")
