"""A dialog on what was stated about something over time: a table, a form, a reason.

Deployments, limits, sensor depths, remarks, check readings, calculated series and clocks are all
seen, stated and withdrawn in this shape.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import (
    QHeaderView,
    QLayout,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.tables import plain_table
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.points.reason_field import reason_field
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting_dialog import ActingDialog


class HistoryDialog(ActingDialog):
    """Subclasses declare the table, make their fields, call `lay_out` and then `_load`; they say
    how what was stated is read (`_read`, off the main thread) and shown (`_show`).

    entry: the form, hidden in a read-only archive as are the buttons. words: the reason.
    """

    def __init__(
        self,
        parent: QWidget,
        context: AppContext,
        subject: str,
        title: str,
        heads: list[str],
        *,
        table_name: str = "",
        wide: tuple[int, ...] = (),
    ) -> None:
        """title: also the table's name without one of its own. wide: columns that share the room
        and break into lines; without any the last one takes it."""
        super().__init__(parent, context)
        self.setWindowTitle(f"{title} · {subject}" if subject else title)
        self.table = statement_table(table_name or title, heads, wide)
        self.entry = QWidget()
        self.words = reason_field()
        self.typed = (self.words,)

    def lay_out(
        self,
        form: QLayout,
        *buttons: QPushButton,
        intro: str = "",
        body: tuple[tuple[QWidget | QLayout, int], ...] = (),
    ) -> None:
        """Lay out the dialog: an introduction, the body, the form, the buttons below.

        body: what stands above the form, each with its share of the room; the table alone where
        nothing is said.
        """
        self.entry.setLayout(form)
        laid = QVBoxLayout()
        laid.setSpacing(8)
        laid.setContentsMargins(16, 16, 16, 16)
        if intro:
            laid.addWidget(label(intro, "muted", wrap=True))
        for part, share in body or ((self.table, 1),):
            if isinstance(part, QWidget):
                laid.addWidget(part, share)
            else:
                laid.addLayout(part, share)
        laid.addWidget(self.entry)
        laid.addWidget(self.problem)
        laid.addLayout(row(*buttons, 1, button(tr("Close"), self.accept), spacing=8))
        self.setLayout(laid)
        if self._context.is_read_only:
            for part in (self.entry, *buttons):
                part.hide()

    def _load(self) -> None:
        self._context.run(
            lambda _task: self._read(),
            self._show,
            failed=self._show_message,
            latest=f"{type(self).__name__} {id(self)}",
        )

    def _read(self) -> object:
        """Return what was stated; called off the main thread."""
        raise NotImplementedError

    def _show(self, read: Any) -> None:
        """Show what `_read` returned."""
        raise NotImplementedError


def statement_table(name: str, heads: list[str], wide: tuple[int, ...] = ()) -> QTableWidget:
    """Return a table of statements, some of its columns wide."""
    table = plain_table(name, heads)
    for position in wide:
        table.horizontalHeader().setSectionResizeMode(position, QHeaderView.ResizeMode.Stretch)
    return table


def form(*lines: QLayout | QWidget) -> QVBoxLayout:
    """Return the lines of a form, close together."""
    return column(*lines, spacing=6)
