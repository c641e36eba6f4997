"""Entries that the logbook's files have lost while the tables still have them: shown, and written
again on request."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QListWidget, QWidget

from gezeiten.domain.facts.entries import Entry
from gezeiten.ui.format.i18n import counted, day_and_time, home_zone, tr
from gezeiten.ui.parts.widgets import button, column, label, row


class LostDialog(QDialog):
    """wanted: they are to be written again."""

    wanted = Signal()

    def __init__(self, parent: QWidget, entries: list[Entry]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Lost entries"))
        words = counted(
            len(entries),
            "%n entry is missing from its file; only the tables of this computer "
            "still have it. If you have a copy of the archive's logbook folder, "
            "restore that instead.",
            "%n entries are missing from their file; only the tables of this "
            "computer still have them. If you have a copy of the archive's logbook "
            "folder, restore that instead.",
        )
        self.listed = QListWidget()
        self.listed.setAccessibleName(tr("Lost entries"))
        self.listed.setWordWrap(True)
        self.listed.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for entry in entries:
            text = tr("%1 · %2 · %3").replace("%1", day_and_time(entry.at_ms, home_zone()))
            self.listed.addItem(text.replace("%2", entry.subject).replace("%3", entry.sentence))
        again = button(tr("Restore entries"), self._reload)
        leave = button(tr("Leave as it is"), self.reject, "primary")
        leave.setDefault(True)
        note = label(
            tr("Times in %1. Restored entries are marked as such.").replace("%1", home_zone()),
            "muted",
            wrap=True,
        )
        self.setLayout(
            column(
                label(words, wrap=True),
                self.listed,
                note,
                row(again, 1, leave),
                spacing=12,
                margins=16,
            )
        )
        self.resize(620, 380)
        leave.setFocus()

    def _reload(self) -> None:
        self.wanted.emit()
        self.accept()
