"""The clock difference: midpoint of the shortest round trip, uncertain by half of it."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.base.clock import RoundTrip, clock_difference
from gezeiten.errors import InputError


def test_the_shortest_round_trip_counts() -> None:
    trips = [RoundTrip(0, 100, 1000), RoundTrip(200, 210, 157), RoundTrip(300, 340, 5)]
    found = clock_difference(trips)
    assert found.difference_ms == 157 - 205
    assert found.uncertainty_ms == 5


def test_without_a_round_trip_nothing_is_claimed() -> None:
    with pytest.raises(InputError, match="contact the logger again"):
        clock_difference([])


@given(
    st.floats(-1e6, 1e6),
    st.lists(st.tuples(st.floats(0, 500), st.floats(0, 500)), min_size=1, max_size=5),
)
def test_the_true_difference_lies_within_the_uncertainty(
    truth: float, delays: list[tuple[float, float]]
) -> None:
    """Whatever the way there and back took: the answer was read in between."""
    trips = [
        RoundTrip(1000.0, 1000.0 + there + back, 1000.0 + there + truth) for there, back in delays
    ]
    found = clock_difference(trips)
    assert abs(found.difference_ms - truth) <= found.uncertainty_ms + 1e-6
