"""How a sensor hangs, said in the real window: a cut pipe asks whether the sensor came along."""

from __future__ import annotations

from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.sensor_depths import sensor_depths_of
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.points.sensor_depth_dialog import SensorDepthDialog
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle


def test_a_cut_pipe_asks_whether_the_sensor_came_along(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Piezometer K1")
    now = round(demo_desk.now_ms())
    dialog = SensorDepthDialog(window, window.context, point, 3.2)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    assert not dialog.way.isEnabled()  # nothing to come along with yet
    dialog.since.show_instant(now - 60 * DAY_MS, point.zone)
    dialog.length.setText("8.4")
    dialog.length.editingFinished.emit()
    assert dialog.figures.text() == "The sensor is then -5.200 m above datum."
    dialog.keep()
    idle(qtbot, window)
    assert "Enter a reason" in dialog.problem.text()
    dialog.words.setText("levelled")
    dialog.keep()
    idle(qtbot, window)
    assert dialog.table.rowCount() == 1
    dialog.since.show_instant(now - 10 * DAY_MS, point.zone)
    dialog.rim.setText("3.08")
    for way, length, sensor in (("with", "8.400", "-5.320"), ("stayed", "8.280", "-5.200")):
        dialog.way.setCurrentIndex(dialog.way.findData(way))
        assert (dialog.length.text(), dialog.length.isEnabled()) == (length, False)
        assert f"is then {sensor} m above datum, before -5.200 m" in dialog.figures.text()
    dialog.words.setText("pipe cut by 12 cm")
    dialog.keep()
    idle(qtbot, window)
    assert [
        (sensor_depth.depth.rim_m, round(sensor_depth.depth.length_m, 3))
        for sensor_depth in sensor_depths_of(demo_desk, point)
    ] == [(3.2, 8.4), (3.08, 8.28)]
    dialog.table.setCurrentCell(1, 0)
    dialog.withdraw()
    idle(qtbot, window)
    assert dialog.table.rowCount() == 1
    dialog.rim.setText("high")
    dialog.keep()
    assert "Reference mark above datum, m" in dialog.problem.text()
