"""The order of a day's round: short ways between sites."""

from __future__ import annotations

from itertools import pairwise
from math import asin, cos, radians, sin, sqrt
from typing import TypeAlias

EARTH_KM = 6371.0088
"""Mean radius (IUGG)."""
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

    Nearest place next, then parts of the way are turned round as long as that shortens it. Places
    without a position keep their order at the end.
    """
    known = [i for i, place in enumerate(places) if place is not None]
    unknown = [i for i, place in enumerate(places) if place is None]
    if not known:
        return unknown
    at = {i: place for i, place in enumerate(places) if place is not None}
    order = [first if first in at else known[0]]
    left = [i for i in known if i != order[0]]
    while left:
        nearest = min(left, key=lambda i: distance_km(at[order[-1]], at[i]))
        left.remove(nearest)
        order.append(nearest)
    return _untangled(order, at) + unknown


def _untangled(order: list[int], at: dict[int, Position]) -> list[int]:
    def length(way: list[int]) -> float:
        return length_km([at[i] for i in way])

    improved = True
    while improved:
        improved = False
        for i in range(1, len(order) - 1):
            for j in range(i + 1, len(order)):
                turned = order[:i] + order[i : j + 1][::-1] + order[j + 1 :]
                if length(turned) < length(order) - 1e-9:
                    order, improved = turned, True
    return order
