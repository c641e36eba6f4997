"""The list of checks before launch: a sign and a plain sentence each; a look can be accepted."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from gezeiten.desk.logger.launch.launch_checks import Check
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, clear, column, label, row, rule

_SIGNS = {"passed": "✓", "look": "!", "blocking": "✕", "note": "i"}
_ROLES = {"passed": "kelp", "look": "brass", "blocking": "ember", "note": "muted"}


class CheckList(QScrollArea):
    """Shows checks in the order given, blocking ones first.

    accepted: key of a check and the word why; an empty word takes it back.
    """

    accepted = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Launch checks"))
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QWidget()
        self._lines = QVBoxLayout(inside)
        self._lines.setContentsMargins(0, 0, 4, 0)
        self._lines.setSpacing(6)
        self.setWidget(inside)
        self._shown: list[Check] = []
        self._asking = ""
        self.word: QLineEdit | None = None

    def show_checks(self, checks: list[Check]) -> None:
        """Show these in place of the ones before; a word being typed stays."""
        if checks == self._shown:
            return
        typed = self.word.text() if self.word is not None else ""
        has_focus = self.word is not None and self.word.hasFocus()
        self._shown = list(checks)
        self._build(typed)
        if self.word is not None and has_focus:
            self.word.show()
            self.word.setFocus()

    def _build(self, typed: str = "") -> None:
        clear(self._lines)
        self.word = None
        for check in self._shown:
            sign = label(_SIGNS[check.weight], _ROLES[check.weight])
            sign.setFixedWidth(16)
            sign.setAlignment(Qt.AlignmentFlag.AlignTop)
            parts: list[QWidget] = [label(check.sentence, wrap=True)]
            if check.weight == "look" and check.key:
                parts.append(self._override_widget(check, typed))
            line = row(sign, column(*parts, spacing=1), spacing=4)
            line.setStretch(1, 1)
            self._lines.addLayout(line)
            self._lines.addWidget(rule())
        self._lines.addStretch(1)

    def _override_widget(self, check: Check, typed: str) -> QWidget:
        """The way to accept a check: a link, then a field for the word why."""
        if self._asking != check.key:
            words = tr("Override: reason") if check.needs_reason else tr("Override")
            link = button(words, lambda: self.ask_reason(check.key), "link")
            link.setAccessibleDescription(check.sentence)
            line = QWidget()
            line.setLayout(row(link, 1, spacing=0))
            return line
        self.word = QLineEdit(typed)
        self.word.setPlaceholderText(tr("reason, then Enter"))
        self.word.setAccessibleName(tr("Reason: %1").replace("%1", check.sentence))
        self.word.setMaxLength(200)
        self.word.returnPressed.connect(lambda: self._accept(check.key))
        return self.word

    def ask_reason(self, key: str = "") -> None:
        """Open the field for a word; without a key for the first check that wants one."""
        looks = [check for check in self._shown if check.weight == "look" and check.key]
        wanting = [check for check in looks if check.needs_reason] or looks
        self._asking = key or (wanting[0].key if wanting else "")
        self._build()
        if self.word is not None:
            self.word.show()  # the layout shows it later only, and what is hidden takes no focus
            self.word.setFocus()
            self.ensureWidgetVisible(self.word)

    def _accept(self, key: str) -> None:
        if self.word is None or not self.word.text().strip():
            return
        word, self._asking = self.word.text().strip(), ""
        self.accepted.emit(key, word)
