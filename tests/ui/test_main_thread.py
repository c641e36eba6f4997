"""Nothing of disk, database or bus runs on the main thread: every place and dialog is walked while
the interpreter itself reports each file opened and the database each question asked."""

from __future__ import annotations

import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot
from sqlalchemy import Engine, event

from gezeiten.desk.base.workspace import Workspace
from gezeiten.ui.shell import app_context as places
from tests.desk.intake.texts.test_text_files import station
from tests.ui.walk import DIALOGS, views_of
from tests.ui_help import idle, open_window, press

IN_FOLDER = {"open", "os.listdir", "os.scandir", "os.rename", "os.remove", "os.mkdir"}
ANYWHERE = {"sqlite3.connect", "socket.connect", "socket.getaddrinfo", "subprocess.Popen"}


class Watch:
    """What the main thread touched while watching, with the function of ours that did. An audit
    hook stays for the life of the process, so it is added once and switched."""

    def __init__(self) -> None:
        self.touched: list[str] | None = None
        self.folder = ""
        sys.addaudithook(self._record)
        event.listen(Engine, "before_cursor_execute", self._asked)

    @contextmanager
    def watching(self, folder: Path) -> Iterator[list[str]]:
        self.folder, self.touched = str(folder), []
        try:
            yield self.touched
        finally:
            self.touched = None

    def _asked(self, _connection: object, _cursor: object, statement: str, *_: object) -> None:
        self._note(f"asked the database: {statement[:60]}")

    def _record(self, name: str, args: tuple[object, ...]) -> None:
        if self.touched is None:
            return
        # elsewhere there are imports, fonts, signs of the theme: nothing of a user's disk
        is_ours = name in IN_FOLDER and str(args[0]).startswith(self.folder)
        if is_ours or name in ANYWHERE:
            self._note(f"{name} {args[0]!r}")

    def _note(self, what: str) -> None:
        if self.touched is None or threading.current_thread() is not threading.main_thread():
            return
        frame, by = sys._getframe(2), ""
        while frame is not None and not by:
            code = frame.f_code
            by = code.co_qualname if "/gezeiten/ui/" in code.co_filename else ""
            frame = frame.f_back
        self.touched.append(f"{by}: {what}")


WATCH = Watch()


def test_the_main_thread_touches_neither_disk_nor_database_nor_line(
    qtbot: QtBot, demo_desk: Workspace, tmp_path: Path
) -> None:
    window = open_window(qtbot, demo_desk)
    window.text_file = station(tmp_path / "weather.txt", 60)
    with WATCH.watching(demo_desk.archive.folder) as touched:
        for place in range(7):
            window.show_place(place)
            idle(qtbot, window)
            for _ in views_of(qtbot, window, place):
                press(window, "Down")
                idle(qtbot, window)
        window.set_theme("dark")
        window.resize_text(10)
        window.show_place(places.FIELD_DESK)
        window.places[places.FIELD_DESK].search_addresses("127.0.0.1:1")
        idle(qtbot, window)
        for show in DIALOGS.values():
            show(window)
            idle(qtbot, window)
            for shown in QApplication.topLevelWidgets():
                if isinstance(shown, QDialog) and shown.isVisible():
                    shown.close()
            idle(qtbot, window)
    assert not touched, "\n".join(sorted(set(touched)))


def test_the_watch_hears_what_the_main_thread_touches(demo_desk: Workspace) -> None:
    with WATCH.watching(demo_desk.archive.folder) as touched:
        demo_desk.save_settings()
        with demo_desk.archive.reading() as session:
            session.connection().exec_driver_sql("SELECT 1")
    assert len(touched) >= 2
