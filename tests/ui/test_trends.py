"""Trends: lanes, views, marks, and the figures of a stretch."""

from __future__ import annotations

import re
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
import pypdf
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot
from sqlalchemy import text

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.office.issuing import export_csv, export_pdf
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.trends.period_dialog import GoToDay, PeriodDialog
from gezeiten.ui.trends.place import TrendsPlace
from tests.ui_help import idle, press, type_into


def test_lanes_of_several_points_share_one_axis(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.TRENDS)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    for item in trends._items():
        ticked = item.text(0) in ("Cold room A", "Cold room B")
        item.setCheckState(0, Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
    idle(qtbot, window)
    assert [len(lane.traces) for lane in trends.lanes] == [2, 2]
    first, second = trends.chart._drawn
    assert first.plot.getViewBox().viewRange()[0] == second.plot.getViewBox().viewRange()[0]


def test_views_go_back_and_forth(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.TRENDS)
    idle(qtbot, window)
    chart = window.places[places.TRENDS].chart
    first = chart.view()
    press(window, "Alt+1")
    day = chart.view()
    assert day[1] - day[0] == pytest.approx(DAY_MS, rel=0.01)
    chart.show_previous()
    assert chart.view() == pytest.approx(first, abs=2000)
    chart.forth()
    assert chart.view() == pytest.approx(day, abs=2000)


def test_wheel_and_keys_zoom_and_move(window: MainWindow, qtbot: QtBot) -> None:
    window.show_place(places.TRENDS)
    idle(qtbot, window)
    chart = window.places[places.TRENDS].chart
    start, end = chart.view()
    QTest.keyClick(chart, Qt.Key.Key_Plus)
    nearer = chart.view()
    assert nearer[1] - nearer[0] == pytest.approx((end - start) * 0.6, rel=0.01)
    QTest.keyClick(chart, Qt.Key.Key_Left)
    assert chart.view()[0] < nearer[0]


def figures_shown(trends: TrendsPlace) -> list[str]:
    shown = [trends.figures.table.itemAt(i).widget() for i in range(trends.figures.table.count())]
    return [w.text() for w in shown if hasattr(w, "text")]


def test_numbers_of_a_marked_stretch_are_those_of_the_record(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Tank 2")
    window.show_place(places.TRENDS, point.id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    _, end = trends.chart.view()
    span = (end - 2 * DAY_MS, end - DAY_MS)
    trends.chart.set_mark(span)
    idle(qtbot, window)
    values = record(demo_desk, point.id, "water_temperature").between(*span).values
    texts = figures_shown(trends)
    assert f"{len(values)}" in texts
    assert f"{values.min():.2f}" in texts
    assert f"{values.max():.2f}" in texts
    trends.hand_over.click()
    idle(qtbot, window)
    handover = window.places[places.HANDOVER]
    assert handover.chosen().name == "Tank 2"
    assert handover.span()[0] <= span[0] + 60_000


def test_the_figures_of_every_line_are_there(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Outdoor mast")
    window.show_place(places.TRENDS, point.id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    span = trends.chart.view()
    texts = figures_shown(trends)
    assert len(point.channels) == 5  # more than fit side by side
    for channel in ("co2", "air_temperature", "relative_humidity"):
        values = record(demo_desk, point.id, channel).between(*span).values
        decimals = quantity(channel).decimals
        assert f"{np.nanmax(values):.{decimals}f}" in texts


def test_the_cursor_shows_values(window: MainWindow, qtbot: QtBot, demo_desk: Workspace) -> None:
    point = point_named(demo_desk, "Cold room B")
    window.show_place(places.TRENDS, point.id)
    idle(qtbot, window)
    chart = window.places[places.TRENDS].chart
    series = record(demo_desk, point.id, "probe_temperature")
    at = int(series.times_utc_ms[-10])
    chart.set_cursor(at)
    assert f"{series.values[-10]:.2f} °C" in chart._drawn[0].value.toPlainText()
    chart.set_cursor(demo_desk.now_ms() - 18 * DAY_MS)  # the probe was off
    assert "no reading" in chart._drawn[0].value.toPlainText()


def test_a_length_wished_while_a_record_loads_is_shown_once_it_has(
    window: MainWindow, qtbot: QtBot
) -> None:
    window.show_place(places.TRENDS)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    other = next(i for i in trends._items() if i.text(0) == "Cold room A")
    other.setCheckState(0, Qt.CheckState.Checked)
    assert trends.model.is_loading
    press(window, "Alt+2")
    idle(qtbot, window)
    start, end = trends.chart.view()
    assert end - start == pytest.approx(7 * DAY_MS, rel=0.01)
    assert len(trends.points()) == 2


def test_a_mark_is_typed_zoomed_to_and_goes_where_no_record_is(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.TRENDS, point_named(demo_desk, "Textile store").id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    press(window, "Ctrl+I")
    dialog = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PeriodDialog))
    type_into(dialog.since, "20 Nov 2026 06:00")
    type_into(dialog.until, "2026-11-19T06:00")
    dialog._accept(zoom=True)
    assert dialog.problem.text().startswith("The period ends before it begins;")
    type_into(dialog.until, "21 November 2026 6:00 PM")
    dialog._accept(zoom=True)
    berlin = ZoneInfo("Europe/Berlin")
    marked = tuple(
        round(datetime(2026, 11, day, hour, tzinfo=berlin).timestamp() * 1000)
        for day, hour in ((20, 6), (21, 18))
    )
    assert trends.chart.mark == marked
    assert trends.chart.view() == pytest.approx(marked, abs=2000)
    press(window, "Alt+3")
    press(window, "Ctrl+J")
    assert trends.chart.view() == pytest.approx(marked, abs=2000)
    press(window, "Ctrl+G")
    day = next(w for w in QApplication.topLevelWidgets() if isinstance(w, GoToDay))
    type_into(day.day, "18 Nov 2026")
    QTest.keyClick(day.day, Qt.Key.Key_Return)
    midnight = round(datetime(2026, 11, 18, tzinfo=berlin).timestamp() * 1000)
    assert trends.chart.view() == pytest.approx((midnight, midnight + DAY_MS), abs=2000)
    # a mark before the tank was ever recorded
    trends.chart.set_mark((marked[0] - 900 * DAY_MS, marked[0] - 899 * DAY_MS))
    other = next(i for i in trends._items() if i.text(0) == "Display case 7")
    other.setCheckState(0, Qt.CheckState.Checked)
    idle(qtbot, window)
    assert trends.chart.mark is None
    assert window.message.text().startswith(
        "The mark was cleared: these points have no record there."
    )


def test_figures_of_three_points_with_long_names_are_never_cut(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    with demo_desk.archive.writing() as session:
        session.execute(text("UPDATE point SET name = name || ' behind the northern lock'"))
    for percent in (100, 150):
        window._change(font_percent=percent)
        window.show_place(places.TRENDS)
        window.places[places.TRENDS].refresh()
        idle(qtbot, window)
        trends = window.places[places.TRENDS]
        for item in trends._items():
            ticked = item.text(0).startswith(("Textile", "Display", "Tower"))
            item.setCheckState(0, Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        idle(qtbot, window)
        QApplication.processEvents()
        shown = [
            trends.figures.table.itemAt(i).widget() for i in range(trends.figures.table.count())
        ]
        labels = [w for w in shown if isinstance(w, QLabel)]
        assert sum("behind the northern lock" in w.text() for w in labels) == 6
        for label in labels:
            widest = max(
                (label.fontMetrics().horizontalAdvance(word) for word in label.text().split()),
                default=0,
            )
            assert widest <= label.width() + 1, (percent, label.text())
            if label.wordWrap():
                assert label.heightForWidth(label.width()) <= label.height() + 1, label.text()


def test_the_figures_of_a_month_agree_on_screen_in_csv_and_on_paper(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace, tmp_path: Path
) -> None:
    point = point_named(demo_desk, "Cold room A")
    end = demo_desk.now_ms() // 3_600_000 * 3_600_000
    month = (end - 30 * DAY_MS, end)
    window.show_place(places.TRENDS, places.TrendsRequest(point.id, month))
    idle(qtbot, window)
    shown = figures_shown(window.places[places.TRENDS])
    frame = pl.read_csv(export_csv(demo_desk, point, month, tmp_path / "m.csv").path)
    pages = pypdf.PdfReader(export_pdf(demo_desk, point, month, tmp_path / "m.pdf").path).pages
    paper = " ".join(" ".join(page.extract_text() for page in pages).split())
    for name in ("Store temperature", "Room around the store"):
        values = frame[f"{name} [°C]"].drop_nulls()
        low, high, mean = (f"{v:.2f}" for v in (values.min(), values.max(), values.mean()))
        assert {low, high, f"{len(values):,}"} <= set(shown)
        # readings are evenly held but for what is missing: the plain mean is near the weighted one
        assert any(
            abs(float(mean) - float(text)) < 0.02
            for text in shown
            if text.count(".") == 1 and text.replace(".", "").isdigit()
        )
        assert re.search(rf"Whole {low} \d\d-\d\d \d\d:\d\d {high} \d\d-\d\d", paper)
