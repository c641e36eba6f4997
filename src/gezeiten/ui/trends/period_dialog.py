"""A stretch by its two instants, an instant or a day to go to: by keyboard."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QWidget

from gezeiten.domain.series.timeline import Span, from_ms, local_days, midnight_ms
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.widgets import button, column, label, row


class PeriodDialog(QDialog):
    """taken: the stretch typed, and whether it is to be zoomed to as well."""

    taken = Signal(object, bool)

    def __init__(self, parent: QWidget, span: Span, zone: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Mark a period"))
        self._zone = zone
        self.since, self.until = DateTimeField(tr("From")), DateTimeField(tr("Until"))
        for field, at_ms in ((self.since, span[0]), (self.until, span[1])):
            field.show_instant(at_ms, zone)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        take = button(tr("Mark and zoom to it"), lambda: self._accept(zoom=True), "primary")
        take.setDefault(True)
        self.setLayout(
            column(
                label(tr("Site time: %1").replace("%1", zone), "muted"),
                label(tr("From"), "muted"),
                self.since,
                label(tr("Until"), "muted"),
                self.until,
                self.problem,
                row(
                    button(tr("Cancel"), self.reject),
                    1,
                    button(tr("Mark"), lambda: self._accept(zoom=False)),
                    take,
                ),
                spacing=6,
                margins=16,
            )
        )
        self.since.setFocus()

    def _accept(self, *, zoom: bool) -> None:
        try:
            span = (self.since.instant_ms(self._zone), self.until.instant_ms(self._zone))
        except FieldError as exc:
            self._show_message(str(exc))
            return
        if span[1] <= span[0]:
            self._show_message(tr("The period ends before it begins; type a later end."))
            return
        self.taken.emit(span, zoom)
        self.accept()

    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.show()


class GoToInstant(QDialog):
    """taken: the instant typed, UTC ms."""

    taken = Signal(object)

    def __init__(self, parent: QWidget, at_ms: int, zone: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Go to an instant"))
        self._zone = zone
        self.at = DateTimeField(tr("Instant"))
        self.at.show_instant(at_ms, zone)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        take = button(tr("Go there"), self._accept, "primary")
        take.setDefault(True)
        self.setLayout(
            column(
                label(tr("Site time: %1").replace("%1", zone), "muted"),
                self.at,
                self.problem,
                row(button(tr("Cancel"), self.reject), 1, take),
                spacing=6,
                margins=16,
            )
        )
        self.at.setFocus()

    def _accept(self) -> None:
        try:
            at_ms = self.at.instant_ms(self._zone)
        except FieldError as exc:
            self.problem.setText(str(exc))
            self.problem.show()
            return
        self.taken.emit(at_ms)
        self.accept()


class GoToDay(QDialog):
    """taken: the local day chosen, as a stretch."""

    taken = Signal(object)

    def __init__(self, parent: QWidget, at_ms: int, zone: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Go to a day"))
        self._zone = zone
        self.day = DateTimeField(tr("Day"), has_time=False)
        self.day.show_day(from_ms(at_ms, zone).date())
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        take = button(tr("Show this day"), self._accept, "primary")
        take.setDefault(True)
        self.setLayout(
            column(
                self.day,
                self.problem,
                row(button(tr("Cancel"), self.reject), 1, take),
                spacing=8,
                margins=16,
            )
        )
        self.day.setFocus()

    def _accept(self) -> None:
        try:
            start = midnight_ms(self.day.day(), self._zone)
        except FieldError as exc:
            self.problem.setText(str(exc))
            self.problem.show()
            return
        _, span = next(iter(local_days(start, start + 1, self._zone)))
        self.taken.emit(span)
        self.accept()
