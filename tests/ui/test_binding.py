"""The Qt binding itself: a release that miscounts references to None crashes a long session."""

from __future__ import annotations

import sys

from PySide6.QtWidgets import QListWidget

from gezeiten.ui.shell.app import application


def test_none_is_given_back_as_often_as_taken() -> None:
    application()
    view = QListWidget()
    before = sys.getrefcount(None)
    for _ in range(2000):
        view.currentItem()  # None: nothing is chosen
        view.property("nothing")
    assert abs(sys.getrefcount(None) - before) < 500
