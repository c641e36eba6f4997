"""A contact is told when it says something that a board rests on."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gezeiten.domain.facts.contacts import BY_HAND_MS, FOLLOWED_MS, LoggerSighting, is_news

STATE = {
    "state": 2,
    "mission_number": 3,
    "flags": 0,
    "practice": 0,
    "end_reason": 0,
    "self_check": 0,
    "first_due_ms": 5,
    "interval_s": 60,
    "calibration_due_day": 0,
    "battery_permille": 800,
    "readings": 100,
    "first_held": 0,
}
LAST = LoggerSighting(1_000_000, STATE, 200.0)


def seen(after_ms: int = 60_000, off_ms: float = 200.0, **state: int) -> LoggerSighting:
    return LoggerSighting(LAST.at_ms + after_ms, {**STATE, **state}, off_ms)


@pytest.mark.parametrize(
    ("now", "told"),
    [
        (seen(), False),
        (seen(readings=2_000, first_held=900), False),
        (seen(state=4), True),
        (seen(mission_number=4), True),
        (seen(flags=1), True),
        (seen(practice=1), True),
        (seen(end_reason=1), True),
        (seen(self_check=1), True),
        (seen(first_due_ms=6), True),
        (seen(interval_s=30), True),
        (seen(calibration_due_day=9), True),
        (seen(battery_permille=791), False),
        (seen(battery_permille=790), True),
        (seen(battery_permille=810), True),
        (seen(off_ms=1_199.0), False),
        (seen(off_ms=1_200.0), True),
        (seen(off_ms=-800.0), True),
        (seen(BY_HAND_MS - 1), False),
        (seen(BY_HAND_MS), True),
        (seen(-1), True),  # the computer's clock went back
    ],
)
def test_what_is_told(now: LoggerSighting, told: bool) -> None:
    assert is_news(LAST, now, BY_HAND_MS) is told


def test_the_first_contact_and_one_without_a_clock_are_told() -> None:
    assert is_news(None, seen(), FOLLOWED_MS)
    assert is_news(replace(LAST, clock_difference_ms=None), seen(), FOLLOWED_MS)


def test_a_followed_logger_is_told_once_a_day() -> None:
    assert not is_news(LAST, seen(86_399_999), FOLLOWED_MS)
    assert is_news(LAST, seen(86_400_000), FOLLOWED_MS)
