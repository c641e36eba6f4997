"""Excursions found anew for what changed are those that are found from nothing."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from gezeiten.desk.field.gap_filling import fill_by_line, undo
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.record.excursion_book import excursions, faulty_excursions, refresh_stale
from gezeiten.desk.record.statements.clocks import by_amount, mission_clocks, save_clock_correction
from gezeiten.desk.record.statements.limits import set_limit
from gezeiten.desk.sites.places import points
from gezeiten.domain.limits.excursions import find_excursions
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.limits.windows import WeeklyWindow
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from tests.conftest import ANCHOR_MS
from tests.examples import examples
from tests.small_blocks import KEY, MINUTE, PLAN, Kept, kept_in

RULES = (
    LimitRule(KEY, "above", 4.0),
    LimitRule(KEY, "below", -4.0, delay_s=120, hysteresis=6.0),
    LimitRule(KEY, "above", 6.0, delay_s=1_800, counting="accumulated", daily=True),
    LimitRule(KEY, "below", -6.0, delay_s=3_600, counting="accumulated", level="warning"),
    LimitRule(KEY, "absent", 0.0, delay_s=30),
)
RANGES = st.tuples(st.integers(0, 1_400), st.integers(1, 250), st.integers(1, 2))


@settings(max_examples=examples(5, 40))
@given(st.lists(RANGES, min_size=2, max_size=6), st.sampled_from(RULES), st.booleans())
@example([(300, 104, 2), (35, 225, 2)], RULES[2], False)  # the last hold reaches over midnight
def test_after_any_intakes_they_are_those_found_from_nothing(
    ranges: list[tuple[int, int, int]], rule: LimitRule, fills: bool
) -> None:
    plan = replace(PLAN, limits=(rule,))
    with tempfile.TemporaryDirectory() as folder, kept_in(Path(folder), plan) as kept:
        for first, many, number in ranges:
            kept.take(first, first + many, number)
            refresh_stale(kept.desk)
            assert faulty_excursions(kept.desk) == []
        if fills:
            _fill_and_undo(kept)


def _fill_and_undo(kept: Kept) -> None:
    short = [gap for gap in gaps(kept.desk) if gap.gap.length_ms < 20 * MINUTE]
    for booked in short[:1]:
        try:
            fill_by_line(kept.desk, booked)
        except Exception:  # noqa: BLE001 - no line fits here, which is said elsewhere
            return
        assert faulty_excursions(kept.desk) == []
        [done] = [gap for gap in gaps(kept.desk) if gap.steps]
        undo(kept.desk, done)
        assert faulty_excursions(kept.desk) == []


MANY = st.tuples(st.integers(0, 2_300), st.integers(1, 250), st.integers(1, 4), st.booleans())


@settings(max_examples=examples(5, 40))
@given(
    st.lists(MANY, min_size=3, max_size=8),
    st.sampled_from(RULES),
    st.sampled_from([0, 3_600]),
    st.integers(0, 6),
)
@example([(1_990, 30, 1, False), (0, 10, 2, False)], RULES[0], 0, 6)  # it goes on past the next
@example([(990, 30, 1, False), (0, 10, 1, True)], RULES[0], 3_600, 0)  # or past another logger's
def test_where_missions_begin_they_are_those_found_from_nothing(
    ranges: list[tuple[int, int, int, bool]], rule: LimitRule, mean_s: int, limited_at: int
) -> None:
    """Missions of two loggers at one point, in whatever order they come, before and after a limit
    is set: what is looked at is only what each changes."""
    by_hand = LimitRule(KEY, "above", 0.3 if mean_s else 5.0, delay_s=60, mean_s=mean_s)
    plan = replace(PLAN, limits=(rule,))
    with tempfile.TemporaryDirectory() as folder, kept_in(Path(folder), plan) as kept:
        kept.take(0, 20, 1)
        for i, (first, many, number, is_other) in enumerate(ranges):
            (kept.take_of_another if is_other else kept.take)(first, first + many, number)
            if i == limited_at:
                since = ANCHOR_MS + 2_500 * MINUTE
                set_limit(kept.desk, kept.point, KEY, by_hand, since, None, "frost test")
            refresh_stale(kept.desk)
            assert faulty_excursions(kept.desk) == []


def test_a_mission_that_begins_has_only_what_it_changes_read(tmp_path: Path) -> None:
    plan = replace(PLAN, limits=RULES[:4])
    with kept_in(tmp_path, plan) as kept:
        for number in range(1, 9):
            kept.take(0, 636, number)  # the last one is inside all limits
        refresh_stale(kept.desk)
        kept.desk.chunks.clear()
        kept.take(0, 12, 9)
        refresh_stale(kept.desk)
        assert 0 < len(kept.desk.chunks) <= 4  # of 81
        assert faulty_excursions(kept.desk) == []


@settings(max_examples=examples(4, 30))
@given(st.lists(RANGES, min_size=3, max_size=6), st.sampled_from([600, 3_600, 36_000]))
def test_limits_of_means_are_found_anew_as_from_nothing(
    ranges: list[tuple[int, int, int]], mean_s: int
) -> None:
    rule = LimitRule(KEY, "above", 0.3, delay_s=60, mean_s=mean_s)
    with tempfile.TemporaryDirectory() as folder, kept_in(Path(folder)) as kept:
        for i, (first, many, number) in enumerate(ranges):
            kept.take(first, first + many, number)
            if not i:
                set_limit(kept.desk, kept.point, KEY, rule, ANCHOR_MS, None, "frost test")
            refresh_stale(kept.desk)
            assert faulty_excursions(kept.desk) == []


@pytest.mark.parametrize("rule", [*RULES[:4], LimitRule(KEY, "above", 9.9)])
def test_from_nothing_they_are_those_of_the_record_read_whole(
    tmp_path: Path, rule: LimitRule
) -> None:
    with kept_in(tmp_path, replace(PLAN, limits=(rule,))) as kept:
        kept.take(0, 900)
        kept.take(930, 1_400)
        refresh_stale(kept.desk)
        whole = find_excursions(kept.whole(), rule, "Europe/Berlin", alarmed_only=True)
        found = sorted(excursions(kept.desk), key=lambda one: one.start_ms)
        told = [(one.start_ms, one.end_ms, one.alarm_ms, one.extreme, one.dose) for one in found]
        assert told == [
            (
                excursion.start_ms,
                excursion.end_ms,
                excursion.alarm_ms,
                excursion.extreme,
                excursion.dose,
            )
            for excursion in whole
        ]
        assert told


@pytest.mark.parametrize("shift_ms", [0, -3_600_000, 90_123])
def test_few_blocks_are_read_for_few_readings_that_come_late(tmp_path: Path, shift_ms: int) -> None:
    """Also where the logger's clock was put right."""
    plan = replace(PLAN, limits=RULES[:2])
    with kept_in(tmp_path, plan) as kept:
        kept.take(0, 1_000)
        kept.take(1_012, 2_000)
        if shift_ms:
            _shift(kept, shift_ms)
        refresh_stale(kept.desk)
        before = {excursion.start_ms for excursion in excursions(kept.desk)}
        kept.desk.chunks.clear()
        kept.take(1_000, 1_012)
        refresh_stale(kept.desk)
        assert 0 < len(kept.desk.chunks) <= 4  # of 32 blocks
        after = {excursion.start_ms for excursion in excursions(kept.desk)}
        late = ANCHOR_MS + 2_000 * MINUTE + 1_000 * MINUTE + shift_ms
        assert after > before
        assert all(late - 20 * MINUTE <= at < late + 30 * MINUTE for at in after ^ before)
        assert faulty_excursions(kept.desk) == []


@settings(max_examples=examples(4, 30))
@given(st.lists(RANGES, min_size=2, max_size=5), st.sampled_from(RULES), st.integers(-90, 90))
def test_with_a_clock_put_right_they_are_those_found_from_nothing(
    ranges: list[tuple[int, int, int]], rule: LimitRule, minutes: int
) -> None:
    """Where a shift has two missions overlap the later one stands."""
    plan = replace(PLAN, limits=(rule,))
    with tempfile.TemporaryDirectory() as folder, kept_in(Path(folder), plan) as kept:
        kept.take(0, 1_990, 1)
        kept.take(40, 90, 2)
        _shift(kept, minutes * MINUTE + 17)
        for first, many, number in ranges:
            kept.take(first, first + many, number)
            refresh_stale(kept.desk)
            assert faulty_excursions(kept.desk) == []


def _shift(kept: Kept, shift_ms: int) -> None:
    """Put the clock of the first mission right."""
    point = next(one for one in points(kept.desk) if one.id == kept.point)
    clock = mission_clocks(kept.desk, point, KEY)[0]
    save_clock_correction(
        kept.desk,
        clock,
        by_amount(clock, shift_ms),
        "shifted",
        ClockUncertainty(1000),
        "wrong zone",
    )
    refresh_stale(kept.desk)


def test_where_another_limit_is_in_force_all_of_its_stretch_is_looked_at(tmp_path: Path) -> None:
    with kept_in(tmp_path) as kept:
        kept.take(0, 300)
        refresh_stale(kept.desk)
        assert excursions(kept.desk) == []
        kept.take(300, 310)  # changed nowhere else
        rule = LimitRule(KEY, "above", 9.0, window=WeeklyWindow((0, 1, 2, 3, 4, 5, 6)))
        set_limit(kept.desk, kept.point, KEY, rule, ANCHOR_MS, None, "frost test")
        assert (
            min(excursion.start_ms for excursion in excursions(kept.desk))
            < ANCHOR_MS + 2_100 * MINUTE
        )
        assert faulty_excursions(kept.desk) == []
