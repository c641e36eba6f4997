"""Instants, local days (23 and 25 hours too) and lengths of time."""

from __future__ import annotations

import time
from datetime import UTC, date, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.domain.series.timeline import (
    HOUR_MS,
    approximate_duration_text,
    duration_text,
    from_ms,
    iso_local,
    iso_utc,
    local_days,
    midnight_ms,
    next_full_hour_ms,
    to_ms,
    utc_offsets_ms,
    whole_duration_text,
)

BERLIN = "Europe/Berlin"


def hours(start: datetime, end: datetime) -> list[float]:
    return [(b - a) / HOUR_MS for _, (a, b) in local_days(to_ms(start), to_ms(end), BERLIN)]


def test_a_day_in_march_has_23_hours() -> None:
    start = datetime(2026, 3, 28, 12, tzinfo=UTC)
    assert hours(start, start + timedelta(days=2)) == [24, 23, 24]


def test_a_day_in_october_has_25_hours() -> None:
    start = datetime(2026, 10, 24, 12, tzinfo=UTC)
    assert hours(start, start + timedelta(days=2)) == [24, 25, 24]


def test_a_day_that_only_ends_where_the_stretch_begins_is_not_touched() -> None:
    begin = midnight_ms(date(2026, 11, 20), BERLIN)
    days = [day for day, _ in local_days(begin, begin + 1, BERLIN)]
    assert days == [date(2026, 11, 20)]


def test_the_hour_that_comes_twice_keeps_two_instants() -> None:
    first = to_ms(datetime(2026, 10, 25, 0, 30, tzinfo=UTC))
    assert iso_local(first, BERLIN) == "2026-10-25T02:30:00+02:00"
    assert iso_local(first + HOUR_MS, BERLIN) == "2026-10-25T02:30:00+01:00"


@given(st.integers(-(10**12), 4 * 10**12))
def test_iso_utc_reads_back_by_the_standard_library(at_ms: int) -> None:
    moment = datetime.fromisoformat(iso_utc(at_ms))
    assert moment.tzinfo is not None
    assert to_ms(moment) == at_ms
    assert to_ms(from_ms(at_ms, BERLIN)) == at_ms


def test_instants_do_not_depend_on_the_computers_zone(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TZ", BERLIN)
    time.tzset()
    try:
        second = to_ms(datetime(2026, 10, 25, 1, 30, tzinfo=UTC))  # 2:30 for the second time
        assert to_ms(from_ms(second, "UTC")) == second
        assert iso_local(second, BERLIN) == "2026-10-25T02:30:00+01:00"
    finally:
        monkeypatch.undo()
        time.tzset()


def test_a_naive_moment_is_refused() -> None:
    with pytest.raises(ValueError, match="time zone"):
        to_ms(datetime(2026, 1, 1))


@pytest.mark.parametrize(
    ("length_ms", "words"),
    [
        (0, "0 s"),
        (499, "0 s"),
        (48_000, "48 s"),
        (-48_000, "−48 s"),
        (59_600, "1 min"),
        (35 * 60_000, "35 min"),
        (3_600_000, "1 h"),
        (4 * 3_600_000 + 5 * 60_000, "4 h 5 min"),
        (11 * 86_400_000 + 5 * 3_600_000 + 30 * 60_000, "11 d 5 h"),
        (2 * 86_400_000 + 59_000, "2 d"),
    ],
)
def test_lengths_are_said_in_their_two_largest_units(length_ms: int, words: str) -> None:
    assert duration_text(length_ms) == words


@pytest.mark.parametrize(
    ("zone", "now", "wanted"),
    [
        ("Europe/Berlin", "2026-11-28T09:20:31", "2026-11-28T10:00:00"),
        ("Europe/Berlin", "2026-11-28T10:00:00", "2026-11-28T11:00:00"),
        ("Asia/Kolkata", "2026-11-28T09:20:31", "2026-11-28T09:30:00"),  # 15:00 there
    ],
)
def test_the_next_full_hour_is_that_of_the_zone(zone: str, now: str, wanted: str) -> None:
    now_ms, wanted_ms = (to_ms(datetime.fromisoformat(t + "+00:00")) for t in (now, wanted))
    assert next_full_hour_ms(now_ms, zone) == wanted_ms


def test_milliseconds_stand_only_where_there_are_any() -> None:
    assert iso_utc(1_795_392_000_000) == "2026-11-23T00:00:00Z"
    assert iso_utc(1_795_392_000_007) == "2026-11-23T00:00:00.007Z"
    assert iso_local(1_795_392_000_000, BERLIN) == "2026-11-23T01:00:00+01:00"
    assert iso_local(1_795_392_000_250, BERLIN) == "2026-11-23T01:00:00.250+01:00"


def test_parts_of_a_millisecond_are_cut_off() -> None:
    assert to_ms(datetime(1970, 1, 1, 0, 0, 1, 1999, tzinfo=UTC)) == 1001
    assert type(to_ms(datetime(1970, 1, 1, tzinfo=UTC))) is int


@pytest.mark.parametrize(
    ("length_ms", "words"),
    [
        (0, "less than 1 h"),
        (HOUR_MS - 1, "less than 1 h"),
        (HOUR_MS, "1 h"),
        (2 * HOUR_MS - 1, "1 h"),
        (-HOUR_MS, "1 h"),
        (48 * HOUR_MS - 1, "47 h"),
        (48 * HOUR_MS, "2 d"),
        (72 * HOUR_MS - 1, "2 d"),
        (50 * 24 * HOUR_MS, "50 d"),
    ],
)
def test_estimated_lengths_are_rounded_down_to_whole_days_or_hours(
    length_ms: int, words: str
) -> None:
    assert approximate_duration_text(length_ms) == words


def test_the_next_full_hour_from_a_broken_second() -> None:
    found = next_full_hour_ms(1_795_392_000_000 + 1_234_567, BERLIN)
    assert (found, type(found)) == (1_795_392_000_000 + HOUR_MS, int)


def test_a_day_of_seconds_is_a_day() -> None:
    assert duration_text(86_400_000) == "1 d"
    assert duration_text(86_399_000) == "23 h 59 min"
    assert duration_text(1_000) == "1 s"
    assert duration_text(86_400_000 + 45 * 60_000) == "1 d 45 min"
    assert duration_text(3_600_000 + 5_000) == "1 h 5 s"
    assert duration_text(86_400_000 + 3_600_000 + 45 * 60_000) == "1 d 1 h"


def test_what_stands_for_evidence_is_given_to_the_second() -> None:
    assert whole_duration_text(86_400_000 + 5 * 3_600_000 + 42 * 60_000) == "1 d 5 h 42 min"
    assert whole_duration_text(51 * 3_600_000 + 18 * 60_000) == "2 d 3 h 18 min"
    assert whole_duration_text(2 * 86_400_000 + 59_000) == "2 d 59 s"
    assert whole_duration_text(-(3 * 86_400_000 + 3_661_000)) == "−3 d 1 h 1 min 1 s"
    assert whole_duration_text(0) == "0 s"


def test_no_instants_no_offsets() -> None:
    assert utc_offsets_ms(np.empty(0, np.int64), BERLIN).tolist() == []


@pytest.mark.parametrize("zone", ["America/New_York", "Africa/Casablanca", "Asia/Tehran", "UTC"])
def test_offsets_of_a_stretch_of_years_minute_by_minute_around_each_change(zone: str) -> None:
    times = np.arange(1_640_000_000, 1_720_000_000, 86_400 * 5 + 1234, dtype=np.int64) * 1000
    wanted = [from_ms(int(t), zone).utcoffset().total_seconds() * 1000 for t in times]  # type: ignore[union-attr]
    assert utc_offsets_ms(times, zone).tolist() == wanted


def test_a_change_of_the_clocks_is_found_wherever_it_lies_in_a_stretch() -> None:
    change = to_ms(datetime(2026, 10, 25, 1, tzinfo=UTC))
    for days_before in range(30):
        times = np.arange(change - days_before * 24 * HOUR_MS, change + 2 * HOUR_MS, HOUR_MS)
        wanted = [2 * HOUR_MS if ms < change else HOUR_MS for ms in times.tolist()]
        assert utc_offsets_ms(times, BERLIN).tolist() == wanted
