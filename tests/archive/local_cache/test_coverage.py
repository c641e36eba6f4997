"""Which gaps of a series are none, because its source feeds another series then."""

from __future__ import annotations

import pytest

from gezeiten.archive.local_cache.coverage import is_covered_by
from gezeiten.domain.series.assignments import Deployment, MissionStay, SeriesAssignment
from gezeiten.domain.series.gaps import Gap

STAY = MissionStay("m", "A", is_logger=True, point="p", arrived_ms=0, first_ms=1, channels=("co2",))
HOLE = Gap(100, 200, 10)
"""From the first reading that is missing to the one that ends it."""


@pytest.mark.parametrize(
    ("start", "end", "wanted"),
    [
        (100, 200, True),
        (110, 190, True),  # but for a reading at either end
        (120, 200, False),
        (100, 180, False),
        (0, 10**6, True),
        (
            200,
            10**6,
            False,
        ),  # an old logger that goes on under its own name once a new one is there
        (0, 100, False),
    ],
)
def test_a_hole_is_a_gap_unless_its_readings_were_lent(start: int, end: int, wanted: bool) -> None:
    assignment = SeriesAssignment("p", "co2", "A", Deployment(STAY, "p", 0, 10**9), start, end)
    assert is_covered_by(HOLE, assignment) is wanted


def test_one_reading_that_is_missing_where_a_logger_took_over_stays_a_gap() -> None:
    assignment = SeriesAssignment("p", "co2", "A", Deployment(STAY, "p", 0, 10**9), 110, 10**6)
    assert not is_covered_by(Gap(100, 110, 10), assignment)
