"""The Field desk with no logger at hand: the ways on, large, and where was looked."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.first_steps import FirstSteps
from gezeiten.ui.parts.widgets import column, give_room, label


class NobodyPage(QWidget):
    """asked: name of an action ("text", "folder", "live", "practice", "demonstration"). look: look
    at the addresses as typed too, "" for those that are known."""

    asked = Signal(str)
    look = Signal(str)

    def __init__(self, *, can_practise: bool) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.where = label("", "muted", wrap=True)
        self.steps = FirstSteps(can_practise=can_practise, at_loggers=True)
        self.steps.asked.connect(self.asked.emit)
        self.steps.look.connect(self.look.emit)
        self.setLayout(
            column(label(tr("No logger connected"), "big"), self.where, self.steps, spacing=4)
        )
        give_room(self, 2, 1)
        self.setFocusProxy(self.steps.addresses)

    def show_addresses(self, addresses: str, *, looking: bool) -> None:
        """Say where was looked, or that it is being looked."""
        words = tr("Searching %1 …") if looking else tr("No logger answers at %1.")
        if not addresses.strip(" ,"):
            words = tr(
                "No network address is known yet. Cables, drives and couriers are "
                "noticed by themselves."
            )
        shown = addresses if len(addresses) < 90 else addresses[:88] + "…"
        self.where.setText(words.replace("%1", shown))
        self.steps.look_button.setEnabled(not looking)
