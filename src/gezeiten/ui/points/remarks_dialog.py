"""Remarks on a point: seen, written, taken back."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.record.statements.remarks import remarks, withdraw_remark, write_remark
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.facts.stored import Remark
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import Span
from gezeiten.ui.format.i18n import instant, tr
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.period_fields import PeriodFields
from gezeiten.ui.parts.tables import fill, selected_item
from gezeiten.ui.parts.widgets import button, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.history_dialog import HistoryDialog, form

_SITE = "*"


class RemarksDialog(HistoryDialog):
    """Shows the remarks on a point and its site; what is written is shown in every picture."""

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, span: Span | None = None
    ) -> None:
        """span: the stretch that a new one is about; of no length for an instant."""
        super().__init__(
            parent,
            context,
            point.full_name,
            tr("Remarks"),
            [tr("When (%1)").replace("%1", point.zone), tr("About"), tr("Remark"), tr("By")],
            wide=(2,),
        )
        self._point = point
        self.words.setAccessibleName(tr("Remark"))
        self.words.setPlaceholderText(tr("rain gauge cleaned, door left open for painting, …"))
        self.words.returnPressed.connect(self.write)
        self.about = QComboBox()
        self.about.setAccessibleName(tr("About"))
        self.about.addItem(tr("the whole point"), "")
        for place in point.channels:
            self.about.addItem(quantity(place.channel).name, place.channel)
        self.about.addItem(tr("the whole site %1").replace("%1", point.site), _SITE)
        now = round(context.desk.now_ms())
        begin, end = span or (now, now)
        self.period = PeriodFields(without_end=tr("at one instant"))
        self.period.show_period(begin, end, point.zone)
        self.period.open_end.setChecked(end <= begin)
        self.undo_button = button(tr("Withdraw selected"), self.withdraw)
        self.lay_out(self._build_form(), self.undo_button)
        self.resize(860, 460)
        self.words.setFocus()
        self._load()

    def _build_form(self) -> QVBoxLayout:
        return form(
            row(self.words, button(tr("Save remark"), self.write, "primary"), spacing=6),
            row(label(tr("about"), "muted"), self.about, 1, spacing=6),
            row(self.period.in_a_row(), 1),
        )

    def _read(self) -> list[Remark]:
        return remarks(self._context.desk, self._point.id)

    def _show(self, listed: list[Remark]) -> None:
        fill(self.table, [self._row(remark) for remark in listed], list(listed))
        self.table.setCurrentCell(len(listed) - 1, 0)
        self.undo_button.setEnabled(bool(listed))

    def _row(self, remark: Remark) -> list[str]:
        zone = self._point.zone
        until = f" – {instant(remark.end_ms, zone)}" if remark.end_ms > remark.start_ms else ""
        about = quantity(remark.series).name if remark.series else tr("the point")
        return [
            f"{instant(remark.start_ms, zone)}{until}",
            tr("the whole site") if remark.whole_site else about,
            remark.text,
            f"{remark.stated_by}, {instant(remark.stated_ms, zone)}",
        ]

    def write(self) -> None:
        """Write the remark that the fields say."""
        desk, point, words = self._context.desk, self._point, self.words.text()
        try:
            start_ms, end_ms = self.period.entered(point.zone)
        except FieldError as exc:
            self._show_message(str(exc))
            return
        about = self.about.currentData()
        series = "" if about == _SITE else about
        self._do(
            lambda: write_remark(
                desk,
                point.id,
                (start_ms, start_ms if end_ms is None else end_ms),
                words,
                series=series,
                whole_site=about == _SITE,
            )
        )

    def withdraw(self) -> None:
        """Take the chosen remark back."""
        one, desk = selected_item(self.table), self._context.desk
        if isinstance(one, Remark):
            self._do(lambda: withdraw_remark(desk, one))
