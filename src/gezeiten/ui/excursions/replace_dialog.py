"""Asking before assessments are replaced: which ones, by whom, and what they say."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QWidget

from gezeiten.desk.record.excursion_book import BookedExcursion
from gezeiten.ui.excursions.texts import excursion_name, listed
from gezeiten.ui.format.i18n import counted, day_and_time, tr
from gezeiten.ui.parts.widgets import button, column, label, row

_MOST_NAMED = 4


class ReplaceDialog(QDialog):
    """assessed, rest: of the excursions that were to be assessed. replace: all are; rest_alone:
    those that nobody has assessed yet. What is pressed without looking replaces nothing."""

    replace = Signal()
    rest_alone = Signal()

    def __init__(
        self, parent: QWidget, assessed: list[BookedExcursion], rest: list[BookedExcursion]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Assessed already"))
        asked = counted(
            len(assessed),
            "%n excursion has already been assessed. Replace its assessment?",
            "%n excursions have already been assessed. Replace their assessments?",
        )
        replace = button(tr("Replace"), self._replace)
        keep = button(tr("Keep the existing assessments"), self.reject, "" if rest else "primary")
        words = counted(len(rest), "Assess only the other one", "Assess only the other %n")
        others = button(words, self._rest_alone, "primary")
        others.setVisible(bool(rest))
        default = others if rest else keep
        default.setDefault(True)
        which = label(
            listed([_line(booked_excursion) for booked_excursion in assessed], _MOST_NAMED),
            "muted",
            wrap=True,
        )
        body = column(
            label(asked, wrap=True), which, row(replace, 1, keep, others), spacing=12, margins=16
        )
        self.setLayout(body)
        self.setMinimumWidth(460)
        default.setFocus()

    def _replace(self) -> None:
        self.accept()
        self.replace.emit()

    def _rest_alone(self) -> None:
        self.accept()
        self.rest_alone.emit()


def _line(excursion: BookedExcursion) -> str:
    words = tr("%1: %2, by %3, %4").replace("%1", excursion_name(excursion))
    said_ms = day_and_time(excursion.settled_ms or 0, excursion.point.zone)
    words = words.replace("%3", excursion.settled_by).replace("%4", said_ms)
    return words.replace("%2", f"{tr(excursion.cause or '')} “{excursion.comment}”")
