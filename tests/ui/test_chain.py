"""From source to record in the real window: a step tried, kept, switched, taken back; the story of
a reading; and the model behind it, without a window."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gap_filling import fill_by_line
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.corrections import chain, compared
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.quantities.units import shown_unit
from gezeiten.domain.series.series import make_series
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.errors import InputError
from gezeiten.ui.mend.chain_dialog import ChainDialog
from gezeiten.ui.mend.chain_model import MOST_DRAWN, TrialStep, drawn, trial_span
from gezeiten.ui.mend.provenance_dialog import ProvenanceDialog
from gezeiten.ui.points.checks_dialog import ChecksDialog
from gezeiten.ui.points.coverage_dialog import CoverageDialog
from gezeiten.ui.points.remarks_dialog import RemarksDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui.test_sources_and_limits import shown
from tests.ui_help import idle

KEY = "probe_temperature"


def test_what_is_typed_in_fahrenheit_corrects_what_was_recorded_in_celsius() -> None:
    """By hand: 0.9 °F more are 0.5 °C; a gain of 2 doubles what is shown: 212 °F become 424 °F,
    100 °C become 217.78 °C."""
    trying = TrialStep(unit=shown_unit("°C", "°F"))
    assert trying.linear(0.9, 1, 1.8) == pytest.approx({"offset": 0.5, "gain": 1, "u": 1.0})
    doubled = trying.linear(0, 2, 0)
    assert doubled["offset"] + 2 * 100 == pytest.approx(217.7778, abs=1e-4)
    assert trying.points("32 → 33.8; 212=212", float) == [
        [pytest.approx(0.0), pytest.approx(1.0)],
        [pytest.approx(100.0), pytest.approx(100.0)],
    ]
    with pytest.raises(InputError, match="reading → reference"):
        trying.points("20 20.5", float)


def test_of_a_long_stretch_no_spike_is_lost_where_it_is_drawn() -> None:
    values = np.zeros(100_000)
    values[[777, 50_001]] = 9, -9
    series = make_series(np.arange(100_000, dtype=np.int64) * 1000, values, 1000)
    made = drawn(compared(series, series), shown_unit("°C", "°C"))
    assert len(made) <= MOST_DRAWN
    assert {9.0, -9.0} <= set(made.values.tolist())


def test_a_trial_is_shown_where_there_are_readings() -> None:
    assert trial_span((50, 80), (0, 100), 1000) == (50, 80)
    assert trial_span((500, 800), (0, 100), 1000) == (0, 100)
    assert trial_span((0, 80), (0, 100), 20) == (60, 80)


def test_a_certificate_is_tried_kept_switched_off_and_taken_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Cold room A")
    before = record(demo_desk, point.id, KEY)
    window.show_place(places.TRENDS, point.id)
    idle(qtbot, window)
    QTest.keyClick(window, Qt.Key.Key_C, Qt.KeyboardModifier.AltModifier)
    idle(qtbot, window)
    dialog: ChainDialog = shown(ChainDialog)
    assert [dialog.table.item(0, i).text() for i in (0, 1)] == ["Source", "R-1107, mission 12"]
    assert not dialog.switch_button.isEnabled()
    dialog.fields.offset.setText("0.5")
    dialog.fields.offset.editingFinished.emit()
    idle(qtbot, window)
    assert "change by +0.500 °C on average" in dialog.figures.text()
    assert record(demo_desk, point.id, KEY).values.tobytes() == before.values.tobytes()
    dialog.keep()
    idle(qtbot, window)
    assert "Enter a reason" in dialog.problem.text()
    dialog.words.setText("certificate K-118")
    dialog.period.since.show_instant(int(before.times_utc_ms[0]) - DAY_MS, point.zone)
    dialog.keep()
    idle(qtbot, window)
    after = record(demo_desk, point.id, KEY)
    np.testing.assert_allclose(after.values - before.values, 0.5)
    assert dialog.table.item(1, 1).text() == "offset +0.5 °C"
    assert dialog.table.item(1, 4).text() == "certificate K-118"
    dialog.table.setCurrentCell(1, 0)
    idle(qtbot, window)
    assert "-0.500 °C" in dialog.figures.text().replace("−", "-")
    dialog.toggle_selected()
    idle(qtbot, window)
    assert record(demo_desk, point.id, KEY).values.tobytes() == before.values.tobytes()
    assert dialog.table.item(1, 0).text() == "Offset and gain · off"
    assert dialog.switch_button.text() == "Enable selected step"
    dialog.withdraw()
    idle(qtbot, window)
    assert dialog.table.rowCount() == 1
    assert chain(demo_desk, point, KEY).corrections == ()


def test_a_stretch_marked_with_the_mouse_is_taken_out_and_a_reading_tells_of_it(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Cold room A")
    series = record(demo_desk, point.id, KEY)
    end = int(series.times_utc_ms[-1])
    dialog = ChainDialog(window, window.context, point, KEY, (end - 3 * DAY_MS, end))
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.fields.kind.setCurrentIndex(dialog.fields.kind.findData("mark"))
    dialog.fields.mark.setCurrentIndex(dialog.fields.mark.findData("taken out"))
    dialog.chart.set_mark((end - 2 * DAY_MS, end - DAY_MS))
    idle(qtbot, window)
    assert "288 removed" in dialog.figures.text()
    dialog.words.setText("door left open for painting")
    dialog.keep()
    idle(qtbot, window)
    assert len(series) - len(record(demo_desk, point.id, KEY)) == 288
    told = ProvenanceDialog(window, window.context, point, end - DAY_MS - 600_000, KEY)
    qtbot.addWidget(told)
    told.show()
    idle(qtbot, window)
    items = [told.lines.itemAtPosition(row, 1) for row in range(told.lines.rowCount())]
    lines = [item.widget().text() for item in items if item is not None]
    assert lines[0].startswith("R-1107, mission 12, reading ")
    assert any("JA" in line and "…" in line for line in lines)
    assert "taken out → no value" in lines[-2]
    assert "door left open for painting" in lines[-2]
    assert lines[-1] == "no value"
    beside = ProvenanceDialog(window, window.context, point, end - 3 * DAY_MS, KEY)
    qtbot.addWidget(beside)
    beside.show()
    idle(qtbot, window)
    [last] = [beside.lines.itemAtPosition(beside.lines.rowCount() - 1, 1)]
    assert last.widget().text().startswith("at least ± 0.0")  # nobody calibrated it: resolution


def test_where_nothing_shows_it_nothing_is_taken_out(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    dialog = ChainDialog(window, window.context, point_named(demo_desk, "Cold room A"), KEY)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.fields.kind.setCurrentIndex(dialog.fields.kind.findData("trim"))
    dialog.propose_trim("readings", at_end=False)
    idle(qtbot, window)
    assert "At the beginning of the last mission nothing shows" in dialog.problem.text()
    begin, _ = dialog._view
    dialog._show_proposed((begin + 61_000, begin + 3_600_001))
    idle(qtbot, window)
    assert not dialog.period.open_end.isChecked()
    assert "removed" in dialog.figures.text()


def test_spikes_are_caught_by_a_rule_looked_at_and_marked(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Cold room A")
    series = record(demo_desk, point.id, KEY)
    end = int(series.times_utc_ms[-1])
    dialog = ChainDialog(window, window.context, point, KEY, (end - 6 * DAY_MS, end + 1))
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.fields.kind.setCurrentIndex(dialog.fields.kind.findData("mark"))
    dialog.period.since.show_instant(end - 6 * DAY_MS, point.zone)
    dialog.fields.which.setCurrentIndex(dialog.fields.which.findData("too_fast"))
    idle(qtbot, window)
    assert float(dialog.fields.number.text()) > 0  # proposed from the readings
    dialog.fields.number.setText("1000")
    dialog.fields.number.editingFinished.emit()
    idle(qtbot, window)
    assert (
        "This rule matches no reading in that period; choose another threshold."
        in dialog.problem.text()
    )
    rates = np.abs(np.diff(series.values)) / (np.diff(series.times_utc_ms) / 3_600_000)
    its = series.times_utc_ms[1:] >= end - 6 * DAY_MS
    wanted = int((rates[its] > 5).sum())
    assert wanted > 3
    dialog.fields.number.setText("5")
    dialog.fields.number.editingFinished.emit()
    idle(qtbot, window)
    assert f"{wanted} more suspect" in dialog.figures.text()
    assert f"The rule catches {wanted} of " in dialog.figures.text()
    dialog.words.setText("looked at one by one")
    dialog.keep()
    idle(qtbot, window)
    after = record(demo_desk, point.id, KEY)
    assert int((after.quality == 1).sum()) == wanted
    assert len(after) == len(series)


def test_a_remark_is_written_in_trends_and_drawn_in_its_picture(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Cold room A")
    window.show_place(places.TRENDS, point.id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    end = trends.chart.view()[1]
    trends.chart.set_mark((end - 2 * DAY_MS, end - DAY_MS))
    QTest.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    idle(qtbot, window)
    dialog: RemarksDialog = shown(RemarksDialog)
    assert not dialog.period.open_end.isChecked()
    dialog.write()
    idle(qtbot, window)
    assert "The remark is empty" in dialog.problem.text()
    dialog.words.setText("door left open for painting")
    dialog.write()
    idle(qtbot, window)
    assert dialog.table.item(0, 2).text() == "door left open for painting"
    idle(qtbot, window)
    assert [len(lane.remarks) for lane in trends.lanes] == [1, 1]
    dialog.withdraw()
    idle(qtbot, window)
    assert dialog.table.rowCount() == 0
    assert [len(lane.remarks) for lane in trends.lanes] == [0, 0]


def test_the_calendar_says_what_lacks_and_goes_out_as_a_file(
    window: MainWindow,
    qtbot: QtBot,
    demo_desk: Workspace,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    point = point_named(demo_desk, "Creek gauge")
    dialog = CoverageDialog(window, window.context, point, "water_temperature")
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    [booked] = [gap for gap in gaps(demo_desk, point.id) if gap.state == "open"]
    begun = datetime.fromtimestamp(booked.gap.start_ms / 1000, ZoneInfo(point.zone))
    month = next(
        i
        for i in range(dialog.table.rowCount())
        if dialog.table.item(i, 0).text() == f"{begun:%Y-%m}"
    )
    whole = begun - timedelta(days=1)
    assert dialog.table.item(month, whole.day + 2).text() == ""
    lacking = float(dialog.table.item(month, begun.day + 2).text())
    night = datetime(begun.year, begun.month, begun.day, tzinfo=begun.tzinfo) + timedelta(days=1)
    missing_ms = min(booked.gap.end_ms, night.timestamp() * 1000) - booked.gap.start_ms
    # a day on which the clocks change has an hour more or less
    assert lacking == pytest.approx(100 * missing_ms / DAY_MS, abs=4.5)
    target = str(tmp_path / "c.csv")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (target, ""))
    dialog.export.click()
    idle(qtbot, window)
    rows = dict(line.split(",", 1) for line in (tmp_path / "c.csv").read_text().splitlines())
    assert rows[f"{whole:%Y-%m-%d}"] == "100.00,0.00,0.00"
    assert 100 - float(rows[f"{begun:%Y-%m-%d}"].split(",")[0]) == pytest.approx(lacking, abs=0.51)
    assert {f"{begun:%Y-%m}", f"{begun:%Y}", "all"} <= set(rows)


def test_points_come_from_what_was_read_by_hand_and_are_tried_before_they_are_kept(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    """In Cold room A somebody reads 0.15 °C more than the logger shows, twice a day."""
    dialog = ChainDialog(window, window.context, point_named(demo_desk, "Cold room A"), KEY)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.fields.kind.setCurrentIndex(dialog.fields.kind.findData("points"))
    dialog.fields.by_hand.click()
    idle(qtbot, window)
    pairs = [one.split(" → ") for one in dialog.fields.points.text().split("; ")]
    assert pairs
    for indicated, reference in pairs:
        assert float(reference) - float(indicated) == pytest.approx(0.15, abs=0.06)
    assert 0.3 < float(dialog.fields.u.text()) < 0.6  # read to ± 0.4 °C
    assert "change by +0.1" in dialog.figures.text()
    dialog.fields.kind.setCurrentIndex(dialog.fields.kind.findData("trim"))
    dialog.propose_trim("visit", at_end=True)
    idle(qtbot, window)
    assert "removed" in dialog.figures.text() or "No reading lies within" in dialog.problem.text()


def test_a_fill_is_switched_off_and_on_in_the_chain(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    [booked] = [gap for gap in gaps(demo_desk) if gap.point.name == "Paint hall"]
    fill_by_line(demo_desk, booked)
    dialog = ChainDialog(window, window.context, booked.point, "co2")
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    for gone, back, words in (
        ("4 removed", "Enable", "Disable"),
        ("4 restored", "Disable", "Enable"),
    ):
        dialog.table.selectRow(dialog.table.rowCount() - 1)
        idle(qtbot, window)
        assert gone in dialog.figures.text()
        assert dialog.switch_button.text() == f"{words} selected step"
        assert not dialog.undo_button.isEnabled()
        dialog.toggle_selected()
        idle(qtbot, window)
        [state] = [
            gap.state
            for gap in gaps(demo_desk)
            if gap.point.name == "Paint hall" and "co2" in gap.channels
        ]
        assert state == ("estimated" if back == "Disable" else "open")
        shown_there = dialog.table.item(dialog.table.rowCount() - 1, 0).text()
        assert shown_there == ("Gap filled" if back == "Disable" else "Gap filled · off")


def test_a_reading_tapped_in_any_chart_tells_its_story(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    """In the lane that is tapped: of the creek's two the lower one is its temperature."""
    creek = point_named(demo_desk, "Creek gauge")
    event = excursions(demo_desk, creek.id)[0]
    [booked] = [gap for gap in gaps(demo_desk, creek.id) if gap.state == "open"]
    level = next(
        channel.channel for channel in creek.channels if channel.channel.startswith("water_level")
    )
    checks = ChecksDialog(window, window.context, creek, level)
    steps = ChainDialog(window, window.context, creek, "water_temperature")
    told = []
    for place, target, share in (
        (places.TRENDS, creek.id, 0.5),
        (places.MEND, booked.key, 0.75),
        (places.EXCURSIONS, event.id, 0.2),
        (None, checks, 0.3),
        (None, steps, 0.3),
    ):
        if place is None:
            qtbot.addWidget(target)
            target.show()
            chart = target.chart
        else:
            window.show_place(place, target)
            chart = window.places[place].chart
        idle(qtbot, window)
        at = QPoint(chart.viewport().width() // 2, round(chart.viewport().height() * share))
        QTest.mouseDClick(chart.viewport(), Qt.MouseButton.LeftButton, pos=at)
        idle(qtbot, window)
        dialog = next(
            one
            for one in QApplication.topLevelWidgets()
            if isinstance(one, ProvenanceDialog) and one.isVisible()
        )
        assert dialog.title.text()
        told.append(dialog.series.key)
        dialog.close()
    assert told == [
        "water_temperature",
        "water_temperature",
        "water_pressure",
        level,
        "water_temperature",
    ]
