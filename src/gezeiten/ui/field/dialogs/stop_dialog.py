"""Asking once before a mission is stopped that has only just begun: most often the wrong key."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QWidget

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.series.timeline import MINUTE_MS, duration_text
from gezeiten.link.registers import State
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, column, label, row


class StopDialog(QDialog):
    """wanted: the mission may be stopped. What is pressed without looking keeps it."""

    wanted = Signal()

    def __init__(self, parent: QWidget, card: LoggerCard) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Stop the mission of %1").replace("%1", card.serial))
        self.words = label(_consequence_text(card), wrap=True)
        stop = button(tr("Stop and offload"), self._stop)
        stay = button(tr("Keep recording"), self.reject, "primary")
        stay.setDefault(True)
        self.setLayout(column(self.words, row(stop, 1, stay), spacing=12, margins=16))
        self.setMinimumWidth(420)
        stay.setFocus()

    def _stop(self) -> None:
        self.wanted.emit()
        self.accept()


def _consequence_text(card: LoggerCard) -> str:
    mission = tr("Mission %1 of %2").replace("%1", str(card.state.mission_number))
    mission = mission.replace("%2", card.serial)
    if card.state.state == State.WAITING:
        return tr("%1 is waiting for its first reading. Stop it now?").replace("%1", mission)
    age_ms = max(card.state.clock_ms - card.directory[-1].launched_ms, MINUTE_MS)
    age = duration_text(age_ms // MINUTE_MS * MINUTE_MS)
    return tr("%1 started only %2 ago. Stop it?").replace("%1", mission).replace("%2", age)
