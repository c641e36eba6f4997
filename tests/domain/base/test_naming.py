"""Names of missions and what a file system refuses, case by case."""

from __future__ import annotations

from datetime import datetime

import pytest

from gezeiten.domain.base.naming import mission_name, name_fault, season

WHO = {"site": "Speicher 4", "point": "Nave", "serial": "D-2041", "model": "Düne T2", "mission": 7}


@pytest.mark.parametrize(
    ("month", "words"),
    [
        (12, "winter"),
        (1, "winter"),
        (2, "winter"),
        (3, "spring"),
        (5, "spring"),
        (6, "summer"),
        (8, "summer"),
        (9, "autumn"),
        (11, "autumn"),
    ],
)
def test_seasons_are_the_weather_services(month: int, words: str) -> None:
    assert season(datetime(2026, month, 1)) == words


@pytest.mark.parametrize(
    ("pattern", "day", "name"),
    [
        ("{point} {season} {year}", (2026, 12, 1), "Nave winter 2026-27"),
        ("{point} {season} {year}", (2027, 2, 28), "Nave winter 2026-27"),
        ("{point} {season} {year}", (2027, 3, 1), "Nave spring 2027"),
        ("{season} {year}", (1999, 12, 1), "winter 1999-00"),
        ("{season} {year}", (2109, 1, 1), "winter 2108-09"),
        ("{point} {year}", (2026, 12, 1), "Nave 2026"),
        ("{point} {year}", (2027, 1, 1), "Nave 2027"),
        ("{site} {serial} {model} {mission}", (2026, 6, 1), "Speicher 4 D-2041 Düne T2 7"),
        ("{year}-{month}-{day}", (2026, 6, 3), "2026-06-03"),
        ("  {colour}   of {point} ", (2026, 6, 3), "{colour} of Nave"),
    ],
)
def test_names_of_a_pattern(pattern: str, day: tuple[int, int, int], name: str) -> None:
    assert mission_name(pattern, datetime(*day), **WHO) == name


@pytest.mark.parametrize("name", ["a/b", "a\\b", "a:b", "a*b", "a?b", 'a"b', "a<b", "a>b", "a|b"])
def test_signs_that_file_systems_refuse_are_named(name: str) -> None:
    sign = name[1]
    wanted = f"“{sign}” is not allowed in a file name; remove it from “{name}”."
    assert name_fault(name) == wanted


@pytest.mark.parametrize(
    ("name", "words"),
    [
        (".", "“.” ends with a dot, which file systems do not allow; remove it."),
        (" .. ", "“..” ends with a dot, which file systems do not allow; remove it."),
        ("Nave. ", "“Nave.” ends with a dot, which file systems do not allow; remove it."),
        (
            "x" * 40 + ".",
            f"“{'x' * 30}” ends with a dot, which file systems do not allow; remove it.",
        ),
        ("aux", "“aux” is a name reserved by some file systems; add a word."),
        ("Com1.a", "“Com1.a” is a name reserved by some file systems; add a word."),
        ("LPT9", "“LPT9” is a name reserved by some file systems; add a word."),
        ("x" * 40 + "/", f"“/” is not allowed in a file name; remove it from “{'x' * 30}”."),
        (
            "aux." + "x" * 40,
            f"“aux.{'x' * 26}” is a name reserved by some file systems; add a word.",
        ),
        ("COM0", ""),
        ("COM10", ""),
        ("Nave.a", ""),
        ("", ""),
        ("Auxiliary", ""),
    ],
)
def test_names_at_the_edges(name: str, words: str) -> None:
    assert name_fault(name) == words
