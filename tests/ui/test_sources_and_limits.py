"""Who measured where, limits and calculated series: put right from Sites and points, in the real
window."""

from __future__ import annotations

from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.settings import load_settings
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.statements.limits import limits_over_time
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.points.calculated_dialog import CalculatedDialog
from gezeiten.ui.points.limits_dialog import LimitsDialog
from gezeiten.ui.points.places_dialog import PlacesDialog
from gezeiten.ui.points.sources_dialog import SourcesDialog
from gezeiten.ui.points.units_dialog import UnitsDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle


def shown(kind: type[QDialog]) -> QDialog:
    return [one for one in QApplication.allWidgets() if isinstance(one, kind)][-1]


def sites_at(window: MainWindow, qtbot: QtBot, desk: Workspace, name: str) -> PlacesDialog:
    dialog = PlacesDialog(window, window.context, point_named(desk, name).id)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    return dialog


def test_a_logger_that_stood_elsewhere_is_put_right_and_taken_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    dialog = sites_at(window, qtbot, demo_desk, "Tank 2")
    dialog.show_sources()
    idle(qtbot, window)
    made = shown(SourcesDialog)
    assert made.table.rowCount() == 1
    tank, intake = (point_named(demo_desk, name).id for name in ("Tank 2", "Intake"))
    key = point_named(demo_desk, "Tank 2").channels[0].channel
    series = record(demo_desk, tank, key)
    since = int(series.times_utc_ms[-1]) - 3 * DAY_MS
    made.where.setCurrentIndex(made.where.findData(intake))
    made.period.since.show_instant(since, "Europe/Berlin")
    made.enter()
    idle(qtbot, window)
    assert "Enter a reason" in made.problem.text()
    made.words.setText("swapped at the tank")
    made.enter()
    idle(qtbot, window)
    left = record(demo_desk, tank, key)
    assert 0 < len(left) < len(series)
    assert int(left.times_utc_ms[-1]) < since
    assert "swapped at the tank" in made.said.item(0, 3).text()
    made.withdraw()
    idle(qtbot, window)
    assert len(record(demo_desk, tank, key)) == len(series)
    assert made.said.rowCount() == 0


def test_a_limit_is_set_ended_and_taken_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    dialog = sites_at(window, qtbot, demo_desk, "Cold room A")
    dialog.show_limits()
    idle(qtbot, window)
    made = shown(LimitsDialog)
    point = point_named(demo_desk, "Cold room A")
    before, plans = len(excursions(demo_desk, point.id)), made.table.rowCount()
    made.series.setCurrentIndex(1)
    made.enter()
    assert made.problem.text()  # a value is missing
    made.line.kind.select("above alarm")
    made.line.value.setText("20")
    made.words.setText("the insurance asks for it")
    since = demo_desk.now_ms() - 20 * DAY_MS
    made.period.since.show_instant(since, point.zone)
    made.enter()
    idle(qtbot, window)
    assert made.problem.text() == ""
    assert made.table.rowCount() == plans + 1
    found = len(excursions(demo_desk, point.id))
    assert found > before
    made.period.until.show_instant(since + 10 * DAY_MS, point.zone)
    made.words.setText("enough")
    made.end()
    idle(qtbot, window)
    assert before <= len(excursions(demo_desk, point.id)) < found
    made.withdraw()
    idle(qtbot, window)
    assert len(excursions(demo_desk, point.id)) == before
    assert all(limit.stored is None for limit in limits_over_time(demo_desk, point.id))


def test_a_level_is_calculated_watched_and_calculated_no_more(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    dialog = sites_at(window, qtbot, demo_desk, "Piezometer K1")
    dialog.show_calculated()
    idle(qtbot, window)
    made = shown(CalculatedDialog)
    assert made.table.rowCount() == 0
    assert made.formula.currentText() == "Level above the sensor"
    assert [box.currentData()[0].name for box in made.inputs] == ["Piezometer K1", "Barometer hut"]
    assert "Last week: 1,681 readings" in made.seen.text()
    density, *_ = [field for _, field in made.parameters]
    density.setText("1.02")  # g/cm3, as it stands on many a sheet
    made.enter()
    idle(qtbot, window)
    assert "between 900 and 1100 kg/m³" in made.problem.text()
    density.setText("1020")
    made.words.setText("for the water board")
    made.enter()
    idle(qtbot, window)
    assert made.problem.text() == ""
    point = point_named(demo_desk, "Piezometer K1")
    key = point.channels[-1].channel
    assert [made.table.item(0, i).text() for i in (0, 1, 4)] == [
        "Water level (calculated)",
        "Absolute pressure, Air pressure · Krabbenkoog · Barometer hut",
        "for the water board",
    ]
    pressures, levels = (record(demo_desk, point.id, one) for one in ("water_pressure", key))
    assert 0.9 * len(pressures) < len(levels) <= len(pressures)
    made.enter()  # the same once more
    idle(qtbot, window)
    assert "already" in made.problem.text()
    dialog.show_limits()
    idle(qtbot, window)
    idle(qtbot, window)
    limits = shown(LimitsDialog)
    limits.series.setCurrentText("Water level (calculated)")
    limits.line.kind.select("above alarm")
    limits.line.value.setText("0.1")
    limits.words.setText("the cellar")
    limits.period.since.show_instant(int(levels.times_utc_ms[0]), point.zone)
    limits.enter()
    idle(qtbot, window)
    its = [
        excursion for excursion in excursions(demo_desk, point.id) if excursion.rule.channel == key
    ]
    assert its
    made.withdraw()
    idle(qtbot, window)
    assert made.table.rowCount() == 0
    assert not any(excursion.rule.channel == key for excursion in excursions(demo_desk, point.id))


def test_units_of_the_screen_are_those_of_the_quantity_or_of_the_series(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    trends = window.places[places.TRENDS]
    window.show_place(places.TRENDS, point_named(demo_desk, "Cold room A").id)
    idle(qtbot, window)
    lowest = trends.lanes[0].traces[0]
    trends.show_units()
    dialog = shown(UnitsDialog)
    point = point_named(demo_desk, "Cold room A")
    assert list(dialog.choices) == [
        "probe_temperature",
        f"{point.uid}/probe_temperature",
        "room_temperature",
        f"{point.uid}/room_temperature",
    ]
    dialog.choices["probe_temperature"].setCurrentIndex(2)
    idle(qtbot, window)
    assert [lane.unit for lane in trends.lanes] == ["°F", "°C"]
    [trace] = trends.lanes[0].traces
    assert (trace.factor, trace.offset) == (1.8, 32.0)
    assert (lowest.factor, lowest.offset) == (1.0, 0.0)
    dialog.choices[f"{point.uid}/probe_temperature"].setCurrentIndex(3)
    idle(qtbot, window)
    assert [lane.unit for lane in trends.lanes] == ["K", "°C"]
    events = window.places[places.EXCURSIONS]
    window.show_place(places.EXCURSIONS, None)
    idle(qtbot, window)
    words = [events._line(one).figure for one in events._all if one.point.id == point.id]
    assert words
    assert all(one.endswith(" K") for one in words), words
    window.show_place(places.TRENDS, point_named(demo_desk, "Cold room B").id)
    idle(qtbot, window)
    assert [lane.unit for lane in trends.lanes] == ["°F", "°C"]
    assert load_settings(demo_desk.archive.folder / "settings.json").units == {
        "probe_temperature": "°F",
        f"{point.uid}/probe_temperature": "K",
    }
    dialog.choices[f"{point.uid}/probe_temperature"].setCurrentIndex(0)
    dialog.choices["probe_temperature"].setCurrentIndex(0)
    idle(qtbot, window)
    assert demo_desk.settings.units == {}
    assert [lane.unit for lane in trends.lanes] == ["°C", "°C"]


def test_of_two_series_of_one_unit_the_second_follows_the_first(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    dialog = CalculatedDialog(window, window.context, point_named(demo_desk, "Cold room A"))
    qtbot.addWidget(dialog)
    idle(qtbot, window)
    dialog.formula.setCurrentText("Difference of two series")
    first, second = dialog.inputs
    assert first.currentText() == "Store temperature"
    assert second.currentText() == "Room around the store (same point)"
    first.setCurrentIndex(1)
    assert second.currentText() == "Store temperature (same point)"
    idle(qtbot, window)
    assert " K, latest" in dialog.seen.text()
