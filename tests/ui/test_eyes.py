"""All places and dialogs at two sizes of screen, three sizes of text, three themes: nothing is cut
without a tip, too small to hit, too pale, or beyond the edge; no instant is without its zone."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.ui.shell import app_context as places
from tests.desk.intake.texts.test_text_files import station
from tests.ui import eyes
from tests.ui.walk import DIALOGS, views_of
from tests.ui_help import idle, open_window

SIZES = [(1280, 800), (1024, 700)]


def complaints(top: object, theme: str) -> list[str]:
    for _ in range(6):  # layouts inside layouts settle one after the other
        QApplication.sendPostedEvents()
        QApplication.processEvents()
    found = [f"cut: {one}" for one in eyes.cut_text(top)]
    found += [f"small: {one}" for one in eyes.small_targets(top, theme)]
    found += [f"small: {one}" for one in eyes.small_ticks(top, theme)]
    found += [f"beyond the edge: {one}" for one in eyes.beyond_edge(top)]
    found += [f"zone unsaid: {one}" for one in eyes.zone_unsaid(top)]
    found += [f"pale: {one}" for one in eyes.pale_text(top)]
    return found


@pytest.mark.parametrize(
    ("theme", "percent"), [("light", 100), ("dark", 125), ("sun", 150)]
)  # each theme and each size once: colours move nothing
def test_every_place_can_be_seen_and_hit(
    qtbot: QtBot, demo_desk: Workspace, theme: str, percent: int
) -> None:
    window = open_window(qtbot, demo_desk)
    window._change(theme=theme, font_percent=percent)
    found = []
    for size in SIZES:
        for place in range(7):
            window.show_place(place)
            idle(qtbot, window)
            window.resize(*size)
            QApplication.processEvents()
            if window.size().toTuple() != size:
                found.append(f"{size}, place {place}: window is {window.size().toTuple()}")
            if eyes.shades(window) < 5:
                found.append(f"{size}, place {place}: nothing is painted")
            for view in views_of(qtbot, window, place):
                told = complaints(window, theme)
                found += [f"{size}, place {place} {view}: {one}" for one in told]
    assert not found, "\n".join(found)


@pytest.mark.parametrize(("theme", "percent"), [("light", 150), ("dark", 100), ("sun", 100)])
def test_every_dialog_can_be_seen_and_hit(
    qtbot: QtBot, demo_desk: Workspace, tmp_path: Path, theme: str, percent: int
) -> None:
    window = open_window(qtbot, demo_desk)
    window.text_file = station(tmp_path / "weather.txt", 60)
    window._change(theme=theme, font_percent=percent)
    for place in (places.TRENDS, places.FIELD_DESK):
        window.show_place(place)
        idle(qtbot, window)
    found = []
    for name, show in DIALOGS.items():
        show(window)
        idle(qtbot, window)
        everything = QApplication.topLevelWidgets()
        shown = [w for w in everything if isinstance(w, QDialog) and w.isVisible()]
        assert shown, name
        for dialog in shown:
            told = complaints(dialog, theme)
            found += [f"{name}: {one}" for one in told]
            if dialog.width() > 1024 or dialog.height() > 700:
                found.append(f"{name}: {dialog.size().toTuple()} is larger than 1024 x 700")
            dialog.close()
        QApplication.processEvents()
    assert not found, "\n".join(found)
