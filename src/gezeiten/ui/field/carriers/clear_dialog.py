"""Asking once before records are cleared from a courier or drive: what goes, what stays."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QWidget

from gezeiten.desk.intake.carriers.carried_records import Clearing
from gezeiten.ui.format.i18n import counted, number, tr
from gezeiten.ui.parts.widgets import button, column, label, row, scrolled


class ClearDialog(QDialog):
    """wanted: it may be done. afterwards: what else is done with it, in a sentence, or ""."""

    wanted = Signal()

    def __init__(self, parent: QWidget, name: str, clearing: Clearing, afterwards: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Clear %1").replace("%1", name))
        count = len(clearing.cleared)
        head = counted(count, "%n record is cleared", "%n records are cleared")
        size = sum(record.size for record in clearing.cleared) / 1000
        lines = [
            f"{record.serial} · {tr('mission')} {record.mission} · {record.mission_name}".rstrip(
                " ·"
            )
            for record in clearing.cleared
        ]
        self.words = label(
            f"{head} ({number(size)} kB)" if count else tr("Nothing is cleared"), "head"
        )
        inside = QWidget()
        parts = [label("\n".join(lines), wrap=True)]
        if clearing.stays:
            parts += [
                label(tr("Records kept"), "head"),
                label("\n".join(clearing.stays), "brass", wrap=True),
            ]
        inside.setLayout(column(*parts, 1, spacing=8))
        more = " ".join(filter(None, (_verified_text(clearing), afterwards)))
        self.take = button(tr("Clear"), self._accept, "primary")
        self.take.setEnabled(bool(count or afterwards))
        self.take.setDefault(True)
        self.setLayout(
            column(
                self.words,
                scrolled(inside),
                label(more, "muted", wrap=True),
                row(1, button(tr("Cancel"), self.reject), self.take),
                margins=16,
            )
        )
        self.resize(520, 420)

    def _accept(self) -> None:
        self.wanted.emit()
        self.accept()


def _verified_text(clearing: Clearing) -> str:
    """Say of which records that are cleared the bytes were read back from the vault."""
    with_bytes = sum(record.size > 0 for record in clearing.cleared)
    empty = len(clearing.cleared) - with_bytes
    texts = []
    if with_bytes:
        texts.append(
            counted(
                with_bytes,
                "%n was just read back from the vault and matches its fingerprint.",
                "%n were just read back from the vault and match their fingerprints.",
            )
        )
    if empty:
        texts.append(
            counted(
                empty,
                "%n has no readings, so nothing of it is in the vault.",
                "%n have no readings, so nothing of them is in the vault.",
            )
        )
    return " ".join(texts)
