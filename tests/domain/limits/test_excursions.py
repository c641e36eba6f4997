"""Excursions against hand-worked cases and against a slow, literal reading of the definition."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gezeiten.domain.limits.excursions import Excursion, find_excursions
from gezeiten.domain.limits.limits import LimitRule, limit_rule
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import from_ms, to_ms
from tests.conftest import series_of

MIN = 60_000
BERLIN = ZoneInfo("Europe/Berlin")


def rule(delay_min: float = 0, counting: str = "consecutive", **more: object) -> LimitRule:
    given_: dict[str, object] = {"side": "above", "value": 7.0, **more}
    return LimitRule(
        "t",
        given_["side"],
        given_["value"],
        round(delay_min * 60),
        counting,  # type: ignore[arg-type]
        bool(given_.get("daily", False)),
    )


def minutes(excursions: list[Excursion]) -> list[tuple[float, float, float | None]]:
    return [
        (e.start_ms / MIN, e.end_ms / MIN, None if e.alarm_ms is None else e.alarm_ms / MIN)
        for e in excursions
    ]


# -- hand-worked ---------------------------------------------------------------------------------
def test_a_run_ends_when_the_hold_of_its_last_reading_ends() -> None:
    series = series_of([0, 10, 20, 30], [5, 8, 9, 5])
    assert minutes(find_excursions(series, rule())) == [(10, 30, 10)]


def test_a_reading_equal_to_the_limit_is_inside() -> None:
    assert find_excursions(series_of([0, 10], [7.0, 7.0]), rule()) == []


def test_below_is_the_mirror_of_above() -> None:
    series = series_of([0, 10, 20], [5, 0.5, 5])
    [found] = find_excursions(series, rule(side="below", value=1.0))
    assert (found.start_ms, found.extreme) == (10 * MIN, 0.5)


def test_the_alarm_lies_between_two_readings() -> None:
    series = series_of([0, 10, 20, 30], [8, 8, 8, 5])
    assert minutes(find_excursions(series, rule(delay_min=25))) == [(0, 30, 25)]


def test_reaching_the_delay_exactly_alarms() -> None:
    series = series_of([0, 10, 20], [8, 8, 5])
    assert minutes(find_excursions(series, rule(delay_min=20))) == [(0, 20, 20)]
    assert minutes(find_excursions(series, rule(delay_min=20.1))) == [(0, 20, None)]


def test_a_gap_ends_a_run_and_the_count() -> None:
    series = series_of([0, 10, 60, 70], [8, 8, 8, 8])
    excursions = find_excursions(series, rule(delay_min=30))
    # the reading before the gap is held for 15 minutes; the last one for one interval
    assert minutes(excursions) == [(0, 25, None), (60, 80, None)]


def test_consecutive_counting_starts_anew_with_every_run() -> None:
    series = series_of([0, 10, 20, 30, 40, 50], [8, 8, 5, 8, 8, 5])
    assert [e.alarm_ms for e in find_excursions(series, rule(delay_min=30))] == [None, None]


def test_accumulated_counting_adds_the_runs() -> None:
    series = series_of([0, 10, 20, 30, 40, 50], [8, 8, 5, 8, 8, 5])
    excursions = find_excursions(series, rule(delay_min=30, counting="accumulated"))
    assert minutes(excursions) == [(0, 20, None), (30, 50, 40)]


def test_runs_after_the_sum_was_reached_alarm_at_once() -> None:
    series = series_of([0, 10, 20, 30, 40, 50], [8, 8, 5, 8, 5, 8])
    excursions = find_excursions(series, rule(delay_min=15, counting="accumulated"))
    assert [e.alarm_ms for e in excursions] == [15 * MIN, 30 * MIN, 50 * MIN]


def test_the_last_reading_of_a_record_is_held_for_one_interval() -> None:
    assert minutes(find_excursions(series_of([0, 10], [5, 8]), rule())) == [(10, 20, 10)]


def test_estimated_readings_alone_are_no_excursion() -> None:
    series = series_of([0, 10, 20, 30], [5, 8, 8, 5], estimated=(1, 2))
    assert find_excursions(series, rule()) == []


def test_estimated_readings_are_shown_but_do_not_count_towards_the_delay() -> None:
    series = series_of([0, 10, 20, 30, 40], [8, 8, 8, 8, 5], estimated=(1, 2))
    [found] = find_excursions(series, rule(delay_min=20))
    assert (found.measured, found.estimated) == (2, 2)
    # measured holds: 0-10 and 30-40, so the twentieth measured minute ends at 40
    assert found.alarm_ms == 40 * MIN
    [never] = find_excursions(series, rule(delay_min=21))
    assert never.alarm_ms is None


def test_dose_is_the_distance_beyond_the_limit_over_held_time() -> None:
    series = series_of([0, 30, 60, 90], [9, 13, 8, 5], interval_min=30)
    [found] = find_excursions(series, rule())
    # (2 + 6 + 1) degrees for half an hour each
    assert found.dose == pytest.approx(4.5)
    assert (found.extreme, found.extreme_ms) == (13, 30 * MIN)


def test_a_jump_from_above_to_below_is_two_runs_of_two_rules() -> None:
    series = series_of([0, 10, 20, 30], [8, 8, 0, 0])
    [above] = find_excursions(series, rule())
    [below] = find_excursions(series, rule(side="below", value=1.0))
    assert above.end_ms == below.start_ms == 20 * MIN


def test_nan_never_reaches_a_rule_as_outside() -> None:
    outside = rule().outside(np.array([np.nan, 8.0]))
    assert outside.tolist() == [False, True]


def daily_series(start: datetime, values: list[float]) -> Series:
    begin = to_ms(start) / MIN
    return series_of([begin + 60 * i for i in range(len(values))], values, interval_min=60)


def test_daily_accumulation_starts_anew_at_local_midnight_inside_a_run() -> None:
    # 22:00 to 04:00 in Berlin (UTC+1): two hours before midnight, four after
    series = daily_series(datetime(2026, 11, 19, 21, tzinfo=UTC), [8] * 6 + [5])
    [found] = find_excursions(series, rule(180, "accumulated", daily=True), "Europe/Berlin")
    assert found.alarm_ms is not None
    assert from_ms(found.alarm_ms, "Europe/Berlin").isoformat() == "2026-11-20T03:00:00+01:00"


def test_daily_accumulation_splits_a_hold_at_midnight() -> None:
    # readings at half past: the one at 23:30 counts 30 minutes in each day
    series = daily_series(datetime(2026, 11, 19, 21, 30, tzinfo=UTC), [8, 8, 5])
    start = series.times_utc_ms[0]
    [found] = find_excursions(series, rule(90, "accumulated", daily=True), "Europe/Berlin")
    assert found.alarm_ms == start + 90 * MIN
    [late] = find_excursions(series, rule(91, "accumulated", daily=True), "Europe/Berlin")
    assert late.alarm_ms is None


def test_daily_accumulation_over_the_25_hour_day() -> None:
    # midnight to midnight on 25 October 2026 is 25 hours in Berlin: 24 h 30 min fit in one day
    series = daily_series(datetime(2026, 10, 24, 22, tzinfo=UTC), [8] * 25 + [5])
    [found] = find_excursions(series, rule(24.5 * 60, "accumulated", daily=True), "Europe/Berlin")
    assert found.alarm_ms == series.times_utc_ms[0] + round(24.5 * 60) * MIN


# -- the definition, read literally --------------------------------------------------------------
def by_day(start_ms: int, end_ms: int) -> list[tuple[date, int, int]]:
    """A stretch cut at the midnights of Berlin."""
    parts = []
    while start_ms < end_ms:
        day = from_ms(start_ms, "Europe/Berlin").date()
        following = day + timedelta(days=1)
        midnight = datetime(following.year, following.month, following.day, tzinfo=BERLIN)
        cut = min(round(midnight.timestamp() * 1000), end_ms)
        parts.append((day, start_ms, cut))
        start_ms = cut
    return parts


def literal_runs(series: Series, r: LimitRule, holds: list[int]) -> list[list[int]]:
    """The readings of each run: a machine that is inside or outside."""
    runs: list[list[int]] = []
    for i, at in enumerate(series.times_utc_ms.tolist()):
        beyond = (series.values[i] - r.value) * (1 if r.side == "above" else -1)
        goes_on = bool(runs) and runs[-1][-1] == i - 1
        goes_on &= at == series.times_utc_ms[i - 1] + holds[i - 1]
        if goes_on and beyond > min(-r.hysteresis, 0):
            runs[-1].append(i)
        elif beyond > 0:
            runs.append([i])
    return runs


def literal_excursions(series: Series, r: LimitRule) -> list[Excursion]:
    """Run by run, hold by hold, with a counter for each counting period."""
    times = series.times_utc_ms.tolist()
    every = series.interval_ms.tolist()
    pairs = zip(pairwise(times), every, strict=False)
    holds = [*(min(b - a, step * 3 // 2) for (a, b), step in pairs), every[-1]]
    spent: dict[object, int] = defaultdict(int)
    found = []
    for number, run in enumerate(literal_runs(series, r, holds)):
        alarm, dose, counts, peak = None, 0.0, 0, run[0]
        for i in run:
            beyond = (series.values[i] - r.value) * (1 if r.side == "above" else -1)
            dose += max(beyond, 0.0) * holds[i] / 3_600_000
            if beyond > (series.values[peak] - r.value) * (1 if r.side == "above" else -1):
                peak = i
            if series.estimated[i] or beyond <= 0:
                continue
            counts += 1
            for day, start, end in by_day(times[i], times[i] + holds[i]):
                period = number if r.counting == "consecutive" else day if r.daily else "mission"
                left = max(r.delay_s * 1000 - spent[period], 0)
                if alarm is None and left <= end - start:
                    alarm = start + left
                spent[period] += end - start
        if counts:
            gauged = int(np.count_nonzero(~series.estimated[run]))
            found.append(
                Excursion(
                    r,
                    times[run[0]],
                    times[run[-1]] + holds[run[-1]],
                    alarm,
                    float(series.values[peak]),
                    times[peak],
                    dose,
                    gauged,
                    len(run) - gauged,
                )
            )
    return found


LOCAL_STARTS = [datetime(2026, *at, tzinfo=BERLIN) for at in ((11, 19, 21, 40), (10, 24, 22, 0))]


@settings(max_examples=200, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.sampled_from([1, 1, 1, 1.5, 1.6, 4.5]),
            st.sampled_from([5.0, 6.5, 7.0, 8.0, 9.5]),
            st.sampled_from([False, False, True]),
        ),
        min_size=1,
        max_size=40,
    ),
    st.sampled_from(
        [
            (0, 0),
            (0.5, 0),
            (1, 0),
            (1.25, 0),
            (2, 0),
            (4.5, 0),
            (9, 0),
            (0, 90),
            (0, 700),
            (0, 1430),
        ]
    ),
    st.sampled_from(["consecutive", "accumulated", "daily"]),
    st.sampled_from(["above", "below"]),
    st.sampled_from([0.0, 1.0]),
    st.sampled_from([10, 240, 2000]),
    st.sampled_from(LOCAL_STARTS),
    st.lists(st.sampled_from([1, 1, 2]), min_size=40, max_size=40),
)
def test_every_figure_of_a_run_is_what_the_definition_says(
    steps: list[tuple[float, float, bool]],
    delay: tuple[float, int],
    counting: str,
    side: str,
    band: float,
    every_min: int,
    start: datetime,
    slower: list[int],
) -> None:
    at = start.timestamp() / 60 + np.cumsum([0, *(step * every_min for step, _, _ in steps[1:])])
    series = series_of(
        at.tolist(),
        [v for _, v, _ in steps],
        every_min,
        tuple(i for i, s in enumerate(steps) if s[2]),
    )
    way = "consecutive" if counting == "consecutive" else "accumulated"
    every = np.array(slower[: len(steps)], np.int64) * every_min * MIN
    series = replace(series, interval_ms=every)
    delay_min = delay[0] * every_min + delay[1]
    r = replace(rule(delay_min, way, side=side, daily=counting == "daily"), hysteresis=band)
    excursions = find_excursions(series, r, "Europe/Berlin")
    wanted = literal_excursions(series, r)
    assert [replace(e, dose=0.0) for e in excursions] == [replace(e, dose=0.0) for e in wanted]
    assert [e.dose for e in excursions] == pytest.approx([e.dose for e in wanted])
    alarmed = find_excursions(series, r, "Europe/Berlin", alarmed_only=True)
    assert alarmed == [e for e in excursions if e.alarm_ms is not None]


@given(st.sampled_from(["above", "below"]), st.floats(-50, 50), st.integers(0, 10**6))
def test_rules_read_back(side: str, value: float, delay_s: int) -> None:
    made = LimitRule("t", side, value, delay_s, "accumulated", True, "warning")  # type: ignore[arg-type]
    assert limit_rule(made.as_dict()) == made


@pytest.mark.parametrize("change", [{"side": "left"}, {"counting": "never"}, {"level": "red"}])
def test_unknown_words_in_a_rule_are_refused(change: dict[str, str]) -> None:
    with pytest.raises(ValueError, match=f"^{next(iter(change))}: "):
        limit_rule({**rule().as_dict(), **change})


def test_the_first_instant_of_all_is_an_instant_like_others() -> None:
    series = series_of([0, 10], [8, 5])
    for r in (rule(), rule(0, "accumulated"), rule(0, "accumulated", daily=True)):
        [found] = find_excursions(series, r)
        assert found.alarm_ms == 0
        assert find_excursions(series, r, alarmed_only=True) == [found]


def test_daily_accumulation_adds_the_runs_of_one_day() -> None:
    series = series_of([0, 10, 20, 30, 40, 50], [8, 8, 5, 8, 8, 5])
    excursions = find_excursions(series, rule(30, "accumulated", daily=True))
    assert minutes(excursions) == [(0, 20, None), (30, 50, 40)]


def test_daily_accumulation_counts_neither_estimates_nor_the_band() -> None:
    series = series_of([0, 60, 120, 180], [8, 8, 8, 5], 60, estimated=(1,))
    [found] = find_excursions(series, rule(120, "accumulated", daily=True))
    assert found.alarm_ms == 180 * MIN  # measured: the first hour and the third
    banded = replace(rule(120, "accumulated", daily=True), hysteresis=1.0)
    [found] = find_excursions(series_of([0, 60, 120, 180], [8, 6.5, 8, 5], 60), banded)
    assert found.alarm_ms == 180 * MIN  # outside itself: the first hour and the third
