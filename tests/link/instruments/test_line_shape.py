"""A line is clicked, a pattern follows that finds the same numbers in the next lines."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from gezeiten.errors import InputError
from gezeiten.link.instruments.line_shape import numbers_in, pattern_for
from gezeiten.link.instruments.profile import (
    LINES,
    Profile,
    ProfileValue,
    read_profile,
    save_profile,
)

LINES_OF = (
    ("T=12.5 RH=80.1", ["12.5", "80.1"], "T=-0.5  RH=9"),
    ("$WX,3,1013.2,4.5*7F", ["3", "1013.2", "4.5"], "$WX,4,998.0,-12.25*0A"),
    ("2024-03-05 10:20:00; 4,5; 80", ["4,5", "80"], "2025-01-01 00:00:00;-4,5;  81"),
)


@pytest.mark.parametrize(("line", "wanted", "following"), LINES_OF)
def test_numbers_are_found_again_in_the_next_line(
    line: str, wanted: list[str], following: str
) -> None:
    parts = numbers_in(line)
    assert [part.text for part in parts][-len(wanted) :] == wanted
    last = len(parts) - 1
    pattern = pattern_for(line, {last: "last", last - 1: "before"})
    here, there = re.search(pattern, line), re.search(pattern, following)
    assert here is not None
    assert there is not None
    assert (here["before"], here["last"]) == tuple(wanted[-2:])
    told = [part.text for part in numbers_in(following)][-2:]
    assert [there["before"], there["last"]] == told


def test_a_word_in_front_of_a_number_is_its_name() -> None:
    assert [part.before for part in numbers_in("temp: 4.5 °C, hum: 80 %")] == ["temp", "hum"]


def test_a_profile_is_kept_as_a_file_that_is_read_again(tmp_path: Path) -> None:
    line = 'Mast "7" T=4.5 P=1013.2'
    values = (
        ProfileValue("v2", "air_temperature", "°C"),
        ProfileValue("v3", "air_pressure", "hPa"),
    )
    profile = Profile(
        "Mast “North”",
        LINES,
        4800,
        7,
        "E",
        2,
        values,
        pattern=pattern_for(line, {1: "v2", 2: "v3"}),
        ask="M\r",
        end="cr",
    )
    path = save_profile(tmp_path / "profiles", profile)
    assert read_profile(path) == profile
    told = read_profile(path).read_line(line)
    assert told == pytest.approx({"air_temperature": 4.5, "air_pressure": 101.32})
    with pytest.raises(InputError, match="port settings"):
        save_profile(tmp_path, Profile("x", LINES, 3, 8, "N", 1, values, pattern=profile.pattern))
