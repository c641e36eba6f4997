"""The list of checks before launch: a sign and a plain sentence each."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from gezeiten.desk.checks import Check
from gezeiten.ui.i18n import tr
from gezeiten.ui.parts import clear, label, row, rule

_SIGNS = {"passed": "✓", "look": "!", "blocking": "✕", "note": "i"}
_ROLES = {"passed": "kelp", "look": "brass", "blocking": "ember", "note": "muted"}


class CheckList(QWidget):
    """Shows checks in the order given, blocking ones first."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Before launch"))
        self._lines = QVBoxLayout(self)
        self._lines.setContentsMargins(0, 0, 0, 0)
        self._lines.setSpacing(7)

    def show_checks(self, checks: list[Check]) -> None:
        """Show these in place of the ones before."""
        clear(self._lines)
        for check in checks:
            sign = label(_SIGNS[check.weight], _ROLES[check.weight])
            sign.setFixedWidth(16)
            sign.setAlignment(Qt.AlignmentFlag.AlignTop)
            line = row(sign, label(check.sentence, wrap=True), spacing=4)
            line.setStretch(1, 1)
            self._lines.addLayout(line)
            self._lines.addWidget(rule())
