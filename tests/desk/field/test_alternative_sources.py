"""Gaps filled by what was measured beside the logger: another source at the point, a courier, a
drive."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.alternative_sources import (
    AlternativeSource,
    CarriedReadings,
    by_others,
    carried,
    fill_by_measured,
    find_alternatives,
)
from gezeiten.desk.field.gap_filling import leave_open, logger_offer, undo
from gezeiten.desk.field.gaps import BookedGap, gaps
from gezeiten.desk.field.several_gaps import GapRule, do_all, listed
from gezeiten.desk.intake.carriers.couriers import contact_courier
from gezeiten.desk.intake.carriers.drives import survey_drive
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.office.verification import rebuild, verify
from gezeiten.desk.record.statements.corrections import proposed, save_correction
from gezeiten.desk.record.statements.deployments import sources, withdraw_statement
from gezeiten.desk.record.views.records import record
from gezeiten.domain.series.timeline import DAY_MS, MINUTE_MS
from gezeiten.errors import InputError
from gezeiten.link.files.drive import DriveSeen
from gezeiten.link.find import FoundCourier
from tests.conftest import Lab, StartStandin

CHANNELS = ("air_temperature", "relative_humidity")
BESIDE = "air_temperature@Thermometer"


def hole(desk: Workspace) -> BookedGap:
    [booked] = gaps(desk)
    return booked


def beside(lab: Lab, folder: Path, begin_ms: int, end_ms: int) -> None:
    """Take a thermometer's text at the logger's point: a reading every 5 min, 0.5 °C above those of
    the logger where it has some, 30 °C where it has none."""
    point = hole(lab.desk).point
    own = record(lab.desk, point.id, "air_temperature")
    lines = ["Date;Time;Temp (°C)"]
    for at in range(begin_ms, end_ms, 5 * MINUTE_MS):
        near = own.between(at - 5 * MINUTE_MS, at + 6 * MINUTE_MS)
        value = float(near.values[0]) + 0.5 if len(near) else 30.0
        when = datetime.fromtimestamp(at / 1000, UTC)
        lines.append(f"{when:%Y-%m-%d;%H:%M:%S};{value:.2f}")
    path = folder / "beside.txt"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    template = proposed_template(recognise_text(lab.desk, path), "Thermometer")
    form = replace(template.form, time=replace(template.form.time, zone="UTC"))
    import_text(lab.desk, path, replace(template, point=point.full_name, form=form))


def bits(desk: Workspace, *keys: str) -> list[bytes]:
    [point_id] = {gap.point.id for gap in gaps(desk)}
    made = [record(desk, point_id, key) for key in keys]
    return [part.tobytes() for one in made for part in (one.times_utc_ms, one.values, one.quality)]


def test_a_thermometer_beside_the_logger_fills_its_gap_with_what_it_measured(
    holed: Lab, tmp_path: Path
) -> None:
    desk, gap = holed.desk, hole(holed.desk).gap
    beside(holed, tmp_path, gap.start_ms - DAY_MS // 2, gap.end_ms + DAY_MS // 2)
    booked = hole(desk)
    assert booked.channels == CHANNELS
    before = bits(desk, "air_temperature", BESIDE)
    [offer] = find_alternatives(desk, booked)
    assert isinstance(offer, AlternativeSource)
    assert (offer.name, offer.refusal) == ("Thermometer", "")
    [(key, compared)] = offer.comparisons
    assert key == "air_temperature"
    assert compared.median == pytest.approx(0.5, abs=0.3)
    assert fill_by_measured(desk, booked, offer) == []
    now = record(desk, booked.point.id, "air_temperature").between(gap.start_ms, gap.end_ms)
    assert len(now) == offer.readings == gap.length_ms // (5 * MINUTE_MS)
    assert np.allclose(now.values[2:-2], 30.0)
    assert (now.quality == 0).all()
    # humidity has nothing beside it, and the thermometer's own series no gap of its own
    assert {(one.channels, one.state) for one in gaps(desk)} == {
        (("air_temperature",), "from another source"),
        (("relative_humidity",), "open"),
    }
    assert "240 readings" in logbook_entries(desk)[0].sentence
    assert verify(desk).faults == []
    rebuild(desk)
    filled = next(one for one in gaps(desk) if one.state == "from another source")
    undo(desk, filled)
    assert bits(desk, "air_temperature", BESIDE) == before
    assert hole(desk).channels == CHANNELS
    assert verify(desk).faults == []


def test_what_it_feeds_can_be_taken_back_where_sources_are_edited(
    holed: Lab, tmp_path: Path
) -> None:
    desk, gap = holed.desk, hole(holed.desk).gap
    beside(holed, tmp_path, gap.start_ms, gap.end_ms)
    booked = hole(desk)
    fill_by_measured(desk, booked, by_others(desk, booked)[0])
    [said] = sources(desk, point_id=booked.point.id).statements
    withdraw_statement(desk, said)
    assert hole(desk).state == "open"
    assert verify(desk).faults == []


def test_a_gap_is_filled_once_whoever_was_quicker(holed: Lab, tmp_path: Path) -> None:
    desk, gap = holed.desk, hole(holed.desk).gap
    beside(holed, tmp_path, gap.start_ms, gap.end_ms)
    booked = hole(desk)
    [offer] = by_others(desk, booked)
    fill_by_measured(desk, booked, offer)
    with pytest.raises(InputError, match="filled this gap meanwhile"):
        fill_by_measured(desk, booked, offer)


def test_a_series_that_is_corrected_there_takes_no_readings_it_was_not_meant_for(
    holed: Lab, tmp_path: Path
) -> None:
    desk, gap = holed.desk, hole(holed.desk).gap
    beside(holed, tmp_path, gap.start_ms, gap.end_ms)
    booked = hole(desk)
    step = proposed(
        booked.point, "air_temperature", "linear", (gap.start_ms - DAY_MS, None), {"offset": 0.3}
    )
    save_correction(desk, booked.point, step, "certificate 12")
    [offer] = by_others(desk, booked)
    assert "is corrected there" in offer.refusal
    with pytest.raises(InputError, match="cannot fill this gap"):
        fill_by_measured(desk, booked, offer)


def test_many_gaps_take_what_was_measured_before_what_is_estimated(
    relaunched_beside: Lab,
) -> None:
    desk = relaunched_beside.desk
    rule = GapRule("best", 2 * DAY_MS)
    found = listed(desk, rule, [gap for gap in gaps(desk) if gap.channels == ("air_temperature",)])
    assert [one.name for one in found] == ["measured by Thermometer"]
    assert do_all(desk, found) == 1
    assert {gap.state for gap in gaps(desk)} == {"from another source", "left open"}


@pytest.fixture
def relaunched_beside(holed: Lab, tmp_path: Path) -> Lab:
    """Humidity's part of the gap is left open: what is open of temperature is another gap then."""
    gap = hole(holed.desk).gap
    beside(holed, tmp_path, gap.start_ms, gap.end_ms)
    leave_open(holed.desk, replace(hole(holed.desk), channels=CHANNELS[1:]), "never mind")
    return holed


def test_a_courier_that_was_at_the_logger_fills_what_arrived_damaged(
    holed: Lab, start_standin: StartStandin, tmp_path: Path
) -> None:
    desk = holed.desk
    courier = start_standin("L-0042", base_ms=holed.clock.now_ms(), state_file=tmp_path / "c.json")
    courier.order("time", ms=holed.clock.now_ms())
    courier.order("collect", at=str(holed.standin.address))
    card = contact_courier(desk, FoundCourier(courier.address, "L-0042"))
    booked = hole(desk)
    [offer] = carried(desk, booked, [card])
    assert isinstance(offer, CarriedReadings)
    assert (offer.name, offer.readings) == ("courier L-0042", booked.gap.missing)
    [taken] = fill_by_measured(desk, booked, offer)
    assert not taken.error
    filled = hole(desk)
    assert filled.state == "from the logger"
    assert carried(desk, booked, [card]) == []  # the archive lacks nothing of it any more
    assert any("from courier L-0042" in e.sentence for e in logbook_entries(desk))
    undo(desk, filled)
    assert hole(desk).state == "open"
    assert logger_offer(desk, hole(desk)).undone_offload is not None
    assert verify(desk).faults == []


def test_a_drive_with_the_loggers_file_fills_it_too(holed: Lab, tmp_path: Path) -> None:
    desk = holed.desk
    drive = tmp_path / "drive"
    holed.standin.order("drive", folder=str(drive))
    card = survey_drive(desk, DriveSeen(drive, "BLUE"))
    booked = hole(desk)
    [offer] = carried(desk, booked, [card])
    assert (offer.name, offer.readings) == ("drive BLUE", booked.gap.missing)
    fill_by_measured(desk, booked, offer)
    assert hole(desk).state == "from the logger"
