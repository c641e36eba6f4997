"""Many gaps in one act: listed before it is done, all or nothing, undone in one."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from gezeiten.desk.field.gap_filling import fill_by_line
from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.desk.field.several_gaps import GapRule, do_all, gaps_of_same_action, listed, undo_all
from gezeiten.desk.record.views.records import record
from gezeiten.domain.series.timeline import HOUR_MS
from gezeiten.errors import InputError
from tests.small_blocks import KEY, Kept, kept_in


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Kept]:
    """Every eleventh reading has no value; three hours are missing at one place."""
    with kept_in(tmp_path) as made:
        made.take(0, 200)
        made.take(380, 600)
        yield made


def open_gaps(kept: Kept) -> list[BookedGap]:
    """Three gaps of a reading, and the long one."""
    found = [gap for gap in gaps(kept.desk) if gap.state == "open"]
    short = [one for one in found if one.gap.missing == 1]
    return [*short[4:7], *[one for one in found if one.gap.missing > 100]]


def bits(kept: Kept) -> tuple[bytes, bytes]:
    series = record(kept.desk, kept.point, KEY)
    return series.times_utc_ms.tobytes(), series.values.tobytes()


def test_short_gaps_are_filled_in_one_act_and_undone_in_one(kept: Kept) -> None:
    desk, before, heard = kept.desk, bits(kept), []
    found = listed(desk, GapRule("line", 2 * HOUR_MS), open_gaps(kept), heard.append)
    assert heard == found
    told = [(one.booked.gap.missing, one.refusal, bool(one.errors)) for one in found]
    assert told == [(1, "", True)] * 3 + [(180, "longer than the maximum given", False)]
    assert bits(kept) == before  # nothing was done yet
    assert do_all(desk, found) == 3
    assert record(desk, kept.point, KEY).estimated.sum() == 3
    filled = [gap for gap in gaps(desk) if gap.state == "estimated"]
    assert len(gaps_of_same_action(desk, filled[1])) == 3
    undo_all(desk, gaps_of_same_action(desk, filled[1]))
    assert bits(kept) == before


def test_what_was_done_alone_stands_alone(kept: Kept) -> None:
    desk = kept.desk
    first, *rest = open_gaps(kept)
    fill_by_line(desk, first)
    do_all(desk, listed(desk, GapRule("leave", 9 * HOUR_MS, "pumped"), rest))
    mine = next(gap for gap in gaps(desk) if gap.state == "estimated")
    assert [gap.gap for gap in gaps_of_same_action(desk, mine)] == [first.gap]
    left = [gap for gap in gaps(desk) if gap.state == "left open"]
    assert {one.reason for one in left} == {"pumped"}
    assert len(gaps_of_same_action(desk, left[0])) == 3


def test_all_or_nothing(kept: Kept) -> None:
    """One of them was dealt with by somebody else meanwhile: none is."""
    desk = kept.desk
    found = listed(desk, GapRule("line", 2 * HOUR_MS), open_gaps(kept))
    fill_by_line(desk, found[1].booked)
    between = bits(kept)
    with pytest.raises(InputError, match="meanwhile"):
        do_all(desk, found)
    assert bits(kept) == between
    with pytest.raises(InputError, match="select gaps that can"):
        do_all(desk, [one for one in found if one.refusal])
    with pytest.raises(
        InputError,
        match=r"Give a reason for leaving these gaps open",
    ):
        listed(desk, GapRule("leave", HOUR_MS, " "), open_gaps(kept))


def test_looking_ends_when_it_is_told_to(kept: Kept) -> None:
    rule = GapRule("best", 9 * HOUR_MS)
    assert listed(kept.desk, rule, open_gaps(kept), cancelled=lambda: True) == []


def test_the_best_is_an_estimate_or_the_line_by_what_each_is_worth(kept: Kept) -> None:
    """The values jump from minute to minute: no estimate does better than a line, and it is told
    why nothing can be done about three hours."""
    found = listed(kept.desk, GapRule("best", 9 * HOUR_MS), open_gaps(kept))
    assert [bool(one.refusal) == (one.action is None) for one in found] == [True] * 4
    assert all(one.name for one in found if one.action is not None)


def test_what_is_measured_after_it_was_estimated_stands_and_is_told(tmp_path: Path) -> None:
    """A gap of four readings is filled; two of them come with a later offload, then all."""
    with kept_in(tmp_path) as kept:
        kept.take(0, 206)
        kept.take(210, 600)
        desk = kept.desk
        gap = next(b for b in gaps(desk) if b.gap.missing == 4)
        do_all(desk, listed(desk, GapRule("line", 2 * HOUR_MS), [gap]))
        filled = next(one for one in gaps(desk) if one.state == "estimated")
        assert filled.reason == ""
        kept.take(206, 208)
        [since] = [one for one in gaps(desk) if one.state == "estimated"]
        assert since.reason == "2 of 4 measured since"
        series = record(desk, kept.point, KEY).between(gap.gap.start_ms, gap.gap.end_ms)
        assert series.estimated.tolist() == [False, False, True, True]
        kept.take(208, 210)
        [since] = [one for one in gaps(desk) if one.state == "estimated"]
        assert since.reason == "4 of 4 measured since"
        assert not record(desk, kept.point, KEY).estimated.any()
