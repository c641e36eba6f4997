"""Asking for the PIN of a group of locked loggers."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QLineEdit, QWidget

from gezeiten.desk.logger.pins import parse_pin
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, column, label, row


class PinDialog(QDialog):
    """Emits the PIN of a group; what is typed is never shown."""

    given = Signal(str, int)

    def __init__(self, parent: QWidget, serial: str, group: str, *, lasting: bool) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("PIN"))
        self._group = group
        self.entry = QLineEdit()
        self.entry.setEchoMode(QLineEdit.EchoMode.Password)
        self.entry.setAccessibleName(tr("PIN"))
        self.entry.setMaxLength(9)
        self.entry.returnPressed.connect(self._accept)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        stored = (
            tr("The PIN is stored in the system keyring.")
            if lasting
            else tr("This computer has no keyring: the PIN is remembered until Gezeiten is closed.")
        )
        words = tr("%1 is locked. The loggers of “%2” share one PIN.")
        words = words.replace("%1", serial).replace("%2", group)
        take = button(tr("Use this PIN"), self._accept, "primary")
        cancel = button(tr("Cancel"), self.reject)
        self.setLayout(
            column(
                label(words, wrap=True),
                self.entry,
                self.problem,
                label(stored, "muted", wrap=True),
                row(1, cancel, take),
                margins=16,
            )
        )
        self.setFixedWidth(400)

    def _accept(self) -> None:
        try:
            pin = parse_pin(self.entry.text())
        except InputError as exc:
            self.problem.setText(str(exc))
            self.problem.show()
            return
        self.given.emit(self._group, pin)
        self.accept()
