"""Places built when they are wanted: the first alone at the start, keys and themes for all."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from pytestqt.qtbot import QtBot

from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.workspace import TrustedClock
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import PATIENCE_MS, idle

_START = """
import sys
from pathlib import Path
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
app = application()
window = MainWindow(open_workspace(Path(sys.argv[1])))
window.show()
while window.places[0].canvas.board is None:
    app.processEvents()
print(*(name for name in ("pyqtgraph", "polars", "reportlab") if name in sys.modules))
window.context.works.stop()
"""


def test_the_first_place_is_there_before_what_the_others_need(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-c", _START, str(tmp_path)], capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == ""


def test_the_rest_follows_and_nothing_is_built_twice(qtbot: QtBot, tmp_path: Path) -> None:
    application()
    desk = open_workspace(tmp_path, computer=TrustedClock(), pins=MemoryPins())
    window = MainWindow(desk)
    qtbot.addWidget(window, before_close_func=lambda w: w.context.works.stop())
    built: list[object] = []
    window.places.built.connect(built.append)
    assert len(window.places.built_places()) == 1
    window.set_theme("sun")
    window.show()
    window.show_place(places.TRENDS)  # wanted before the rest is there
    assert len(window.places.built_places()) == 2
    assert window.stack.currentWidget() is window.places[places.TRENDS]
    qtbot.waitUntil(
        lambda: len(window.places.built_places()) == len(window.places), timeout=PATIENCE_MS
    )
    idle(qtbot, window)
    assert len(built) == len({id(place) for place in built}) == len(window.places) - 1
    assert window.stack.currentWidget() is window.places[places.TRENDS]
    assert window.places[places.TRENDS].chart._theme.name == "sun"
    keys = [act.key for act in window.commands() if act.key]
    bound = [shortcut.key().toString() for _, shortcut in window._shortcuts]
    assert len(bound) == len(keys)
    for belongs_to, shortcut in window._shortcuts:
        assert shortcut.isEnabled() == (belongs_to in (-1, places.TRENDS))
    window.close()
    desk.close()
