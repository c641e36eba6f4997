"""Calibration points by what was read by hand, checked by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gezeiten.domain.steps.checks.points import calibration_points
from gezeiten.domain.steps.corrections.out_of_place import visit_span

MIN = 60_000


def test_looks_near_each_other_make_one_point() -> None:
    """By hand: differences 0.1, 0.3, 0.2: mean 0.2, scatter 0.1; U² = (2 x 0.1)² / 3 + 0.1²."""
    found, u = calibration_points(
        np.array([20.0, 20.1, 20.05]), np.array([20.1, 20.4, 20.25]), np.full(3, 0.1)
    )
    assert found == [[pytest.approx(20.05), pytest.approx(20.25)]]
    assert u == pytest.approx(math.sqrt(0.04 / 3 + 0.01))


def test_two_looks_at_ice_and_two_at_room_make_two_points() -> None:
    found, u = calibration_points(
        np.array([22.0, 0.1, 21.8, -0.1]), np.array([22.4, 0.0, 22.2, -0.2]), np.zeros(4)
    )
    assert found == [
        [pytest.approx(0.0), pytest.approx(-0.1)],
        [pytest.approx(21.9), pytest.approx(22.3)],
    ]
    assert u == pytest.approx(0, abs=0.01)  # beyond the points the nearest correction holds


def test_looks_too_near_for_a_point_of_their_own_count_in_that_beside_them() -> None:
    """Two looks at ice, ten at room: of the room one point, the mean of all ten, none left out."""
    rng = np.random.default_rng(4)
    room, off = 21 + rng.normal(0, 0.05, 10), 0.4 + rng.normal(0, 0.1, 10)
    indicated = np.concatenate(([0.0, 0.1], room))
    reference = np.concatenate(([0.1, 0.2], room + off))
    found, _ = calibration_points(indicated, reference, np.full(12, 0.1))
    assert found == [
        [pytest.approx(0.05), pytest.approx(0.15)],
        [pytest.approx(room.mean()), pytest.approx((room + off).mean())],
    ]


def test_one_look_is_one_point_as_sure_as_it_was_read() -> None:
    assert calibration_points(np.array([5.0]), np.array([5.5]), np.array([0.2])) == (
        [[5.0, 5.5]],
        0.2,
    )


@pytest.mark.parametrize(
    ("known", "at", "wanted"),
    [
        ([], 0, (0, 0)),
        ([-50, -20, 30, 200], 0, (-50, 30)),  # the last is three hours off and more
        ([-61, 61], 0, (0, 0)),  # each further than an hour from the next
        ([-170, -115, -60, 45, 100], 0, (-170, 100)),
    ],
)
def test_a_visit_is_all_that_was_done_within_an_hour_of_the_next(
    known: list[int], at: int, wanted: tuple[int, int]
) -> None:
    found = visit_span([one * MIN for one in known], at * MIN)
    assert found == (wanted[0] * MIN, wanted[1] * MIN)
