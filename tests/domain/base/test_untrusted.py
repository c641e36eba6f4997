"""Bounds of what comes from outside, exactly at the bound."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest

from gezeiten.domain.base.untrusted import instant_ms, json_of, shallow

FIRST = int(datetime(1900, 1, 1, tzinfo=UTC).timestamp()) * 1000
AFTER = int(datetime(2200, 1, 1, tzinfo=UTC).timestamp()) * 1000


def nested(depth: int, last: Any = 1) -> Any:
    value = last
    for level in range(depth):
        value = {"a": value} if level % 2 else [value]
    return value


def test_instants_lie_in_the_years_1900_to_2200() -> None:
    assert [instant_ms(at) for at in (FIRST, 0, "17", AFTER - 1)] == [FIRST, 0, 17, AFTER - 1]
    for beyond in (FIRST - 1, AFTER):
        with pytest.raises(ValueError, match="a time outside the years 1900 to 2200"):
            instant_ms(beyond)
    with pytest.raises(TypeError):
        instant_ms(None)


def test_values_are_nested_thirty_two_deep_and_no_deeper() -> None:
    assert shallow(nested(32)) == nested(32)
    for deep in (nested(33), nested(32, ()), (1, nested(32)), {"a": 1, "b": nested(32)}):
        with pytest.raises(ValueError, match="nested too deep"):
            shallow(deep)
    assert shallow(("a", 1, None)) == ("a", 1, None)


def test_a_value_that_holds_itself_is_refused() -> None:
    circle: list[Any] = []
    circle.append(circle)
    with pytest.raises(ValueError, match="nested too deep"):
        shallow(circle)


def test_json_is_bounded_too() -> None:
    assert json_of(b'{"a": [1, 2]}') == {"a": [1, 2]}
    for text in ("[" * 33 + "]" * 33, "[" * 100_000):
        with pytest.raises(ValueError, match="nested too deep"):
            json_of(text)
    with pytest.raises(ValueError, match="Expecting"):
        json_of("soon")
