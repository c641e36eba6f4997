"""The way of a round against every possible way."""

from __future__ import annotations

from itertools import combinations, permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.route import EXACT_PLACES, distance_km, length_km, round_order


def test_a_degree_of_latitude_is_a_hundred_and_eleven_kilometres() -> None:
    assert distance_km((53.0, 8.0), (54.0, 8.0)) == pytest.approx(111.195, abs=0.01)
    # Hamburg to Bremen, great circle: 94.9 km
    assert distance_km((53.5511, 9.9937), (53.0793, 8.8017)) == pytest.approx(94.9, abs=0.5)


positions = st.tuples(st.floats(53, 54), st.floats(8, 9))


@given(st.lists(positions, min_size=1, max_size=6))
def test_the_way_is_short_whole_and_begins_where_it_must(places: list[tuple[float, float]]) -> None:
    order = round_order(list(places), 0)
    assert sorted(order) == list(range(len(places)))
    assert order[0] == 0
    ways = [[0, *rest] for rest in permutations(range(1, len(places)))]
    best = min(length_km([places[i] for i in way]) for way in ways)
    assert length_km([places[i] for i in order]) == pytest.approx(best, abs=1e-9)


@given(st.lists(positions, min_size=EXACT_PLACES + 1, max_size=16, unique=True))
def test_the_way_through_many_places_cannot_be_shortened_by_turning_a_part(
    places: list[tuple[float, float]],
) -> None:
    order = round_order(list(places), 0)
    assert sorted(order) == list(range(len(places)))
    assert order[0] == 0
    length = length_km([places[i] for i in order])
    for a, b in combinations(range(1, len(order) + 1), 2):
        turned = order[:a] + order[a:b][::-1] + order[b:]
        assert length <= length_km([places[i] for i in turned]) + 1e-6


def test_places_without_a_position_come_last() -> None:
    assert round_order([None, (53.0, 8.0), None, (53.1, 8.0)], 0) == [1, 3, 0, 2]
    assert round_order([None, None], 1) == [0, 1]
