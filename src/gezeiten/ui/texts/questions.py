"""What a text does not tell by itself, asked one below the other: by buttons, ticks or a field."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QLineEdit, QVBoxLayout, QWidget

from gezeiten.exchange.text.questions import FormatQuestion
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.widgets import button, clear, column, label, row

_TYPED = {"start": "31.12.2024 14:30", "date": "31.12.2024", "year": "2024"}
"""How what is typed looks."""


class Questions(QWidget):
    """answered: (Doubt, value). wanted: something else was pressed, by its name."""

    answered = Signal(object, str)
    wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._column: QVBoxLayout = column(spacing=6)
        self.setLayout(self._column)
        self._shown: tuple[object, ...] = ()

    def show_doubts(
        self,
        doubts: Iterable[FormatQuestion],
        notes: Iterable[tuple[str, str]] = (),
        actions: Iterable[tuple[str, tuple[tuple[str, str], ...]]] = (),
    ) -> None:
        """Ask. notes: (words, role) that stand above; actions: (question, ((name, words), ...))
        that are answered by the names of what is pressed."""
        wanted = (tuple(doubts), tuple(notes), tuple(actions))
        if wanted == self._shown:
            return  # what is being typed stays
        self._shown = wanted
        clear(self._column)
        for words, role in wanted[1]:
            self._column.addWidget(label(words, role, wrap=True))
        for question, choices in wanted[2]:
            self._column.addWidget(label(question, "brass", wrap=True))
            self._column.addLayout(
                _flow([button(words, partial(self.wanted.emit, name)) for name, words in choices])
            )
        for doubt in wanted[0]:
            self._add_question(doubt)

    def _add_question(self, doubt: FormatQuestion) -> None:
        self._column.addWidget(label(tr(doubt.question), "brass", wrap=True))
        if doubt.many:
            self._add_multiple_choice(doubt)
            return
        parts: list[QWidget] = [
            button(tr(words), partial(self.answered.emit, doubt, value))
            for value, words in doubt.choices
        ]
        if parts:
            self._column.addLayout(_flow(parts))
        if doubt.kind in _TYPED:
            self._column.addLayout(self._typed(doubt))

    def _add_multiple_choice(self, doubt: FormatQuestion) -> None:
        ticks = [(value, QCheckBox(tr(words))) for value, words in doubt.choices]

        def answer() -> None:
            selected = "\n".join(value for value, tick in ticks if tick.isChecked())
            self.answered.emit(doubt, selected)

        self._column.addLayout(_flow([tick for _, tick in ticks]))
        self._column.addLayout(row(button(tr("Only these"), answer), 1))

    def _typed(self, doubt: FormatQuestion) -> QVBoxLayout:
        field = QLineEdit()
        field.setPlaceholderText(_TYPED[doubt.kind])
        field.setAccessibleName(tr(doubt.question))
        field.setMaximumWidth(field.fontMetrics().averageCharWidth() * 20)

        def answer() -> None:
            if field.text().strip():
                self.answered.emit(doubt, field.text().strip())

        field.returnPressed.connect(answer)
        return column(row(field, button(tr("This one"), answer), 1, spacing=6))


def _flow(parts: list[QWidget]) -> FlowLayout:
    layout = FlowLayout()
    for part in parts:
        layout.addWidget(part)
    return layout
