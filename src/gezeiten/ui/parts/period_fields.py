"""The fields of a period: from, until, and a box for "no end"."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QCheckBox, QHBoxLayout

from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.widgets import label, row


class PeriodFields:
    """Two instants and a check box that takes the second away.

    without_end: what the box says. changed: called when a field was edited or the box clicked.
    """

    def __init__(
        self, changed: Callable[[], None] = lambda: None, *, without_end: str = ""
    ) -> None:
        self.since, self.until = DateTimeField(tr("From")), DateTimeField(tr("Until"))
        self.open_end = QCheckBox(without_end or tr("until further notice"))
        self.open_end.setChecked(True)
        self.until.setEnabled(False)
        self.open_end.toggled.connect(self._end_toggled)
        self._changed = changed
        for field in (self.since, self.until):
            field.editingFinished.connect(changed)

    def _end_toggled(self, on: bool) -> None:
        self.until.setEnabled(not on)
        self._changed()

    def show_period(self, start_ms: int, end_ms: int, zone: str) -> None:
        """Show two instants (UTC ms) in a zone; the box stays as it is."""
        self.since.show_instant(start_ms, zone)
        self.until.show_instant(end_ms, zone)

    def entered(self, zone: str) -> tuple[int, int | None]:
        """Return both instants in UTC ms; the end is None where the box is ticked.

        Raises:
            FieldError: a field is no instant.
        """
        end_ms = None if self.open_end.isChecked() else self.until.instant_ms(zone)
        return (self.since.instant_ms(zone), end_ms)

    def in_a_row(self) -> QHBoxLayout:
        """Return all fields in one row, with their captions."""
        return row(
            label(tr("from"), "muted"),
            self.since,
            label(tr("until"), "muted"),
            self.until,
            self.open_end,
            spacing=6,
        )
