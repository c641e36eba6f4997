"""The window that most tests of places want."""

from __future__ import annotations

import pytest
from pytestqt.qtbot import QtBot

from gezeiten.desk.base.workspace import Workspace
from gezeiten.ui.shell.window import MainWindow
from tests.ui_help import open_window


@pytest.fixture
def window(qtbot: QtBot, demo_desk: Workspace) -> MainWindow:
    """The window on a copy of the demonstration's archive."""
    return open_window(qtbot, demo_desk)
