"""For which excursion an assessment holds, and when that has become another one."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.domain.limits.assessments import AssessedExcursion, matched
from gezeiten.domain.series.timeline import Span

SEEN = AssessedExcursion(1_000, 11_000, 3_000, 9.5, 6_000, 2.0, 10, 0)


@pytest.mark.parametrize(
    ("found", "assessed", "holds"),
    [
        ([], [], []),
        ([], [(0, 5)], []),
        ([(0, 5)], [], [None]),
        ([(10, 20)], [(10, 20)], [0]),
        ([(10, 20)], [(8, 12)], [0]),  # late readings moved its begin
        ([(10, 20)], [(20, 30)], [None]),  # they only touch
        ([(10, 20)], [(0, 10)], [None]),
        ([(10, 13), (14, 30)], [(10, 30)], [None, 0]),  # one became two: the longer one keeps it
        ([(10, 14), (15, 19)], [(10, 19)], [0, None]),  # alike: the earlier one
        ([(10, 30)], [(10, 13), (14, 30)], [1]),  # two became one
        ([(10, 30)], [(14, 24), (0, 20)], [0]),  # alike: what was said first stands
        ([(0, 4), (10, 14)], [(10, 14), (0, 4)], [1, 0]),
        ([(10, 20)], [(0, 5), (10, 20)], [1]),  # the first lies elsewhere
        ([(10, 20)], [(19, 25)], [0]),  # a millisecond is enough
    ],
)
def test_an_assessment_holds_for_what_it_overlaps_longest(
    found: list[Span], assessed: list[Span], holds: list[int | None]
) -> None:
    assert matched(found, assessed) == holds


@pytest.mark.parametrize(
    ("now", "is_above", "changed"),
    [
        (SEEN, True, False),
        (SEEN, False, False),
        (replace(SEEN, start_ms=0), True, False),  # a tenth longer
        (replace(SEEN, start_ms=-1), True, True),
        (replace(SEEN, end_ms=9_999), True, True),
        (replace(SEEN, end_ms=10_000), True, False),
        (replace(SEEN, start_ms=5_000, end_ms=15_000), True, False),  # moved, as long as it was
        (replace(SEEN, extreme=9.6), True, True),
        (replace(SEEN, extreme=9.4), True, False),
        (replace(SEEN, extreme=9.6), False, False),
        (replace(SEEN, extreme=9.4), False, True),
        (replace(SEEN, dose=7.0, measured=3, estimated=7), True, False),
    ],
)
def test_longer_shorter_or_further_out_is_another_one(
    now: AssessedExcursion, is_above: bool, changed: bool
) -> None:
    assert SEEN.has_changed(now, is_above=is_above) is changed


def test_the_span_of_what_was_seen() -> None:
    assert SEEN.span == (1_000, 11_000)
