"""Numbers on the axes of lanes: short enough to stand there, none below zero of what cannot be."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QFontMetricsF
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.base.wording import axis_text, power_of
from gezeiten.ui.charts.axes import ValueAxis
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle


@pytest.mark.parametrize(
    ("values", "spacing", "words"),
    [
        ([0.0, 1e7, 2e7], 1e7, ["0", "10·10⁶", "20·10⁶"]),
        ([0.0, 2.5e6, 5e6], 2.5e6, ["0", "2.5·10⁶", "5.0·10⁶"]),
        ([0.0, 50_000.0, 100_000.0], 50_000.0, ["0", "50·10³", "100·10³"]),
        ([0.0, 40_000.0, 80_000.0], 40_000.0, ["0", "40000", "80000"]),
        ([19.5, 20.0], 0.5, ["19.5", "20.0"]),
        ([0.0, 2.5], 2.5, ["0.0", "2.5"]),
        ([3.0, 3.01], 0.01, ["3.00", "3.01"]),
    ],
)
def test_large_numbers_are_said_with_a_power_of_ten(
    qtbot: QtBot, values: list[float], spacing: float, words: list[str]
) -> None:
    axis = ValueAxis()
    assert [one.replace(",", "") for one in axis.tickStrings(values, 1.0, spacing)] == words
    metrics = QFontMetricsF(axis.font())
    assert max(metrics.horizontalAdvance(one) for one in words) < 54


def test_numbers_in_documents() -> None:
    assert [power_of(one) for one in (0.0, 99_999.0, 1e5, 9.99e5, 1e6, 2e9)] == [0, 0, 3, 3, 6, 9]
    assert axis_text(2.34e7, 5e7, 1) == "23.4·10⁶"
    assert axis_text(0.0, 5e7, 1) == "0"
    assert axis_text(1234.5, 2000.0, 1) == "1,234.5"


def test_no_axis_of_counts_begins_below_zero(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    window.show_place(places.TRENDS, point_named(demo_desk, "Paint hall").id)
    idle(qtbot, window)
    trends = window.places[places.TRENDS]
    counted = [drawn for drawn in trends.chart._drawn if drawn.lane.is_non_negative]
    assert counted
    for drawn in counted:
        low, high = drawn.plot.getViewBox().viewRange()[1]
        assert low >= 0
        assert high > low
    assert not all(drawn.lane.is_non_negative for drawn in trends.chart._drawn)
