"""Dialogs: settings from their declaration, sites and points, lives, rounds, the empty desk."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit
from pytestqt.qtbot import QtBot

from gezeiten.cli.practice import PRACTICE_SERIALS, PracticeFleet
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.settings import Settings, infos, load_settings
from gezeiten.desk.base.workspace import TrustedClock, Workspace
from gezeiten.desk.field.rounds import open_round
from gezeiten.desk.logger.launch.launching import launch
from gezeiten.desk.office.logger_history import life
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.site_editor import point_facts, site_facts
from gezeiten.desk.sites.places import points, sites
from gezeiten.ui.field.dialogs.logger_history_dialog import LoggerHistoryDialog
from gezeiten.ui.format.i18n import number
from gezeiten.ui.points.places_dialog import PlacesDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.settings_dialog import SettingsDialog
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.tideboard.round_dialog import RoundDialog
from tests.conftest import STORE_PLAN, Lab
from tests.ui_help import idle, open_window, type_into


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Workspace]:
    workspace = open_workspace(tmp_path / "archive", computer=TrustedClock(), pins=MemoryPins())
    workspace.change_settings(Settings(addresses="127.0.0.1:1", serial_ports="", person="JA"))
    yield workspace
    workspace.close()


@pytest.fixture
def window(qtbot: QtBot, desk: Workspace) -> Iterator[MainWindow]:
    yield open_window(qtbot, desk)
    from PySide6.QtCore import QLocale

    QLocale.setDefault(QLocale("en_GB"))


# -- settings ------------------------------------------------------------------------------------
@pytest.fixture
def dialog(window: MainWindow, qtbot: QtBot) -> SettingsDialog:
    made = SettingsDialog(window, window.context)
    made.changed.connect(window._settings_changed)
    qtbot.addWidget(made)
    made.show()
    return made


def test_every_declared_setting_has_a_line(dialog: SettingsDialog) -> None:
    assert [line.about.key for line in dialog.lines] == [info.key for info in infos()]
    assert all(line.field.accessibleName() for line in dialog.lines)


def test_settings_are_found_by_any_of_their_words(dialog: SettingsDialog) -> None:
    type_into(dialog.search, "sleep")
    assert all(line.isHidden() for line in dialog.lines)
    assert not dialog.none.isHidden()
    type_into(dialog.search, "awake offloading")
    assert [ln.about.key for ln in dialog.lines if not ln.isHidden()] == ["keep_awake"]


def test_settings_are_taken_at_once_and_kept(dialog: SettingsDialog, desk: Workspace) -> None:
    switch = dialog.line_of("keep_awake").field
    assert isinstance(switch, QCheckBox)
    switch.setChecked(False)
    box = dialog.line_of("region").field
    assert isinstance(box, QComboBox)
    box.setCurrentIndex(box.findData("de_DE"))
    assert number(1234.5, 1) == "1.234,5"
    settings = load_settings(desk.archive.folder / "settings.json")
    assert (settings.keep_awake, settings.region, settings.person) == (False, "de_DE", "JA")
    dialog.line_of("keep_awake").back.click()
    assert load_settings(desk.archive.folder / "settings.json").keep_awake is True


def test_addresses_without_sense_are_one_sentence_and_not_kept(
    dialog: SettingsDialog, desk: Workspace
) -> None:
    line = dialog.line_of("addresses")
    assert isinstance(line.field, QLineEdit)
    type_into(line.field, "somewhere")
    QTest.keyClick(line.field, Qt.Key.Key_Return)
    assert line.problem.text().startswith(
        "These addresses cannot be read; type them like 192.168.4.10:502, logger.lan:502."
    )
    assert desk.settings.addresses == "127.0.0.1:1"


def test_all_back_to_defaults(dialog: SettingsDialog, desk: Workspace) -> None:
    dialog.reset_all()
    assert desk.settings == Settings()
    assert all(line.back.isHidden() for line in dialog.lines)


# -- sites and points ----------------------------------------------------------------------------
def test_a_site_and_a_point_from_nothing(window: MainWindow, qtbot: QtBot, desk: Workspace) -> None:
    made = PlacesDialog(window, window.context)
    qtbot.addWidget(made)
    idle(qtbot, window)
    form = made.site_form
    type_into(form.name, "Shore")
    type_into(form.latitude, "north")
    made.save()
    assert made.problem.text() == "“north” is not a number; type the latitude again."
    assert form.latitude.property("wrong")
    assert sites(desk) == []  # nothing half-applied
    type_into(form.latitude, "53.9")
    type_into(form.longitude, "8.1")
    type_into(form.every, "30")
    made.save()
    idle(qtbot, window)
    [site] = sites(desk)
    assert site_facts(desk, site.id).visit_every_days == 30
    made.new_point()
    type_into(made.point_form.name, "Well")
    type_into(made.point_form.every, "15 min")
    made.point_form.duties["water_pressure"].setChecked(True)
    made.save()
    idle(qtbot, window)
    [point] = points(desk)
    facts = point_facts(desk, point.id)
    assert (facts.duty_channels, facts.duty_interval_s) == (("water_pressure",), 900)
    made.retire()
    idle(qtbot, window)
    assert points(desk)[0].retired
    assert made.retire_button.text() == "Reactivate"
    made.retire()
    idle(qtbot, window)
    assert not points(desk)[0].retired


def test_a_point_without_a_site_is_refused(window: MainWindow, qtbot: QtBot) -> None:
    made = PlacesDialog(window, window.context)
    qtbot.addWidget(made)
    idle(qtbot, window)
    made.new_point()
    assert "A point belongs to a site; add the site first." in made.problem.text()


# -- lives -----------------------------------------------------------------------------------------
def test_a_calibration_with_its_certificate(lab: Lab, qtbot: QtBot, tmp_path: Path) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    # days are typed on today's calendar, so the archive's clock is today's as well
    desk = open_workspace(lab.desk.archive.folder, computer=TrustedClock(), pins=MemoryPins())
    window = open_window(qtbot, desk)
    made = LoggerHistoryDialog(window, window.context, "D-2041")
    qtbot.addWidget(made)
    idle(qtbot, window)
    assert made.missions.rowCount() == 1
    type_into(made.words, "sent to the maker")
    again = LoggerHistoryDialog(window, window.context, "D-2041")  # closed before it was entered
    qtbot.addWidget(again)
    idle(qtbot, window)
    assert again.words.text() == "sent to the maker"
    type_into(made.words, "x")
    QTest.keyClick(made.words, Qt.Key.Key_Backspace)
    made.kind.setCurrentIndex(made.kind.findData("repair"))
    made.enter()
    idle(qtbot, window)
    assert made.problem.text() == "Enter what was done."
    made.kind.setCurrentIndex(made.kind.findData("calibration"))
    type_into(made.until, "2020-01-31")
    made.enter()
    idle(qtbot, window)
    assert "A calibration is valid until a later day; enter until when." in made.problem.text()
    paper = tmp_path / "paper.pdf"
    paper.write_bytes(b"%PDF")
    made.attach_certificate(paper)
    type_into(made.until, "31 Jan 2100")
    made.enter()
    idle(qtbot, window)
    assert made.problem.isHidden()
    [entry] = life(desk, "D-2041").services
    assert entry.certificate_name == "paper.pdf"
    assert made.services.item(0, 1).text() == "calibration"
    window.close()
    desk.close()


# -- rounds ----------------------------------------------------------------------------------------
def test_a_round_is_prepared_left_out_and_ended(lab: Lab, qtbot: QtBot) -> None:
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(60)
    window = open_window(qtbot, lab.desk)
    made = RoundDialog(window, window.context)
    qtbot.addWidget(made)
    idle(qtbot, window)
    made.make()
    idle(qtbot, window)
    assert "select at least one" in made.problem.text()
    made.sites.item(0).setCheckState(Qt.CheckState.Checked)
    made.make()
    idle(qtbot, window)
    under_way = open_round(lab.desk)
    assert under_way is not None
    assert "0 of 1 points done" in made.title.text()
    made.again.click()
    idle(qtbot, window)
    assert (open_round(lab.desk).tasks[0].plan is None) != (under_way.tasks[0].plan is None)
    type_into(made.reason, "flooded")
    window.context.archive_changed.emit()
    made._load()
    idle(qtbot, window)
    assert made.reason.text() == "flooded"
    QTest.keyClick(made.reason, Qt.Key.Key_Return)
    idle(qtbot, window)
    assert made.tasks.item(0, 5).text() == "left out: flooded"
    made.write_sheet()
    idle(qtbot, window)
    assert "round-" in made.problem.text()
    made.end()
    idle(qtbot, window)
    assert open_round(lab.desk) is None
    assert made.pages.currentIndex() == 0


# -- nothing at hand -------------------------------------------------------------------------------
def test_practice_loggers_start_are_found_and_are_marked(
    qtbot: QtBot, desk: Workspace, tmp_path: Path
) -> None:
    application()
    with PracticeFleet(tmp_path / "practice") as practice:
        window = MainWindow(desk, practice)
        qtbot.addWidget(window, before_close_func=lambda w: w.context.works.stop())
        window.show()
        window.show_place(places.FIELD_DESK)
        idle(qtbot, window)
        field = window.places[places.FIELD_DESK]
        assert field.middle.currentWidget() is field.nobody
        field.nobody.steps.practice.click()
        idle(qtbot, window)
        assert [c.serial for c in field.loggers.cards()] == sorted(PRACTICE_SERIALS)
        assert all(c.state.practice for c in field.loggers.cards())
        assert desk.settings.addresses == "127.0.0.1:1"  # never among the settings


def test_without_practice_none_is_offered(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.FIELD_DESK)
    idle(qtbot, window)
    field = window.places[places.FIELD_DESK]
    assert not hasattr(field.nobody.steps, "practice")
    assert "practice" not in [act.id for act in field.commands()]


def test_units_reach_trends_and_excursions(qtbot: QtBot, demo_desk: Workspace) -> None:
    from gezeiten.desk.record.views.records import record
    from gezeiten.desk.sites.places import point_named

    demo_desk.change_settings(replace(demo_desk.settings, unit_temperature="°F"))
    window = open_window(qtbot, demo_desk)
    point = point_named(demo_desk, "Cold room A")
    window.show_place(places.TRENDS, point.id)
    idle(qtbot, window)
    lane = window.places[places.TRENDS].lanes[0]
    values = record(demo_desk, point.id, "probe_temperature").values
    assert lane.unit == "°F"
    [trace] = lane.traces
    whole = trace.view.span
    assert whole is not None
    drawn = trace.picture((whole[0], whole[1] + 1), 1000).measured.values
    assert np.nanmax(drawn) == pytest.approx(values.max() * 1.8 + 32)
    assert [rule.value for rule in lane.rules_in(whole)] == pytest.approx([44.6, 33.8])
