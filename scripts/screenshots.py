"""Takes the pictures of the docs from a demonstration that was built before.

Usage: screenshots.py DEMO_FOLDER OUT_FOLDER
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from math import pi, sin
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog

from gezeiten.cli.demo import open_demo
from gezeiten.cli.practice import PracticeFleet
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.statements.corrections import proposed, save_correction
from gezeiten.desk.record.views.records import extent
from gezeiten.desk.sites.places import point_named
from gezeiten.domain.series.timeline import DAY_MS
from gezeiten.ui.field.place import FieldDeskPlace
from gezeiten.ui.mend.chain_dialog import ChainDialog
from gezeiten.ui.points.checks_dialog import ChecksDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.tour import close_down, settle_down, take_pictures
from gezeiten.ui.shell.window import MainWindow

PATIENCE_MS = 20_000


def wait_until(true: Callable[[], bool]) -> None:
    """Let the window work until something is so, for a while at most."""
    for _ in range(PATIENCE_MS // 50):
        if true():
            return
        QTest.qWait(50)


def open_dialog() -> QDialog:
    shown = (w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible())
    return next(shown)


def station(path: Path) -> Path:
    """Write a text as a weather station of somebody else would."""
    lines = ["Station: Krabbenkoog, mast"]
    lines.append("Datum;Uhrzeit;Lufttemp (°C);Feuchte (%);Luftdruck (hPa)")
    for i in range(900):
        at = datetime(2026, 11, 10) + timedelta(minutes=20 * i)  # noqa: DTZ001 - the wall clock
        daily, slowly = sin(i / 72 * 2 * pi), sin(i / 300)
        values = (
            f"{8 - 3 * daily + slowly:.1f}",
            f"{78 + 9 * daily:.0f}",
            f"{1009 + 8 * slowly:.1f}",
        )
        text = ";".join(values).replace(".", ",")
        lines.append(f"{at:%d.%m.%Y;%H:%M};{text}")
    path.write_text("\n".join(lines) + "\n", encoding="cp1252")
    return path


def routes(archive: Path, out: Path, work: Path) -> None:
    """Courier and text file; the chain, what was read by hand."""
    copy = work / "archive"
    shutil.copytree(archive, copy)
    desk = open_workspace(copy)
    window = MainWindow(desk)
    window.resize(1280, 800)
    window.show()
    window.show_place(places.FIELD_DESK)
    settle_down(window)
    field: FieldDeskPlace = window.places[places.FIELD_DESK]
    try:
        wait_until(lambda: "L-0042" in field.carriers.cards)
        field.carriers.open("L-0042")
        settle_down(window)
        QTest.qWait(200)
        window.grab().save(str(out / "14-courier.png"))
        field.dialogs.text(station(work / "Wetterstation.txt"))
        text = open_dialog()
        wait_until(lambda: text.model.template is not None)
        text.point.setCurrentText("Krabbenkoog · Weather mast")
        text.zone.setCurrentText("Europe/Berlin")
        wait_until(lambda: "in total" in text.words.text())
        text.grab().save(str(out / "15-text-file.png"))
        text.close()
        chain(window, out)
        read_by_hand(window, out)
    finally:
        close_down(window)
        desk.close()


def chain(window: MainWindow, out: Path) -> None:
    """A certificate that is kept, spikes that a rule catches, before they are marked."""
    desk = window.context.desk
    point = point_named(desk, "Cold room A")
    key = point.channels[0].channel
    begin, end = extent(desk, point.id, [key])
    certificate = proposed(point, key, "linear", (begin, None), {"offset": 0.3, "u": 0.1})
    save_correction(desk, point, certificate, "certificate K-118")
    dialog = ChainDialog(window, window.context, point, key, (end - 6 * DAY_MS, end))
    dialog.show()
    settle_down(window)
    dialog.period.since.show_instant(end - 6 * DAY_MS, point.zone)
    dialog.fields.kind.setCurrentIndex(dialog.fields.kind.findData("mark"))
    dialog.fields.which.setCurrentIndex(dialog.fields.which.findData("too_fast"))
    wait_until(lambda: dialog.fields.number.text() != "")
    dialog.fields.number.setText("6")
    dialog.fields.number.editingFinished.emit()
    wait_until(lambda: "suspect" in dialog.figures.text())
    QTest.qWait(500)
    dialog.grab().save(str(out / "17-chain.png"))
    dialog.close()


def read_by_hand(window: MainWindow, out: Path) -> None:
    """The dips of the creek beside its level, and the line that would tie it."""
    creek = point_named(window.context.desk, "Creek gauge")
    level = next(
        channel.channel for channel in creek.channels if channel.channel.startswith("water_level")
    )
    dialog = ChecksDialog(window, window.context, creek, level)
    dialog.show()
    settle_down(window)
    dialog.way.setCurrentIndex(dialog.way.findData("line"))
    wait_until(lambda: "drift" in dialog.figures.text())
    QTest.qWait(500)
    dialog.grab().save(str(out / "16-read-by-hand.png"))
    dialog.close()


def first_start(out: Path) -> None:
    """An archive with nothing in it."""
    with tempfile.TemporaryDirectory() as folder:
        desk = open_workspace(Path(folder))
        desk.change_settings(replace(desk.settings, person="JA"))
        window = MainWindow(desk, PracticeFleet(Path(folder) / "practice"))
        window.resize(1280, 800)
        window.show()
        settle_down(window)
        window.grab().save(str(out / "0-first-start.png"))
        close_down(window)
        desk.close()


def main() -> None:
    demo = open_demo(Path(sys.argv[1]).absolute(), print)
    out = Path(sys.argv[2]).absolute()
    out.mkdir(parents=True, exist_ok=True)
    try:
        for theme in ("sun", "dark"):
            for picture in take_pictures(demo.folder / "archive", out, theme, only=1):
                picture.replace(picture.with_stem(f"{picture.stem}-{theme}"))
        for picture in take_pictures(demo.folder / "archive", out, "light"):
            print(picture)
        first_start(out)
        with tempfile.TemporaryDirectory() as work:
            routes(demo.folder / "archive", out, Path(work))
    finally:
        demo.close()


main()
