"""Who measured where, and limits: seen and put right from Sites and points, in the real window."""

from __future__ import annotations

from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.context import Desk
from gezeiten.desk.places import point_named
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.record.limits import limits_over_time
from gezeiten.desk.record.records import record
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.points.limits_dialog import LimitsDialog
from gezeiten.ui.points.places_dialog import PlacesDialog
from gezeiten.ui.points.sources_dialog import SourcesDialog
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle


def shown(kind: type[QDialog]) -> QDialog:
    return [one for one in QApplication.allWidgets() if isinstance(one, kind)][-1]


def sites_at(window: MainWindow, qtbot: QtBot, desk: Desk, name: str) -> PlacesDialog:
    made = PlacesDialog(window, window.house, point_named(desk, name).id)
    qtbot.addWidget(made)
    made.show()
    idle(qtbot, window)
    return made


def test_a_logger_that_stood_elsewhere_is_put_right_and_taken_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    dialog = sites_at(window, qtbot, demo_desk, "Tank 2")
    dialog.show_sources()
    idle(qtbot, window)
    made = shown(SourcesDialog)
    assert made.stood.rowCount() == 1
    tank, intake = (point_named(demo_desk, name).id for name in ("Tank 2", "Intake"))
    key = point_named(demo_desk, "Tank 2").channels[0].channel
    whole = record(demo_desk, tank, key)
    since = int(whole.times_utc_ms[-1]) - 3 * DAY_MS
    made.where.setCurrentIndex(made.where.findData(intake))
    made.since.show_instant(since, "Europe/Berlin")
    made.enter()
    idle(qtbot, window)
    assert "why" in made.problem.text()
    made.words.setText("swapped at the tank")
    made.enter()
    idle(qtbot, window)
    left = record(demo_desk, tank, key)
    assert 0 < len(left) < len(whole)
    assert int(left.times_utc_ms[-1]) < since
    assert "swapped at the tank" in made.said.item(0, 3).text()
    made.take_back()
    idle(qtbot, window)
    assert len(record(demo_desk, tank, key)) == len(whole)
    assert made.said.rowCount() == 0


def test_a_limit_is_set_ended_and_taken_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Desk
) -> None:
    dialog = sites_at(window, qtbot, demo_desk, "Cold room A")
    dialog.show_limits()
    idle(qtbot, window)
    made = shown(LimitsDialog)
    point = point_named(demo_desk, "Cold room A")
    before, plans = len(excursions(demo_desk, point.id)), made.limits.rowCount()
    made.series.setCurrentIndex(1)
    made.enter()
    assert made.problem.text()  # a value is missing
    made.line.kind.choose("above alarm")
    made.line.value.setText("20")
    made.words.setText("the insurance asks for it")
    since = demo_desk.now_ms() - 20 * DAY_MS
    made.since.show_instant(since, point.zone)
    made.enter()
    idle(qtbot, window)
    assert made.problem.text() == ""
    assert made.limits.rowCount() == plans + 1
    found = len(excursions(demo_desk, point.id))
    assert found > before
    made.until.show_instant(since + 10 * DAY_MS, point.zone)
    made.words.setText("enough")
    made.end()
    idle(qtbot, window)
    assert before <= len(excursions(demo_desk, point.id)) < found
    made.take_back()
    idle(qtbot, window)
    assert len(excursions(demo_desk, point.id)) == before
    assert all(one.kept is None for one in limits_over_time(demo_desk, point.id))
