"""Mending: gaps found, filled, left open, undone without a trace in the values."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import select

from gezeiten.archive.local_cache.layout import layout
from gezeiten.archive.local_cache.readings import load_recorded
from gezeiten.archive.store.tables import Mission
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gap_filling import (
    fill_by_line,
    fill_from_logger,
    leave_open,
    line_offer,
    logger_offer,
    steps_of,
    undo,
)
from gezeiten.desk.field.gaps import BookedGap, gaps, open_gaps
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import verify
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.views.records import record
from gezeiten.domain.actions.gaps import GapLeftOpen
from gezeiten.domain.series.series import Series
from gezeiten.errors import InputError, LoggerAwayError
from tests.conftest import STORE_PLAN, Lab

CHANNELS = ("air_temperature", "relative_humidity")


@pytest.fixture
def relaunched(lab: Lab) -> Lab:
    """Two missions forty minutes apart: a short gap between them."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(3 * 24 * 60)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    from gezeiten.desk.logger.launch.launching import stop

    stop(lab.desk, lab.standin.address, lab.serial)
    lab.later(45)
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(2 * 24 * 60)
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    return lab


def only_gap(desk: Workspace) -> BookedGap:
    [booked] = gaps(desk)
    return booked


def both(desk: Workspace, point_id: int) -> list[Series]:
    return [record(desk, point_id, channel) for channel in CHANNELS]


def fingerprint(desk: Workspace, point_id: int) -> list[bytes]:
    return [
        part.tobytes()
        for series in both(desk, point_id)
        for part in (series.times_utc_ms, series.values, series.quality)
    ]


def test_the_gap_of_a_relaunch_is_one_for_both_channels(relaunched: Lab) -> None:
    booked = only_gap(relaunched.desk)
    assert booked.channels == CHANNELS
    assert booked.state == "open"
    assert booked.gap.missing in (4, 5)
    assert open_gaps(relaunched.desk) == 1


def test_a_line_fills_it_coded_estimate_with_its_error_kept(relaunched: Lab) -> None:
    booked = only_gap(relaunched.desk)
    offer = line_offer(relaunched.desk, booked)
    assert offer.refusal == ""
    assert set(offer.errors) == set(CHANNELS)
    fill_by_line(relaunched.desk, booked)
    filled = only_gap(relaunched.desk)
    assert filled.state == "estimated"
    assert open_gaps(relaunched.desk) == 0
    for series in both(relaunched.desk, booked.point.id):
        assert series.estimated.sum() == offer.readings
    step = steps_of(relaunched.desk, booked.point.id)[0]
    assert step.facts["rmse"] == offer.errors["air_temperature"].rmse
    assert verify(relaunched.desk).is_intact


def test_undoing_leaves_no_trace_in_the_values(relaunched: Lab) -> None:
    booked = only_gap(relaunched.desk)
    before = fingerprint(relaunched.desk, booked.point.id)
    fill_by_line(relaunched.desk, booked)
    assert fingerprint(relaunched.desk, booked.point.id) != before
    undo(relaunched.desk, only_gap(relaunched.desk))
    assert fingerprint(relaunched.desk, booked.point.id) == before
    assert only_gap(relaunched.desk).state == "open"
    assert [e.act for e in logbook_entries(relaunched.desk)[:2]] == ["undo", "fill"]


def test_leaving_open_needs_a_reason_and_can_be_undone(relaunched: Lab) -> None:
    booked = only_gap(relaunched.desk)
    with pytest.raises(InputError, match="Enter a reason"):
        leave_open(relaunched.desk, booked, "  ")
    before = fingerprint(relaunched.desk, booked.point.id)
    leave_open(relaunched.desk, booked, "Case was moved")
    left = only_gap(relaunched.desk)
    assert (left.state, left.reason) == ("left open", "Case was moved")
    assert fingerprint(relaunched.desk, booked.point.id) == before
    undo(relaunched.desk, left)
    assert only_gap(relaunched.desk).state == "open"
    with pytest.raises(InputError, match="nothing to undo"):
        undo(relaunched.desk, only_gap(relaunched.desk))


def test_what_is_decided_about_one_series_hides_no_gap_of_another(relaunched: Lab) -> None:
    booked = only_gap(relaunched.desk)
    assert booked.channels == CHANNELS
    leave_open(relaunched.desk, replace(booked, channels=CHANNELS[:1]), "Probe was out")
    seen = {gap.channels: gap.state for gap in gaps(relaunched.desk)}
    assert seen == {CHANNELS[:1]: "left open", CHANNELS[1:]: "open"}
    assert open_gaps(relaunched.desk) == 1
    [rest] = [gap for gap in gaps(relaunched.desk) if gap.state == "open"]
    fill_by_line(relaunched.desk, rest)
    seen = {gap.channels: gap.state for gap in gaps(relaunched.desk)}
    assert seen == {CHANNELS[:1]: "left open", CHANNELS[1:]: "estimated"}
    assert verify(relaunched.desk).is_intact


def test_a_decision_of_before_there_were_series_is_about_all_of_them() -> None:
    content = {"point": "p", "step": "s", "gap": {}, "reason": "no boat"}
    assert GapLeftOpen.upgrade(content, 1) == {**content, "series": []}


def test_a_gap_over_the_points_limit_gets_no_line(holed: Lab) -> None:
    booked = only_gap(holed.desk)
    assert booked.gap.missing == 240
    assert line_offer(holed.desk, booked).refusal == "too long: the rule here allows 2 h"
    with pytest.raises(InputError, match="A straight line cannot fill this gap"):
        fill_by_line(holed.desk, booked)


def test_the_logger_still_holds_what_arrived_damaged(holed: Lab) -> None:
    booked = only_gap(holed.desk)
    offer = logger_offer(holed.desk, booked)
    assert (offer.serial, offer.readings) == ("D-2041", 240)
    fill_from_logger(holed.desk, booked, holed.standin.address)
    filled = only_gap(holed.desk)
    assert filled.state == "from the logger"
    series = record(holed.desk, booked.point.id, "air_temperature")
    assert not series.estimated.any()  # measured, code good
    assert np.all(np.diff(series.times_utc_ms) == 600_000)
    assert verify(holed.desk).is_intact


def test_a_logger_that_does_not_answer_at_once_is_asked_again(holed: Lab) -> None:
    """The gap names who is wanted, so one silent answer while looking around is not the end."""
    holed.standin.order("fault", away_connections=1)
    fill_from_logger(holed.desk, only_gap(holed.desk))
    assert only_gap(holed.desk).state == "from the logger"


def test_a_logger_that_is_away_is_said(holed: Lab) -> None:
    holed.standin.end()
    with pytest.raises(LoggerAwayError, match="D-2041 is not connected"):
        fill_from_logger(holed.desk, only_gap(holed.desk))


def test_what_was_fetched_is_switched_off_and_on_again(holed: Lab) -> None:
    booked = only_gap(holed.desk)
    before = fingerprint(holed.desk, booked.point.id)
    fill_from_logger(holed.desk, booked, holed.standin.address)
    whole = fingerprint(holed.desk, booked.point.id)
    undo(holed.desk, only_gap(holed.desk))
    assert fingerprint(holed.desk, booked.point.id) == before
    reopened = only_gap(holed.desk)
    offer = logger_offer(holed.desk, reopened)
    assert offer.undone_offload is not None
    holed.standin.end()  # no logger is needed to switch it on again
    fill_from_logger(holed.desk, reopened)
    assert fingerprint(holed.desk, booked.point.id) == whole


def test_what_somebody_else_took_back_is_not_taken_back_twice(holed: Lab) -> None:
    fill_from_logger(holed.desk, only_gap(holed.desk), holed.standin.address)
    filled = only_gap(holed.desk)
    undo(holed.desk, filled)
    with pytest.raises(InputError, match="Somebody else changed this meanwhile"):
        undo(holed.desk, filled)
    assert [e.act for e in logbook_entries(holed.desk)].count("undo") == 1


def test_what_was_switched_off_counts_for_no_missing_sensor(holed: Lab) -> None:
    """ "No sensor" looks at everything a mission recorded: not at a fetch that was undone."""

    def recorded() -> list[int]:
        with holed.desk.archive.reading() as session:
            point = session.scalars(select(Mission.point_id)).one()
            [feed] = layout(session).of_series(point, CHANNELS[0])
            times, _, _ = load_recorded(session, point, feed)
        return times.tolist()

    before = recorded()
    fill_from_logger(holed.desk, only_gap(holed.desk), holed.standin.address)
    assert len(recorded()) > len(before)
    undo(holed.desk, only_gap(holed.desk))
    assert recorded() == before


def test_a_memory_that_was_erased_cannot_serve(relaunched: Lab) -> None:
    offer = logger_offer(relaunched.desk, only_gap(relaunched.desk))
    assert offer.readings == 0
    assert offer.sentence == "memory has since been erased by a new mission"
    with pytest.raises(InputError, match="D-2041 cannot fill this gap"):
        fill_from_logger(relaunched.desk, only_gap(relaunched.desk), relaunched.standin.address)


def test_an_excursion_hidden_in_a_gap_appears_when_it_is_filled_from_the_logger(
    cold_lab: Lab, tmp_path: Path
) -> None:
    from gezeiten.domain.series.timeline import DAY_MS
    from tests.conftest import ANCHOR_MS, COLD_PLAN

    lab = cold_lab
    launch(lab.desk, lab.standin.address, lab.serial, COLD_PLAN)
    lab.go_to(ANCHOR_MS - 1.5 * DAY_MS)
    lab.standin.order("fault", damage_blocks=[2, 3])  # readings 480 to 720: the fuse
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    assert excursions(lab.desk) == []
    lab.standin.order("fault", damage_blocks=None)
    fill_from_logger(lab.desk, only_gap(lab.desk), lab.standin.address)
    assert len(excursions(lab.desk)) == 1
    undo(lab.desk, only_gap(lab.desk))
    assert excursions(lab.desk) == []
