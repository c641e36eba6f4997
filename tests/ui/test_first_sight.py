"""A window that stands before its archive is open, and what happens until it is."""

from __future__ import annotations

from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.startup_cache import fresh_board
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.sites.places import add_point
from gezeiten.errors import ArchiveDamagedError, GezeitenError
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app import application
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import PATIENCE_MS, HandClock, idle


def begun(qtbot: QtBot, folder: Path) -> MainWindow:
    """The window as a start shows it first."""
    application()
    window = MainWindow(open_workspace(folder, lazy=True))
    window.context.seconds = HandClock()
    qtbot.addWidget(window, before_close_func=lambda w: w.context.works.stop())
    return window


@pytest.fixture
def known(demo_desk: Workspace) -> Path:
    """An archive whose first sight is kept."""
    fresh_board(demo_desk)
    demo_desk.close()
    return demo_desk.folder


def test_the_board_stands_before_the_archive_is_open(qtbot: QtBot, known: Path) -> None:
    window = begun(qtbot, known)
    first = window.places[places.TIDEBOARD].canvas.board
    assert first is not None
    assert not window.context.desk.is_open
    with qtbot.waitSignal(window.opened, timeout=PATIENCE_MS):
        window.show()
        window.activateWindow()
        window.places[places.TIDEBOARD].focus_search()  # typed while the archive is opened
    idle(qtbot, window)
    assert window.places[places.TIDEBOARD].search is window.focusWidget()
    then = window.places[places.TIDEBOARD].canvas.board
    assert then is not first
    assert then.sites[0][0] == first.sites[0][0]
    window.context.desk.close()


def test_whoever_is_quicker_than_the_archive_waits_for_it_and_gets_there(
    qtbot: QtBot, known: Path
) -> None:
    window = begun(qtbot, known)
    with qtbot.waitSignal(window.opened, timeout=PATIENCE_MS):
        window.show()
        window.show_place(places.TRENDS)
        assert not window.context.desk.is_open
    idle(qtbot, window)
    assert window.stack.currentIndex() == places.TRENDS
    assert window.places[places.TRENDS].lanes
    window.context.desk.close()


def test_without_a_first_sight_the_archive_is_opened_at_once(qtbot: QtBot, known: Path) -> None:
    desk = open_workspace(known)
    add_point(desk, "Shore · Pier")
    desk.close()
    window = begun(qtbot, known)
    assert window.places[places.TIDEBOARD].canvas.board is None
    with qtbot.waitSignal(window.opened, timeout=PATIENCE_MS):
        pass
    idle(qtbot, window)
    names = [site.name for site, _ in window.places[places.TIDEBOARD].canvas.board.sites]
    assert "Shore" in names
    window.context.desk.close()


def test_an_archive_that_cannot_be_opened_says_why(qtbot: QtBot, tmp_path: Path) -> None:
    (tmp_path / "archive.db").write_bytes(b"no database at all" * 100)
    window = begun(qtbot, tmp_path)
    heard: list[GezeitenError] = []
    window.not_opened.connect(heard.append)
    qtbot.waitUntil(lambda: bool(heard), timeout=PATIENCE_MS)
    assert isinstance(heard[0], ArchiveDamagedError)
    assert str(tmp_path) in str(heard[0])


def test_a_window_closed_before_its_archive_is_open_begins_nothing(
    qtbot: QtBot, known: Path
) -> None:
    window = begun(qtbot, known)
    window.show()
    window._open()
    window.close()
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=PATIENCE_MS)
    assert len(window.places.built_places()) == 1
    assert window._counted is None
    window.context.desk.close()
