"""Erasing a logger's memory: what goes, that it is kept, and the label typed before it can."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QLineEdit, QWidget

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.erasing import erase_refusal
from gezeiten.desk.logger.launch.launch_checks import label_check
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.widgets import Facts, button, column, label, row


class EraseDialog(QDialog):
    """wanted: the label as typed, once it is that of the logger."""

    wanted = Signal(str)

    def __init__(self, parent: QWidget, card: LoggerCard) -> None:
        super().__init__(parent)
        self._serial = card.serial
        self.setWindowTitle(tr("Erase the memory of %1").replace("%1", card.serial))
        facts = Facts()
        held = sum(entry.readings - entry.first_held for entry in card.directory)
        facts.show_facts(
            [
                (tr("On the logger"), counted(held, "%n reading", "%n readings")),
                (tr("To offload"), counted(card.readings_to_offload, "%n reading", "%n readings")),
                (
                    tr("Before erasing"),
                    tr("every raw offload is read back from the vault and compared"),
                ),
                (
                    tr("After erasing"),
                    tr("the logger is idle and empty; a launch erases the memory anyway"),
                ),
            ]
        )
        reason = erase_refusal(card)
        self.problem = label(reason, "ember", wrap=True)
        self.label = QLineEdit()
        self.label.setPlaceholderText(tr("last characters on the label, typed or scanned"))
        self.label.setAccessibleName(tr("Label on the case"))
        self.label.setEnabled(not reason)
        self.label.textEdited.connect(self._typed)
        self.take = button(tr("Erase memory"), self._accept, "primary")
        self.take.setDefault(True)
        self.take.setEnabled(False)
        self.setLayout(
            column(
                facts,
                self.label,
                self.problem,
                1,
                row(self.take, button(tr("Close"), self.reject), 1),
                margins=16,
            )
        )
        self.setMinimumWidth(460)

    def _typed(self, text: str) -> None:
        compared = label_check(self._serial, text)
        self.problem.setText(compared.sentence if compared.weight == "blocking" else "")
        self.take.setEnabled(compared.weight == "passed")

    def _accept(self) -> None:
        self.wanted.emit(self.label.text())
        self.accept()
