"""All places and dialogs at two sizes of screen, three sizes of text, three themes: nothing is cut
without a tip, too small to hit, too pale, or beyond the edge."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from gezeiten.desk.carried import CarriedRecord, Clearing
from gezeiten.desk.context import Desk
from gezeiten.ui import house as places
from gezeiten.ui.clear_dialog import ClearDialog
from gezeiten.ui.window import MainWindow
from tests.desk.test_text_files import station
from tests.ui import eyes
from tests.ui_help import idle, open_window

SIZES = [(1280, 800), (1024, 700)]
RECORD = CarriedRecord("7", "D-2041", "Düne T2", 12, "Store autumn", "A · B", 0, 9_000, 480, 480,
                       "ab" * 32, "kept")  # fmt: skip
CLEARING = Clearing((RECORD,), ("R-1107, mission 3: not kept yet.",))


def complaints(top: object, theme: str, percent: int) -> list[str]:
    for _ in range(6):  # layouts inside layouts settle one after the other
        QApplication.sendPostedEvents()
        QApplication.processEvents()
    found = [f"cut: {one}" for one in eyes.cut_text(top)]
    found += [f"small: {one}" for one in eyes.small_targets(top, theme)]
    found += [f"beyond the edge: {one}" for one in eyes.beyond_edge(top)]
    if percent == 100:  # colours do not depend on the size of text
        found += [f"pale: {one}" for one in eyes.pale_text(top)]
    return found


@pytest.mark.parametrize("theme", ["light", "dark", "sun"])
@pytest.mark.parametrize("percent", [100, 125, 150])
def test_every_place_can_be_seen_and_hit(
    qtbot: QtBot, demo_desk: Desk, theme: str, percent: int
) -> None:
    window = open_window(qtbot, demo_desk)
    window._change(theme=theme, font_percent=percent)
    found = []
    for size in SIZES:
        for place in range(7):
            window.go(place)
            idle(qtbot, window)
            window.resize(*size)
            QApplication.processEvents()
            if window.size().toTuple() != size:
                found.append(f"{size}, place {place}: window is {window.size().toTuple()}")
            for view in views_of(qtbot, window, place):
                told = complaints(window, theme, percent)
                found += [f"{size}, place {place} {view}: {one}" for one in told]
    assert not found, "\n".join(found)


def views_of(qtbot: QtBot, window: MainWindow, place: int) -> list[object]:
    """Show the stages of the Field desk one after the other; other places have one view."""
    if place != places.FIELD_DESK:
        yield ""
        return
    field = window.places[place]
    for stage in range(5):
        field.stages.choose(stage)
        idle(qtbot, window)
        yield stage
    field.tick_all()
    idle(qtbot, window)
    yield "several"
    field.untick_all()
    if field.carriers.cards:
        field.carriers.open_next()
        idle(qtbot, window)
        yield "carrier"
        field.carriers.close()
        field.show_current()


DIALOGS = {
    "settings": lambda w: w.show_settings(),
    "sites and points": lambda w: w.show_places(),
    "life": lambda w: w.show_lives(),
    "round": lambda w: w.places[places.TIDEBOARD].prepare_visit(),
    "day": lambda w: w.places[places.FIELD_DESK].dialogs.day(),
    "kept plans": lambda w: w.places[places.FIELD_DESK].show_kept_plans(),
    "live line": lambda w: w.places[places.FIELD_DESK].dialogs.live_line(),
    "part": lambda w: w.places[places.FIELD_DESK].dialogs.part(),
    "erase": lambda w: w.places[places.FIELD_DESK].dialogs.erase(),
    "PIN": lambda w: w.places[places.FIELD_DESK].dialogs.pin(),
    "differences": lambda w: w.places[places.FIELD_DESK].show_differences(),
    "clear": lambda w: ClearDialog(w, "Courier L-0042", CLEARING, "Then its clock is set.").open(),
    "text": lambda w: w.places[places.FIELD_DESK].dialogs.text(w.text_file),
}


@pytest.mark.parametrize("theme", ["light", "dark", "sun"])
@pytest.mark.parametrize("percent", [100, 150])
def test_every_dialog_can_be_seen_and_hit(
    qtbot: QtBot, demo_desk: Desk, tmp_path: Path, theme: str, percent: int
) -> None:
    window = open_window(qtbot, demo_desk)
    window.text_file = station(tmp_path / "weather.txt", 60)
    window._change(theme=theme, font_percent=percent)
    window.go(places.FIELD_DESK)
    idle(qtbot, window)
    found = []
    for name, show in DIALOGS.items():
        show(window)
        idle(qtbot, window)
        everything = QApplication.topLevelWidgets()
        shown = [w for w in everything if isinstance(w, QDialog) and w.isVisible()]
        assert shown, name
        for dialog in shown:
            told = complaints(dialog, theme, percent)
            found += [f"{name}: {one}" for one in told]
            if dialog.width() > 1024 or dialog.height() > 700:
                found.append(f"{name}: {dialog.size().toTuple()} is larger than 1024 x 700")
            dialog.close()
        QApplication.processEvents()
    assert not found, "\n".join(found)
