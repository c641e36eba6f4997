"""The way of a round against every possible way."""

from __future__ import annotations

from itertools import combinations, permutations
from math import acos, cos, pi, radians, sin
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.board.route import EXACT_PLACES, distance_km, length_km, round_order


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


HAMBURG, BREMEN, KIEL = (53.5511, 9.9937), (53.0793, 8.8017), (54.3233, 10.1228)


def test_distances_by_another_formula() -> None:
    # spherical law of cosines, another way to the same great circle
    for (a, b), (c, d) in permutations((HAMBURG, BREMEN, KIEL, (-33.9, 151.2)), 2):
        lat_a, lon_a, lat_b, lon_b = (radians(v) for v in (a, b, c, d))
        cosine = sin(lat_a) * sin(lat_b) + cos(lat_a) * cos(lat_b) * cos(lon_b - lon_a)
        assert distance_km((a, b), (c, d)) == pytest.approx(6371.0088 * acos(cosine), rel=1e-6)
    assert distance_km((0.0, 0.0), (0.0, 180.0)) == pytest.approx(6371.0088 * pi)
    assert distance_km(KIEL, KIEL) == 0.0


def test_a_way_begins_with_the_first_place_that_has_a_position() -> None:
    assert round_order([None, BREMEN, HAMBURG, KIEL], 0) == [1, 2, 3, 0]
    assert round_order([KIEL, BREMEN, HAMBURG], 1) == [1, 2, 0]
    assert round_order([KIEL], 0) == [0]
    assert round_order([]) == []
    assert length_km([]) == length_km([KIEL]) == 0.0


def test_a_way_through_many_places_goes_to_the_nearest_next_and_leaves_no_knot() -> None:
    line = [(53.0 + i / 100, 8.0) for i in (0, 7, 3, 11, 1, 9, 5, 2, 10, 4, 8, 6)]
    order = round_order(line, 0)
    assert [line[i] for i in order] == sorted(line)
    assert round_order([*line, None], 0) == [*order, len(line)]


def random_places(seed: int, count: int) -> list[tuple[float, float]]:
    dice = Random(seed)
    return [(dice.uniform(53, 54), dice.uniform(8, 9)) for _ in range(count)]


def test_of_as_many_as_can_be_tried_the_way_is_the_shortest() -> None:
    places = random_places(1, EXACT_PLACES)  # going to the nearest is longer there
    order = round_order(list(places))
    assert order[0] == 0  # where nobody says another
    ways = ([0, *rest] for rest in permutations(range(1, EXACT_PLACES)))
    best = min(length_km([places[i] for i in way]) for way in ways)
    assert length_km([places[i] for i in order]) == pytest.approx(best, abs=1e-9)


def test_of_more_the_way_is_no_longer_than_always_going_to_the_nearest() -> None:
    for seed in range(20):
        places = random_places(seed, EXACT_PLACES + 4)
        nearest, left = [0], set(range(1, len(places)))
        while left:
            here = places[nearest[-1]]
            nearest.append(min(left, key=lambda i: distance_km(here, places[i])))
            left.remove(nearest[-1])
        order = round_order(list(places))
        lengths = [length_km([places[i] for i in way]) for way in (order, nearest)]
        assert lengths[0] <= lengths[1] + 1e-9
