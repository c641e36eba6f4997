"""A series day by day in the real window, held against another library, and handed over."""

from __future__ import annotations

import csv
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import polars as pl
import pytest
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.views.records import record
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.points.days_dialog import DaysDialog
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import idle

KEY = "probe_temperature"


def test_degree_days_of_a_store(
    window: MainWindow,
    qtbot: QtBot,
    demo_desk: Workspace,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    room = point_named(demo_desk, "Cold room A")
    series = record(demo_desk, room.id, KEY)
    end = int(series.times_utc_ms[-1])
    dialog = DaysDialog(window, window.context, room, (end - 40 * DAY_MS, end), KEY)
    qtbot.addWidget(dialog)
    dialog.show()
    idle(qtbot, window)
    # by the hour at which the demonstration was made the stretch touches 40, 41 or 42 local days
    first, last = (
        datetime.fromtimestamp(at / 1000, ZoneInfo(room.zone)).date()
        for at in (end - 40 * DAY_MS, end - 1)
    )
    assert dialog.table.rowCount() == (last - first).days + 1
    assert not dialog.base.isVisible()
    dialog.kind.setCurrentIndex(dialog.kind.findData("heating"))
    dialog.base.setText("warm")
    dialog.base.editingFinished.emit()
    assert "is not a number" in dialog.words.text()
    dialog.base.setText("8")
    dialog.base.editingFinished.emit()
    idle(qtbot, window)
    assert "K d in total" in dialog.words.text()
    target = str(tmp_path / "days.csv")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (target, ""))
    dialog.export.click()
    idle(qtbot, window)
    with (tmp_path / "days.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    # whole days of even readings: the plain mean of max(0, 8 - T) is the held one
    table = pl.DataFrame({"at": series.times_utc_ms, "t": series.values}).with_columns(
        pl.from_epoch("at", time_unit="ms")
        .dt.replace_time_zone("UTC")
        .dt.convert_time_zone("Europe/Berlin")
        .dt.date()
        .alias("day")
    )
    wanted = table.group_by("day").agg(
        (8 - pl.col("t")).clip(lower_bound=0).mean().alias("d"), pl.len().alias("n")
    )
    by_day = {f"{day}": (d, n) for day, d, n in wanted.iter_rows()}
    full = [row for row in rows if by_day[row["day"]][1] == 288]
    assert len(full) > 30
    for row in full[1:-1]:
        assert float(row["degree_days_K_d"]) == pytest.approx(by_day[row["day"]][0], abs=2e-2)
