"""Mend: gaps filled, left open, taken back; reasons survive; the way to Trends and back."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.intake.texts.import_templates import proposed_template, recognise_text
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.record.views.records import record
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.conftest import Lab
from tests.ui_help import PATIENCE_MS, idle, open_window, press, type_into


def test_filling_and_undoing_by_keyboard(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    [gap] = [g for g in gaps(demo_desk) if g.point.name == "Paint hall"]
    before = record(demo_desk, gap.point.id, "co2").values.tobytes()
    window.show_place(places.MEND, gap.key)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    assert not mend.offers.by_logger.isEnabled()
    mend.offers.by_line.click()  # its cycles may do better, by the hour of day
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert record(demo_desk, gap.point.id, "co2").estimated.sum() == 4
    mend.show_target(gap.key)
    idle(qtbot, window)
    press(window, "Ctrl+Z")
    idle(qtbot, window)
    assert record(demo_desk, gap.point.id, "co2").values.tobytes() == before


def test_leaving_open_asks_for_a_reason_in_the_place(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    [gap] = [g for g in gaps(demo_desk) if g.point.name == "Intake"]
    window.show_place(places.MEND, gap.key)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    mend.leave_open()
    idle(qtbot, window)
    assert "Enter a reason" in window.message.text()
    type_into(mend.reason, "Memory was too small")
    press(window, "Return")
    idle(qtbot, window)
    [left] = [g for g in gaps(demo_desk) if g.point.name == "Intake"]
    assert (left.state, left.reason) == ("left open", "Memory was too small")


def test_from_a_gap_to_trends_and_back(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.MEND)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    booked = mend.list.shown_items()[-1]
    mend.show_target(booked.key)
    idle(qtbot, window)
    if mend.reason.isEnabled():
        type_into(mend.reason, "the cable was chewed")
    press(window, "Alt+T")
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    assert [point.id for point in trends.points()] == [booked.point.id]
    assert trends.chart.mark == (booked.gap.start_ms, booked.gap.end_ms)
    press(window, "Alt+B")
    idle(qtbot, window)
    assert mend.list.selected().key == booked.key


def test_a_reason_typed_survives_looking_at_another_gap(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.MEND)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    one, other = [gap for gap in mend.list.shown_items() if gap.state == "open"][:2]
    mend.show_target(one.key)
    idle(qtbot, window)
    type_into(mend.reason, "the cable was chewed")
    mend.show_target(other.key)
    idle(qtbot, window)
    assert mend.reason.text() == ""
    window.context.archive_changed.emit()
    idle(qtbot, window)
    mend.show_target(one.key)
    idle(qtbot, window)
    assert mend.reason.text() == "the cable was chewed"


def test_a_gap_filled_from_the_logger_says_so(window: MainWindow, qtbot: QtBot) -> None:
    """What the logger could still give is beside the point then: it gave it."""
    window.show_place(places.MEND)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    booked = next(g for g in mend.list.shown_items() if g.point.name == "Piezometer K2")
    mend.show_target(booked.key)
    idle(qtbot, window)
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert window.message.text() == "Filled from the logger; Ctrl+Z undoes it."
    filled = next(
        g
        for g in mend.list.shown_items()
        if g.point.name == "Piezometer K2" and g.state == "from the logger"
    )
    mend.show_target(filled.key)
    idle(qtbot, window)
    assert "readings came from the logger" in mend.picture.title.text()
    assert "missing" not in mend.picture.title.text()
    assert mend.offers.logger_cells[0].text() == "fetched; the record shows the measured readings"
    assert "not usable" not in mend.offers.logger_cells[2].text()
    count = f"{filled.gap.missing:,}"
    assert mend.offers.logger_cells[2].text() == f"{count} of {count}"


def test_a_flooded_half_day_is_filled_by_what_was_found_for_it(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    [gap] = [g for g in gaps(demo_desk) if g.point.name == "Creek gauge"]
    window.show_place(places.MEND, gap.key)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    [(best, first), (own, second)] = mend.offers.ways.buttons
    assert first.isChecked()
    assert not mend.offers.by_line.isEnabled()
    assert mend.fill_button.text() == "Fill by this estimate"
    second.setChecked(True)
    assert mend.model.method is own
    first.setChecked(True)
    assert mend.model.method is best
    lane = mend.with_proposals()[0]
    assert lane.band is not None
    assert (lane.band[0].values <= lane.proposal.values).all()
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert record(demo_desk, gap.point.id, "water_temperature").estimated.sum() == gap.gap.missing
    mend.show_target(gap.key)
    idle(qtbot, window)
    words = [
        mend.chain.steps.itemAt(i).widget().text()
        for i in range(mend.chain.steps.count())
        if mend.chain.steps.itemAt(i).widget()
    ]
    assert any("Water temperature" in one for one in words)
    assert mend.offers.ways.buttons == []
    press(window, "Ctrl+Z")
    idle(qtbot, window)
    assert not record(demo_desk, gap.point.id, "water_temperature").estimated.any()


def test_what_a_thermometer_beside_it_measured_is_chosen_before_any_estimate(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace, tmp_path: Path
) -> None:
    [gap] = [g for g in gaps(demo_desk) if g.point.name == "Creek gauge"]
    due = range(gap.gap.start_ms, gap.gap.end_ms, 600_000)
    lines = ["Date;Time;Water temp (°C)"]
    lines += [f"{datetime.fromtimestamp(at / 1000, UTC):%Y-%m-%d;%H:%M:%S};9.25" for at in due]
    path = tmp_path / "rope.txt"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    template = proposed_template(recognise_text(demo_desk, path), "Rope")
    columns = tuple(replace(column, quantity="water_temperature") for column in template.columns)
    form = replace(template.form, time=replace(template.form.time, zone="UTC"))
    import_text(
        demo_desk, path, replace(template, point=gap.point.full_name, form=form, columns=columns)
    )
    window.show_place(places.MEND, gap.key)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    (rope, radio), *_estimates = mend.offers.ways.buttons
    assert radio.isChecked()
    assert radio.accessibleName() == "Measured by Rope"
    assert mend.fill_button.text() == "Fill by Rope"
    shown = {lane.title: lane.proposal for lane in mend.with_proposals()}
    assert shown["Water temperature"].values.tolist() == [9.25] * rope.readings
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    series = record(demo_desk, gap.point.id, "water_temperature")
    inside = series.between(gap.gap.start_ms, gap.gap.end_ms)
    assert inside.values.tolist() == [9.25] * rope.readings
    assert not series.estimated.any()
    filled = next(g for g in gaps(demo_desk) if g.state == "from another source")
    window.show_place(places.MEND, filled.key)
    idle(qtbot, window)
    assert "measured by another source" in mend.picture.title.text()
    press(window, "Ctrl+Z")
    idle(qtbot, window)
    assert gap.key in {g.key for g in gaps(demo_desk)}


def test_a_drive_that_is_plugged_in_offers_what_it_carries(
    qtbot: QtBot, holed: Lab, tmp_path: Path
) -> None:
    """Whoever stands in Mend need not go to the Field desk for it."""
    window = open_window(qtbot, holed.desk, builds_rest=True)
    [gap] = gaps(holed.desk)
    window.show_place(places.MEND, gap.key)
    qtbot.waitUntil(lambda: len(window.places.built_places()) == 7, timeout=PATIENCE_MS)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    assert mend.model.others == []
    drive = tmp_path / "drive"
    holed.standin.order("drive", folder=str(drive))
    holed.desk.more_folders.append(str(drive))
    qtbot.waitUntil(lambda: bool(mend.model.others), timeout=PATIENCE_MS)
    [offer] = mend.model.others
    assert offer.readings == gap.gap.missing
    holed.desk.more_folders.clear()  # pulled out
    qtbot.waitUntil(lambda: not mend.model.others, timeout=PATIENCE_MS)
    window.show_place(places.TRENDS)
    assert not window.context.are_carriers_watched
