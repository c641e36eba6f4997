"""Fills switched off and on: the record is what it was, to the last bit, whenever it stands."""

from __future__ import annotations

import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.estimates import estimates, fill_by_method
from gezeiten.desk.field.gap_filling import fill_by_line, fill_from_logger, undo
from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.record.excursion_book import faulty_excursions
from gezeiten.desk.record.fills import fills_of_series, switch_fill
from gezeiten.desk.record.statements.corrections import chain, effect_of_fill
from gezeiten.desk.record.views.records import record
from gezeiten.domain.actions.gaps import Estimate, GapEstimated
from gezeiten.domain.steps.steps import RecordStep
from gezeiten.errors import InputError
from tests.conftest import Lab

KEY = "co2"


def gap_of(desk: Workspace) -> BookedGap:
    return next(gap for gap in gaps(desk) if gap.point.name == "Paint hall")


@pytest.fixture
def booked(demo_desk: Workspace) -> BookedGap:
    return gap_of(demo_desk)


def bits(desk: Workspace, booked: BookedGap) -> tuple[bytes, bytes]:
    series = record(desk, booked.point.id, KEY)
    return series.values.tobytes(), series.quality.tobytes()


def fill_in(desk: Workspace, booked: BookedGap) -> RecordStep:
    [step] = chain(desk, booked.point, KEY).fills
    return step


def test_off_is_as_before_and_on_is_as_it_was_made(demo_desk: Workspace, booked: BookedGap) -> None:
    open_bits = bits(demo_desk, booked)
    fill_by_line(demo_desk, booked)
    made = fill_in(demo_desk, booked)
    filled_bits = bits(demo_desk, booked)
    assert filled_bits != open_bits
    for _ in range(2):
        switch_fill(demo_desk, booked.point, fill_in(demo_desk, booked))
        assert bits(demo_desk, booked) == open_bits
        assert fill_in(demo_desk, booked).undone_by == "JA"
        switch_fill(demo_desk, booked.point, fill_in(demo_desk, booked), "it was right")
        assert bits(demo_desk, booked) == filled_bits
        assert fill_in(demo_desk, booked) == made  # by whom and when it was made
    said = [logbook_entry.sentence for logbook_entry in logbook_entries(demo_desk)]
    assert any("Gap filled again as it was before (4 readings" in one for one in said)
    assert verify(demo_desk).faults == []
    assert faulty_excursions(demo_desk) == []
    rebuild(demo_desk)
    assert bits(demo_desk, booked) == filled_bits


def test_one_of_a_gap_of_several_series_is_switched_alone(
    demo_desk: Workspace, booked: BookedGap
) -> None:
    before = {key: record(demo_desk, booked.point.id, key) for key in booked.channels}
    fill_by_line(demo_desk, booked)
    switch_fill(demo_desk, booked.point, fill_in(demo_desk, booked))
    for key in booked.channels:
        more = len(record(demo_desk, booked.point.id, key)) - len(before[key])
        assert more == (0 if key == KEY else 4)


def test_its_effect_is_known_before(demo_desk: Workspace, booked: BookedGap) -> None:
    span = (booked.gap.start_ms - 3_600_000, booked.gap.end_ms + 3_600_000)
    fill_by_line(demo_desk, booked)
    for gone, back in ((4, 0), (0, 4)):
        step = fill_in(demo_desk, booked)
        effect = effect_of_fill(demo_desk, booked.point, step, span)
        assert (effect.removed, effect.restored, effect.changed) == (gone, back, 0)
        switch_fill(demo_desk, booked.point, step)
        series = record(demo_desk, booked.point.id, KEY).between(
            int(effect.after.times_utc_ms[0]), int(effect.after.times_utc_ms[-1]) + 1
        )
        assert series.values.tobytes() == effect.after.values.tobytes()


def test_what_was_filled_by_something_else_meanwhile_is_not_filled_twice(
    demo_desk: Workspace, booked: BookedGap
) -> None:
    fill_by_line(demo_desk, booked)
    by_line = fill_in(demo_desk, booked)
    with pytest.raises(InputError, match="filled this gap meanwhile"):
        switch_fill(demo_desk, booked.point, by_line_off(by_line))  # it stands
    undo(demo_desk, gap_of(demo_desk))
    off = fill_in(demo_desk, booked)
    fill_by_method(demo_desk, gap_of(demo_desk), estimates(demo_desk, gap_of(demo_desk))[0])
    assert fill_in(demo_desk, booked).kind != by_line.kind  # the one that stands, alone
    with pytest.raises(InputError, match="filled this gap meanwhile"):
        switch_fill(demo_desk, booked.point, off)
    undo(demo_desk, gap_of(demo_desk))
    assert fill_in(demo_desk, booked).kind != by_line.kind  # the last one is offered again


def by_line_off(step: RecordStep) -> RecordStep:
    """A step as somebody saw it who does not know that it stands again."""
    return RecordStep(
        **{name: getattr(step, name) for name in RecordStep.__slots__}
        | {"undone_ms": 1, "undone_by": "MK"}
    )


def test_what_was_measured_meanwhile_is_not_filled_again(holed: Lab) -> None:
    """The second day is there after all: its estimates have nothing to stand for."""
    desk = holed.desk
    [booked] = gaps(desk)
    key = booked.channels[0]
    facts = {"way": "own", "rmse": 1.0, "low": -2.0, "high": 2.0}
    values = (20.0,) * booked.gap.missing
    estimate = Estimate("made", key, values, facts)
    desk.do(GapEstimated(booked.point.uid, booked.gap, (estimate,)))
    undo(desk, next(gap for gap in gaps(desk) if gap.state == "estimated"))
    [off] = chain(desk, booked.point, key).fills
    fill_from_logger(desk, gaps(desk)[0])
    before = record(desk, booked.point.id, key).values.tobytes()
    with pytest.raises(
        InputError,
        match=r"Readings of this gap have arrived meanwhile",
    ):
        switch_fill(desk, booked.point, off)
    assert record(desk, booked.point.id, key).values.tobytes() == before


def test_of_those_taken_back_the_last_of_each_stretch_is_offered() -> None:
    def step(name: str, start_ms: int, undone_ms: int | None, kind: str = "line") -> RecordStep:
        return RecordStep(
            name, 1, KEY, kind, start_ms, start_ms + 10, 1, {}, 0, "JA", undone_ms, ""
        )

    steps = [
        step("a", 0, 5),
        step("b", 0, 9),
        step("c", 0, 7),
        step("d", 20, None),
        step("e", 25, 8),
        step("f", 40, 3),
        step("g", 60, None, "refetch"),
    ]
    assert [fill.id for fill in fills_of_series(steps, KEY)] == ["b", "d", "f"]
    assert fills_of_series(steps, "air_temperature") == []
