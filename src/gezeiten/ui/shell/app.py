"""Starting the window on an archive."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QApplication, QMessageBox

from gezeiten.desk.open_workspace import open_workspace
from gezeiten.errors import GezeitenError
from gezeiten.ui.format.i18n import region, tr
from gezeiten.ui.shell.app_context import Practice
from gezeiten.ui.shell.theme import base_font
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.work.main_thread_gc import MainThreadGc


def application() -> QApplication:
    """Return the one QApplication, made on first use."""
    running = QApplication.instance()
    app = running if isinstance(running, QApplication) else QApplication(sys.argv[:1])
    if app.findChild(MainThreadGc) is None:
        MainThreadGc(app)
    app.setApplicationName("Gezeiten")
    app.setStyle("Fusion")
    QLocale.setDefault(region())
    app.setFont(base_font(100))
    return app


def run(
    folder: Path,
    settings_file: Path,
    practice: Practice | None = None,
    heads_file: Path | None = None,
    *,
    read_only: bool = False,
) -> int:
    """Open the window on an archive and return the exit code when it is closed; read_only:
    nothing in the archive is changed."""
    app = application()
    try:
        desk = open_workspace(
            folder,
            settings_file=settings_file,
            heads_file=heads_file,
            read_only=read_only,
            origin="window",
            lazy=True,
        )
    except GezeitenError as exc:
        QMessageBox.critical(None, tr("Gezeiten"), str(exc))
        return exc.exit_code
    QLocale.setDefault(region(desk.settings.region))
    window = MainWindow(desk, practice)
    window.not_opened.connect(partial(_report_open_failure, window))
    if not read_only:
        window.opened.connect(window.show_user_dialog)
    room = window.screen().availableGeometry()
    # a little less than the screen: the frame wants room as well
    window.resize(min(1280, room.width()), min(800, room.height() - 40))
    window.show()
    code = app.exec()
    window.context.works.stop()
    desk.close()
    return code


def _report_open_failure(window: MainWindow, fault: GezeitenError) -> None:
    """An archive that cannot be opened ends the program, with a sentence."""
    QMessageBox.critical(window, tr("Gezeiten"), str(fault))
    QApplication.exit(fault.exit_code)
