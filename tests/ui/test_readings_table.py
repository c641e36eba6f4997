"""Readings as a table, opened where people stand: at an excursion, in Trends, at a gap."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QItemSelectionModel, QLocale, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.record.statements.remarks import remarks
from gezeiten.desk.record.views.records import record
from gezeiten.ui.format.i18n import number_to_copy
from gezeiten.ui.mend.provenance_dialog import ProvenanceDialog
from gezeiten.ui.points.remarks_dialog import RemarksDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.trends.readings_table import ReadingsWindow
from tests.ui_help import idle, press


def opened(window: MainWindow, qtbot: QtBot) -> ReadingsWindow:
    idle(qtbot, window)
    shown = [one for one in QApplication.topLevelWidgets() if isinstance(one, ReadingsWindow)]
    assert shown[-1].model is not None
    return shown[-1]


def test_an_excursions_readings_begin_where_it_does(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    event = window.places[places.EXCURSIONS]._event
    press(window, "Alt+R")
    rows = opened(window, qtbot)
    at = rows.view.currentIndex().row()
    assert rows.model.table.time_ms(at) == event.start_ms
    rows.only.setCurrentIndex(1)
    idle(qtbot, window)
    series = record(demo_desk, event.point.id, event.rule.channel).between(*rows.model.table.span)
    outside = event.rule.outside_at(series.times_utc_ms, series.values, event.point.zone)
    assert len(rows.model.table) >= int(outside.sum()) > 0
    QTest.keyClick(rows, Qt.Key.Key_H, Qt.KeyboardModifier.ControlModifier)
    at = rows.view.currentIndex().row()
    assert rows.model.table.cell(at, 0).value == series.values.max()
    QTest.keyClick(rows, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    idle(qtbot, window)
    lines = QGuiApplication.clipboard().text().split("\n")
    assert len(lines) == 1 + len(rows.model.table)
    assert lines[0].startswith("Time at the site (Europe/Berlin)\tUTC\t")
    assert "T" in lines[1].split("\t")[1]
    heads = lines[0].split("\t")
    assert heads[3::3][:1] == ["Limit"]
    copied = [line.split("\t")[2:4] for line in lines[1:]]
    held = [rows.model.table.cell(i, 0) for i in range(len(rows.model.table))]
    assert [float(value) for value, _ in copied] == [
        pytest.approx(cell.value, abs=0.051) for cell in held
    ]
    assert [limit for _, limit in copied] == [cell.mark for cell in held]
    assert {limit for _, limit in copied} == {"above"}  # only those outside are shown
    rows.close()


@pytest.mark.parametrize(
    ("region", "wanted"),
    [
        ("en_GB", "-13392917.25"),
        ("de_DE", "-13392917,25"),
        ("sv_SE", "-13392917,25"),
        ("fr_FR", "-13392917,25"),
        ("de_CH", "-13392917.25"),
    ],
)
def test_numbers_are_copied_as_spreadsheets_of_the_region_read_them(
    region: str, wanted: str
) -> None:
    before = QLocale()
    QLocale.setDefault(QLocale(region))
    try:
        assert number_to_copy(-13_392_917.25, 2) == wanted
    finally:
        QLocale.setDefault(before)


def test_what_trends_shows_is_what_the_table_holds(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.TRENDS)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    press(window, "Alt+R")
    rows = opened(window, qtbot)
    assert rows.model.table.span == trends.chart.view()
    assert len(rows.model.table.columns) == len(trends.points()[0].channels)
    QTest.keyClick(rows, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    idle(qtbot, window)
    assert rows.by_day.rowCount() == len(rows.model.table.days(0)) > 1
    rows.by_day.setCurrentCell(1, 0)
    rows._open_day()
    assert rows.pages.currentIndex() == 0
    rows.close()


def test_a_gap_lies_in_the_middle_of_its_rows(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.MEND)
    idle(qtbot, window)
    booked = next(one for one in gaps(demo_desk) if one.state == "open")
    window.places[places.MEND].show_target(booked.key)
    idle(qtbot, window)
    gap = booked.gap
    press(window, "Alt+R")
    rows = opened(window, qtbot)
    table = rows.model.table
    assert table.span[0] < gap.start_ms < gap.end_ms < table.span[1]
    inside = (table.times_utc_ms >= gap.start_ms) & (table.times_utc_ms < gap.end_ms)
    assert not inside.any()
    rows.close()


def test_a_remark_and_a_story_where_the_rows_are_seen(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.TRENDS)
    idle(qtbot, window)
    press(window, "Alt+R")
    rows = opened(window, qtbot)
    point = rows.model.table.columns[1].point
    rows.view.setCurrentIndex(rows.model.index(5, 4))  # the second series
    QTest.keyClick(rows, Qt.Key.Key_S, Qt.KeyboardModifier.AltModifier)
    idle(qtbot, window)
    story = next(one for one in rows.findChildren(ProvenanceDialog) if one.isVisible())
    assert story.series.key == rows.model.table.columns[1].key
    story.close()
    rows.activateWindow()
    qtbot.waitUntil(rows.isActiveWindow)
    for at, how in ((2, _CHOOSE), (6, _CHOOSE | QItemSelectionModel.SelectionFlag.Rows)):
        rows.view.selectionModel().select(rows.model.index(at, 4), how)
    QTest.keyClick(rows, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    idle(qtbot, window)
    remark = next(one for one in rows.findChildren(RemarksDialog) if one.isVisible())
    begin, end = (
        field.instant_ms(point.zone) for field in (remark.period.since, remark.period.until)
    )
    minute = 60_000  # shown to the minute
    assert begin // minute == rows.model.table.time_ms(2) // minute
    assert end // minute == rows.model.table.time_ms(6) // minute
    remark.words.setText("The door stood open.")
    remark.write()
    idle(qtbot, window)
    assert [one.text for one in remarks(demo_desk, point.id)][-1] == "The door stood open."
    rows.close()


_CHOOSE = QItemSelectionModel.SelectionFlag.Select
