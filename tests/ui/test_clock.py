"""A logger's clock put right in the real window, and what is typed for it."""

from __future__ import annotations

import re

import numpy as np
import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.gaps import gaps_of_calculated
from gezeiten.desk.record.statements.corrections import chain, withdraw_correction
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named, points
from gezeiten.errors import InputError
from gezeiten.ui.mend.chain_dialog import ChainDialog
from gezeiten.ui.mend.clock_dialog import ClockDialog
from gezeiten.ui.mend.clock_texts import parsed_shift_ms
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle, type_into

KEY = "probe_temperature"


@pytest.mark.parametrize(
    ("typed", "ms"),
    [
        ("45", 45_000),
        ("-2:30", -150_000),
        ("+1:00:00", 3_600_000),
        (" \u221212:00:05 ", -43_205_000),
    ],
)
def test_an_amount_of_time_is_typed(typed: str, ms: int) -> None:
    assert parsed_shift_ms(typed) == ms


@pytest.mark.parametrize("typed", ["", "an hour", "1:2:3:4", "1:-2", "1.5"])
def test_what_is_no_amount_is_said(typed: str) -> None:
    with pytest.raises(
        InputError, match=r"is not a time shift; type it like -1:00:00, or 45 for seconds\."
    ):
        parsed_shift_ms(typed)


def test_a_clock_is_moved_by_hand_and_back(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    point = point_named(demo_desk, "Cold room B")
    before = record(demo_desk, point.id, KEY)
    chain = ChainDialog(window, window.context, point, KEY)
    qtbot.addWidget(chain)
    chain.show()
    idle(qtbot, window)
    dialog = ClockDialog(chain, window.context, point, KEY)
    dialog.finished.connect(lambda _: chain._load())
    dialog.open()
    idle(qtbot, window)
    assert dialog.table.rowCount() >= 2  # its launch, and each offload since
    dialog.way.setCurrentIndex(dialog.way.findData("contacts"))
    idle(qtbot, window)
    assert dialog.trial is not None
    assert "at the launch" in dialog.figures.text()
    dialog.way.setCurrentIndex(dialog.way.findData("amount"))
    dialog.amount.setText("-1:00:00")
    dialog.amount.editingFinished.emit()
    idle(qtbot, window)
    assert dialog.trial is not None
    dialog.words.setText("set to local time")
    dialog.keep()
    idle(qtbot, window)
    if "present instants" in dialog.problem.text():
        pytest.fail(dialog.problem.text())
    moved = record(demo_desk, point.id, KEY)
    its = np.isin(moved.times_utc_ms + 3_600_000, before.times_utc_ms)
    assert its.mean() > 0.9
    assert "set to local time" in dialog.now.text()
    dialog.accept()
    idle(qtbot, window)
    rows = [[chain.table.item(i, j).text() for j in (0, 1)] for i in range(chain.table.rowCount())]
    assert [words for name, words in rows if name == "Clock"] == ["R-1109, mission 12: -3600 s"]
    dialog.open()
    dialog.switch()
    idle(qtbot, window)
    assert "Enter a reason" in dialog.problem.text()
    for why, button, times in (
        ("try without", "Enable", before.times_utc_ms),
        ("it was right", "Disable", moved.times_utc_ms),
    ):
        dialog.words.setText(why)
        dialog.switch()
        idle(qtbot, window)
        assert dialog.switch_button.text() == button
        assert record(demo_desk, point.id, KEY).times_utc_ms.tolist() == times.tolist()
    dialog.withdraw()
    idle(qtbot, window)
    assert not dialog.switch_button.isEnabled()
    assert record(demo_desk, point.id, KEY).times_utc_ms.tolist() == before.times_utc_ms.tolist()


def test_a_neighbour_says_how_a_clock_was_set(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    """Two piezometers in the same marsh: nothing clear is claimed where a tide goes with a tide."""
    point = point_named(demo_desk, "Piezometer K1")
    dialog = ClockDialog(window, window.context, point, "water_pressure")
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    names = [dialog.other.itemText(i) for i in range(dialog.other.count())]
    at = next(i for i, name in enumerate(names) if name.startswith("Absolute pressure"))
    dialog.other.setCurrentIndex(at)
    dialog.way.setCurrentIndex(dialog.way.findData("data"))
    idle(qtbot, window)
    assert "Changes match to" in dialog.figures.text()


def test_what_a_level_loses_is_said_before_and_stands_in_mend_after(
    window: MainWindow, qtbot: QtBot, demo_desk: Workspace
) -> None:
    barometer = next(
        point
        for point in points(demo_desk)
        if "air_pressure" in {its.channel for its in point.measured}
    )
    creek = point_named(demo_desk, "Creek gauge")
    level = next(
        channel.channel for channel in creek.channels if channel.channel.startswith("water_level")
    )
    for step in chain(demo_desk, creek, level).corrections:
        withdraw_correction(demo_desk, creek, step)  # a tie rests on the present instants
    dialog = ClockDialog(window, window.context, barometer, "air_pressure")
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    dialog.way.setFocus()
    dialog.way.setCurrentIndex(dialog.way.findData("amount"))
    type_into(dialog.amount, "720:00:00")
    qtbot.keyClick(dialog.amount, Qt.Key.Key_Tab)
    idle(qtbot, window)
    assert re.search(
        r"Water level of .+ loses [\d,]+ of its [\d,]+ values there", dialog.figures.text()
    )
    type_into(dialog.words, "set to another month")
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    idle(qtbot, window)
    gap = gaps_of_calculated(demo_desk)[0]
    assert gap.reason.startswith("no air pressure of")
    window.show_place(places.MEND, gap.key)
    idle(qtbot, window)
    mend = window.places[places.MEND]
    assert mend.list.selected().key == gap.key
    assert "not calculated" in mend.picture.title.text()
    assert not mend.fill_button.isEnabled()
    assert not mend.leave_button.isEnabled()
    assert gap.reason in mend.offers.logger_cells[0].text()
