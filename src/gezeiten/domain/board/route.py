"""The order of a day's round: short ways between sites."""

from __future__ import annotations

from itertools import pairwise
from math import asin, cos, radians, sin, sqrt
from typing import TypeAlias

EARTH_KM = 6371.0088
"""Mean radius (IUGG)."""
EXACT_PLACES = 9
"""So many are put in order in a few milliseconds; the work doubles with each more."""
Position: TypeAlias = tuple[float, float]
"""Latitude and longitude in degrees (WGS 84)."""


def distance_km(here: Position, there: Position) -> float:
    """Return the great-circle distance (haversine formula)."""
    (lat_a, lon_a), (lat_b, lon_b) = ((radians(v) for v in place) for place in (here, there))
    half = sin((lat_b - lat_a) / 2) ** 2
    half += cos(lat_a) * cos(lat_b) * sin((lon_b - lon_a) / 2) ** 2
    return 2 * EARTH_KM * asin(sqrt(min(half, 1.0)))


def length_km(places: list[Position]) -> float:
    """Return the way along places in their order."""
    return sum(distance_km(a, b) for a, b in pairwise(places))


def round_order(places: list[Position | None], first: int = 0) -> list[int]:
    """Return the indices of places in the order of a short way that begins with `first`.

    Up to EXACT_PLACES the shortest one (Held & Karp 1962); beyond, the nearest place next, then
    parts of the way are turned round as long as that shortens it. Places without a position keep
    their order at the end.
    """
    known = [i for i, place in enumerate(places) if place is not None]
    unknown = [i for i, place in enumerate(places) if place is None]
    if not known:
        return unknown
    at = {i: place for i, place in enumerate(places) if place is not None}
    begin = first if first in at else known[0]
    left = [i for i in known if i != begin]
    if len(known) <= EXACT_PLACES:
        return [begin, *_shortest(begin, left, at), *unknown]
    order = [begin]
    while left:
        nearest = min(left, key=lambda i: distance_km(at[order[-1]], at[i]))
        left.remove(nearest)
        order.append(nearest)
    return _untangled(order, at) + unknown


def _shortest(begin: int, others: list[int], at: dict[int, Position]) -> list[int]:
    """Return the others in the order of the shortest way from `begin` through all of them."""
    km = {(i, j): distance_km(at[i], at[j]) for i in at for j in at}
    # for every set of places gone through and the last of them: the shortest such way
    methods = {(frozenset((i,)), i): (km[begin, i], [i]) for i in others}
    for _ in others[1:]:
        longer: dict[tuple[frozenset[int], int], tuple[float, list[int]]] = {}
        for (gone, last), (length, method) in methods.items():
            for i in others:
                key = (gone | {i}, i)
                far = length + km[last, i]
                if i not in gone and (key not in longer or far < longer[key][0]):
                    longer[key] = (far, [*method, i])
        methods = longer
    return min(methods.values(), default=(0.0, []))[1]


def _untangled(order: list[int], at: dict[int, Position]) -> list[int]:
    def length(method: list[int]) -> float:
        return length_km([at[i] for i in method])

    improved = True
    while improved:
        improved = False
        for i in range(1, len(order) - 1):
            for j in range(i + 1, len(order)):
                turned = order[:i] + order[i : j + 1][::-1] + order[j + 1 :]
                if length(turned) < length(order) - 1e-9:
                    order, improved = turned, True
    return order
