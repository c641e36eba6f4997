"""Charts: ticks at round local times, marking with the mouse, the thousand-row board, refusals."""

from __future__ import annotations

import itertools
import sqlite3
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QScrollArea
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.settings import Settings
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.board import board
from gezeiten.desk.logger.launch.planning import save_plan
from gezeiten.desk.office.issuing import export_csv
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions
from gezeiten.desk.sites.places import add_point, point_named
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, from_ms, to_ms
from gezeiten.ui.charts.axes import TimeAxis
from gezeiten.ui.charts.chart_lanes import Lane
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.charts.limits import limit_labels, spread_apart
from gezeiten.ui.shell import app as ui_app
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.finder import Finder
from gezeiten.ui.shell.theme import LIGHT, THEMES, Theme
from gezeiten.ui.tideboard.canvas import BoardCanvas
from tests.conftest import STORE_PLAN, series_of
from tests.databases import behind_its_back
from tests.ui import eyes
from tests.ui_help import PATIENCE_MS, idle, open_window, press, trace_of_series, type_into

BERLIN = "Europe/Berlin"


@pytest.mark.parametrize("hours", [0.5, 6, 30, 60, 24 * 10, 24 * 90, 24 * 3000])
def test_ticks_stand_at_round_local_times(qapp: object, hours: float) -> None:
    axis = TimeAxis(BERLIN)
    start = to_ms(datetime(2026, 10, 24, 9, 7, tzinfo=UTC)) / 1000
    [(spacing, ticks)] = axis.tickValues(start, start + hours * 3600, 700)
    shown = [t for t in ticks if start <= t <= start + hours * 3600]
    assert len(shown) <= 9
    for tick in shown:
        local = from_ms(round(tick * 1000), BERLIN)
        if spacing >= 86_400:
            assert (local.hour, local.minute) == (0, 0)  # across the clock change too
        elif spacing > 3600:
            assert (local.hour % (spacing / 3600), local.minute) == (0, 0)
        else:
            assert local.minute % 5 == 0
    assert all(axis.tickStrings(ticks, 1.0, spacing))


def test_a_chart_of_hours_names_its_day(qapp: object) -> None:
    axis = TimeAxis(BERLIN)
    start = to_ms(datetime(2026, 10, 24, 9, 7, tzinfo=UTC)) / 1000
    for hours in (0.5, 6, 14):
        [(spacing, ticks)] = axis.tickValues(start, start + hours * 3600, 700)
        shown = [t for t in ticks if start <= t <= start + hours * 3600]
        words = axis.tickStrings(shown, 1.0, spacing)
        assert "24 Oct" in words[0] or "25 Oct" in " ".join(words)


@pytest.fixture
def chart(qtbot: QtBot) -> LaneChart:
    application()
    lane_chart = LaneChart(LIGHT, "Test")
    qtbot.addWidget(lane_chart)
    lane_chart.resize(800, 400)
    lane_chart.show()
    series = series_of([10 * i for i in range(1000)], [float(i % 60) for i in range(1000)])
    lane = Lane("Air temperature", "°C", 2, (trace_of_series("Store", series),))
    lane_chart.show_lanes([lane, lane], (0, DAY_MS), BERLIN)
    return lane_chart


def test_shift_and_drag_marks_a_stretch(chart: LaneChart, qtbot: QtBot) -> None:
    shift = Qt.KeyboardModifier.ShiftModifier
    with qtbot.waitSignal(chart.marked) as marked:
        view = chart.viewport()
        QTest.mousePress(view, Qt.MouseButton.LeftButton, shift, QPoint(200, 100))
        QTest.mouseMove(view, QPoint(400, 100))
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, shift, QPoint(500, 100))
    start, end = marked.args[0]
    assert 0 < start < end < DAY_MS
    assert len(chart._region) == 2  # the mark stands in every lane
    chart.set_mark(None)
    assert chart._region == []


def test_the_scale_follows_what_is_in_view(chart: LaneChart) -> None:
    chart.set_view((0, 2 * HOUR_MS))
    low, high = chart._drawn[0].plot.getViewBox().viewRange()[1]
    assert low <= 0 <= 12 <= high < 20


def turn_wheel(chart: LaneChart, clicks: int) -> None:
    at = QPointF(400, 100)
    QApplication.sendEvent(
        chart.viewport(),
        QWheelEvent(
            at,
            chart.viewport().mapToGlobal(at),
            QPoint(),
            QPoint(0, 120 * clicks),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        ),
    )


def test_the_wheel_zooms_about_the_pointer_and_views_go_back(chart: LaneChart) -> None:
    before = chart.view()
    turn_wheel(chart, 5)
    nearer = chart.view()
    assert nearer[1] - nearer[0] < (before[1] - before[0]) * 0.8
    assert nearer[0] > before[0]
    turn_wheel(chart, -60)
    for _ in range(60):
        chart.show_previous()
    assert chart.view() == pytest.approx(before, abs=2000)


def test_zooming_in_ends_at_five_minutes(chart: LaneChart) -> None:
    for _ in range(40):
        turn_wheel(chart, 15)
    start, end = chart.view()
    assert end - start >= 299_000


def test_a_view_of_no_length_is_not_shown(chart: LaneChart) -> None:
    before = chart.view()
    chart.set_view((5, 5))
    assert chart.view() == before


def test_the_finder_by_keyboard(qtbot: QtBot, tmp_path: Path) -> None:
    desk = open_workspace(tmp_path)
    desk.change_settings(Settings(addresses="127.0.0.1:1", serial_ports=""))
    window = open_window(qtbot, desk)
    press(window, "Ctrl+K")
    finder = next(c for c in window.children() if isinstance(c, Finder))
    QTest.keyClicks(finder.entry, "go to")
    assert [finder.hits.item(i).text().split("  ")[0] for i in range(7)] == [
        f"Go to {name}" for name in window.names
    ]
    QTest.keyClick(finder.entry, Qt.Key.Key_Down)
    QTest.keyClick(finder.entry, Qt.Key.Key_Return)
    idle(qtbot, window)
    assert window.stack.currentIndex() == places.FIELD_DESK
    desk.close()


def test_the_finder_goes_to_what_is_named(qtbot: QtBot, demo_desk: Workspace) -> None:
    now = demo_desk.now_ms()
    export_csv(demo_desk, point_named(demo_desk, "Cold room A"), (now - 2 * DAY_MS, now))
    save_plan(demo_desk, "Winter", STORE_PLAN, "Düne T2")
    window = open_window(qtbot, demo_desk)

    def find(words: str) -> None:
        press(window, "Ctrl+K")
        finder = [c for c in window.children() if isinstance(c, Finder)][-1]
        idle(qtbot, window)
        QTest.keyClicks(finder.entry, words)
        QTest.keyClick(finder.entry, Qt.Key.Key_Return)
        idle(qtbot, window)

    find("cold room b point")
    trends = window.places[places.TRENDS]
    assert [point.name for point in trends.points()] == ["Cold room B"]
    find("krabbenkoog site")
    assert window.stack.currentIndex() == places.TIDEBOARD
    assert window.places[places.TIDEBOARD].canvas.row.point.site == "Krabbenkoog"
    find("P-0321 logger")
    life_ = next(
        w for w in QApplication.topLevelWidgets() if type(w).__name__ == "LoggerHistoryDialog"
    )
    assert life_.which.currentText().startswith("P-0321")
    life_.close()
    window.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is window, timeout=PATIENCE_MS)
    find("csv document")
    handover = window.places[places.HANDOVER]
    assert window.stack.currentIndex() == places.HANDOVER
    assert handover.table.item(handover.table.currentRow(), 4).text().endswith(".csv")
    assert handover.chosen().name == "Cold room A"


def test_a_thousand_points_are_painted_as_far_as_seen(qtbot: QtBot, tmp_path: Path) -> None:
    desk = open_workspace(tmp_path)
    with desk.archive.writing() as session:
        from gezeiten.archive.queries.sites import find_or_add_point

        for i in range(1000):
            find_or_add_point(
                session, f"Site {i // 50} · Point with a rather long name {i}", desk.authorship
            )
    add_point(desk, "Site 0 · One more")
    desk.change_settings(Settings(addresses="127.0.0.1:1", serial_ports=""))
    window = open_window(qtbot, desk)
    canvas: BoardCanvas = window.places[places.TIDEBOARD].canvas
    assert canvas.model.point_count == len(canvas.model.lines) == 1001  # needs first: no heads
    canvas.setFocus()
    for _ in range(60):
        press(window, "Down")
    assert canvas.row is not None
    top = canvas._top(canvas.model.current)
    assert canvas.visibleRegion().boundingRect().contains(100, round(top) + 5)
    assert len(board(desk).sites) == 20
    desk.close()


def test_a_locked_archive_is_one_sentence_in_the_window(qtbot: QtBot, demo_desk: Workspace) -> None:
    window = open_window(qtbot, demo_desk)
    window.show_place(places.EXCURSIONS)
    idle(qtbot, window)
    place = window.places[places.EXCURSIONS]
    event = next(e for e in excursions(demo_desk) if not e.is_settled)
    place.show_target(event.id)
    idle(qtbot, window)
    press(window, "Alt+3")
    type_into(place.words, "Fuse.")
    other = sqlite3.connect(demo_desk.archive.folder / "archive.db", isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert "Another program is writing to the archive" in window.message.text()
    other.execute("ROLLBACK")
    other.close()
    assert place.words.toPlainText() == "Fuse."  # nothing typed is lost
    press(window, "Ctrl+Return")
    idle(qtbot, window)
    assert next(e for e in excursions(demo_desk) if e.id == event.id).is_settled


def test_an_interrupted_offload_is_taken_in_when_the_window_opens(
    qtbot: QtBot, demo_desk: Workspace, tmp_path: Path
) -> None:
    vault = demo_desk.archive.vault
    raw = vault.get(next(iter(vault.fingerprints())))
    workspace = open_workspace(tmp_path / "fresh")
    workspace.change_settings(Settings(addresses="127.0.0.1:1", serial_ports=""))
    (workspace.archive.incoming / "X.part").write_bytes(raw)
    window = open_window(qtbot, workspace)
    assert "An interrupted offload was imported." in window.message.text()
    assert window.places[places.TIDEBOARD].canvas.board.sites
    workspace.close()


def test_an_archive_from_a_newer_version_is_said_before_the_window(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_workspace(tmp_path).close()
    with behind_its_back(tmp_path / "archive.db") as raw:
        raw.execute("UPDATE alembic_version SET version_num = '9999'")
    said: list[str] = []
    monkeypatch.setattr(
        ui_app.QMessageBox, "critical", lambda _parent, _title, text: said.append(text)
    )
    assert ui_app.run(tmp_path, tmp_path / "settings.json") == 5
    assert "newer Gezeiten; update this one, nothing was changed." in said[0]


# -- lanes of several points -----------------------------------------------------------------------
def lane_of(names: list[str], limits: dict[str, float] | None = None) -> Lane:
    """Several lines in one lane; limits: "above" limits by the name of the point that has one."""
    traces = []
    for i, name in enumerate(names):
        series = series_of(
            [10 * k for k in range(500)], [float(k % 40 + 5 * i) for k in range(500)]
        )
        rules = (
            (LimitRule("air_temperature", "above", limits[name]),) if name in (limits or {}) else ()
        )
        traces.append(replace(trace_of_series(name, series), rules=rules))
    return Lane("Air temperature", "°C", 1, tuple(traces))


def test_lines_differ_by_their_marks_as_well_as_by_colour(chart: LaneChart) -> None:
    names = ["A", "B", "C", "D", "E"]
    chart.show_lanes([lane_of(names)], (0, DAY_MS), BERLIN)
    [drawn] = chart._drawn
    assert len({marks.opts["symbol"] for marks in drawn.marks}) == 5
    assert all(len(marks.data) >= 5 for marks in drawn.marks)
    assert all(
        f"{sign} {name}" in chart._title(drawn.lane)
        for sign, name in zip("●■◆✖✚", names, strict=True)
    )
    for marks, trace in zip(drawn.marks, drawn.lane.traces, strict=True):  # they lie on their line
        for x, y in zip(marks.data["x"], marks.data["y"], strict=True):
            assert trace.nearest(round(x * 1000)) == y


@pytest.mark.parametrize("theme", THEMES.values(), ids=lambda t: t.name)
def test_five_lines_can_be_told_apart_and_none_is_a_limit(theme: Theme) -> None:
    assert len(theme.lines) == len(set(theme.lines)) == 5
    for line in theme.lines:
        assert eyes.contrast(QColor(line), QColor(theme.paper)) >= 3  # WCAG 2.2, 1.4.11
        for limit in (theme.ember, theme.plum):
            hues = [QColor(one).hslHueF() * 360 for one in (line, limit)]
            saturated = QColor(line).hslSaturationF() > 0.3
            assert not saturated or abs((hues[0] - hues[1] + 180) % 360 - 180) > 20
    if theme.name == "sun":
        ordered = sorted(theme.lines, key=lambda one: eyes.luminance(QColor(one)))
        for one, other in itertools.pairwise(ordered):
            assert eyes.contrast(QColor(one), QColor(other)) >= 1.25


def test_limits_are_named_by_point_and_stand_beside_the_lane(chart: LaneChart) -> None:
    lane = lane_of(["Cold room A", "Cold room B"], {"Cold room A": 30.0, "Cold room B": 30.5})
    chart.show_lanes([lane], (0, DAY_MS), BERLIN)
    assert [words for _, words, _ in limit_labels(lane, (0, DAY_MS))] == [
        "▲ 30.0 Cold room A",
        "▲ 30.5 Cold room B",
    ]
    shared = lane_of(["Cold room A", "Cold room B"], {"Cold room A": 30.0, "Cold room B": 30.0})
    assert [words for _, words, _ in limit_labels(shared, (0, DAY_MS))] == ["▲ 30.0"]
    [drawn] = chart._drawn
    inside = drawn.plot.getViewBox().sceneBoundingRect()
    assert drawn.limits.sceneBoundingRect().left() >= inside.right() - 1


@given(st.lists(st.floats(0, 300), min_size=1, max_size=8))
def test_words_pushed_apart_never_lie_on_each_other(centers: list[float]) -> None:
    placed = spread_apart(centers, 16, 0, 300)
    ordered = sorted(placed)
    assert all(b - a >= 16 - 1e-6 for a, b in itertools.pairwise(ordered))
    assert ordered[0] >= 8 - 1e-6
    assert ordered[-1] <= 292 + 1e-6
    order = sorted(range(len(centers)), key=lambda i: centers[i])
    assert [placed[i] for i in order] == ordered  # none passes another


def test_a_lane_without_a_reading_says_so_and_invents_no_scale(chart: LaneChart) -> None:
    chart.show_lanes([lane_of(["A"])], (0, DAY_MS), BERLIN)
    [drawn] = chart._drawn
    scale = drawn.plot.getViewBox().viewRange()[1]
    chart.set_view((40 * DAY_MS, 41 * DAY_MS))
    assert drawn.no_readings is not None
    assert drawn.no_readings.isVisible()
    assert drawn.plot.getViewBox().viewRange()[1] == scale
    chart.set_view((0, DAY_MS))
    assert not drawn.no_readings.isVisible()


@pytest.fixture
def area(chart: LaneChart) -> Iterator[QScrollArea]:
    """The chart in its scroll area; taken out of it again, for the chart ends by itself and an area
    that ends with it inside would end it twice."""
    around = chart.scroll()
    yield around
    around.takeWidget()
    around.deleteLater()


def test_lanes_too_low_to_be_read_scroll(chart: LaneChart, area: QScrollArea) -> None:
    area.resize(700, 420)
    area.show()
    chart.show_lanes([lane_of(["A"]) for _ in range(9)], (0, DAY_MS), BERLIN)
    QApplication.processEvents()
    heights = [drawn.plot.sceneBoundingRect().height() for drawn in chart._drawn]
    assert min(heights) >= 90
    assert area.verticalScrollBar().maximum() > 0
    QTest.keyClick(chart, Qt.Key.Key_PageDown)
    assert area.verticalScrollBar().value() > 0
    assert all(d.plot.getAxis("bottom").style["showValues"] for d in chart._drawn)
