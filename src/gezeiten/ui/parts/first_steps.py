"""The first start: an archive without a point, and the ways on, large and in their order."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLineEdit, QWidget

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import Card, button, column, give_room, label, row, scrolled

Step = tuple[str, str, list[QWidget]]
"""Title, words and the ways of one step."""


class FirstSteps(QWidget):
    """named: who is acting, as typed. look: addresses as typed, "" for what is known already.
    asked: "text", "folder", "live", "practice", "demonstration"."""

    named = Signal(str)
    look = Signal(str)
    asked = Signal(str)

    def __init__(self, *, can_practise: bool, at_loggers: bool = False) -> None:
        """at_loggers: for the Field desk, where who is acting is known already."""
        super().__init__()
        self.setObjectName("ground")
        self.name = self._field(tr("Your name or initials"), tr("for the logbook, like JA"))
        self.name.editingFinished.connect(lambda: self.named.emit(self.name.text().strip()))
        self.addresses = self._field(tr("Network addresses"), "192.168.4.20:502")
        self.addresses.returnPressed.connect(self._load)
        self.look_button = button(
            tr("Search now (F5)") if at_loggers else tr("Search now"), self._load, "primary"
        )
        steps = [] if at_loggers else [self._user_step()]
        steps += [self._loggers(), self._files(at_loggers=at_loggers)]
        if can_practise:
            steps.append(self._practice())
        inside = QWidget()
        inside.setObjectName("ground")
        title = [] if at_loggers else [label(tr("An empty archive: ways to begin"), "big")]
        cards = [self._step(i, *step) for i, step in enumerate(steps, 1)]
        inside.setLayout(column(*title, *cards, 1, spacing=12, margins=4))
        inside.setMaximumWidth(760)
        middle = QWidget()
        middle.setObjectName("ground")
        middle.setLayout(row(0 if at_loggers else 1, inside, 1))
        give_room(middle, 1, 6)
        self.setLayout(column(scrolled(middle), margins=0 if at_loggers else 12))
        self.setFocusProxy(self.addresses if at_loggers else self.name)

    def _user_step(self) -> Step:
        words = tr("Everything you do is recorded in the logbook under this name.")
        return tr("Who is working?"), words, [self.name]

    def _loggers(self) -> Step:
        words = tr(
            "Connect a cable, a courier or a drive: they are noticed by themselves. "
            "Loggers on the network need an address, typed here."
        )
        return tr("Search for loggers"), words, [self.addresses, self.look_button]

    def _files(self, *, at_loggers: bool) -> Step:
        words = tr("A mission file, a text file with times and numbers, or a folder of them.")
        methods = [
            self._action_link(tr("A file …"), "text"),
            self._action_link(tr("A folder …"), "folder"),
        ]
        if at_loggers:
            methods.append(self._action_link(tr("Live line …"), "live"))
        return tr("Import files"), words, methods

    def _practice(self) -> Step:
        words = tr(
            "Three practice loggers on this computer behave like real ones; their "
            "readings are made up and marked so. The demonstration shows seventy "
            "days of five sites in a window of its own."
        )
        self.practice = self._action_link(tr("Start practice loggers"), "practice")
        demonstration = self._action_link(tr("Open the demonstration"), "demonstration")
        return tr("Practise first"), words, [self.practice, demonstration]

    def _field(self, name: str, hint: str) -> QLineEdit:
        field = QLineEdit()
        field.setAccessibleName(name)
        field.setPlaceholderText(hint)
        field.setMaxLength(200)
        field.setMinimumWidth(260)
        return field

    def _action_link(self, text: str, action: str) -> QWidget:
        return button(text, lambda: self.asked.emit(action))

    def _step(self, number: int, title: str, words: str, parts: list[QWidget]) -> Card:
        card = Card()
        sign = label(str(number), "big")
        sign.setFixedWidth(28)
        sign.setAlignment(Qt.AlignmentFlag.AlignTop)
        said = column(
            label(title, "head"), label(words, wrap=True), row(*parts, 1, spacing=8), spacing=6
        )
        line = row(sign, said, spacing=6)
        line.setStretch(1, 1)
        card.body.addLayout(line)
        return card

    def _load(self) -> None:
        self.look.emit(self.addresses.text().strip())
