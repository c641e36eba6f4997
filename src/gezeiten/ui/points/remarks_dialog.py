"""Remarks on a point: seen, written, taken back."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHeaderView,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.record.statements.remarks import remarks, withdraw_remark, write_remark
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.facts.stored import Remark
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import Span
from gezeiten.ui.format.i18n import instant, tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting_dialog import ActingDialog

_MOST_SIGNS = 300
_SITE = "*"


class RemarksDialog(ActingDialog):
    """Shows the remarks on a point and its site; what is written is shown in every picture."""

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, span: Span | None = None
    ) -> None:
        """span: the stretch that a new one is about; of no length for an instant."""
        super().__init__(parent, context)
        self.setWindowTitle(tr("Remarks") + f" · {point.full_name}")
        self._context, self._point = context, point
        self.table = plain_table(
            tr("Remarks"),
            [tr("When (%1)").replace("%1", point.zone), tr("About"), tr("Remark"), tr("By")],
        )
        self.table.horizontalHeader().setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.words = QLineEdit()
        self.words.setAccessibleName(tr("Remark"))
        self.words.setPlaceholderText(tr("rain gauge cleaned, door left open for painting, …"))
        self.words.setMaxLength(_MOST_SIGNS)
        self.words.returnPressed.connect(self.write)
        self.about = QComboBox()
        self.about.setAccessibleName(tr("About"))
        self.about.addItem(tr("all of this point"), "")
        for place in point.channels:
            self.about.addItem(quantity(place.channel).name, place.channel)
        self.about.addItem(tr("the whole site %1").replace("%1", point.site), _SITE)
        self.since, self.until = DateTimeField(tr("From")), DateTimeField(tr("Until"))
        now = round(context.desk.now_ms())
        begin, end = span or (now, now)
        for field, at_ms in ((self.since, begin), (self.until, end)):
            field.show_instant(at_ms, point.zone)
        self.is_instant = QCheckBox(tr("at one instant"))
        self.is_instant.toggled.connect(lambda on: self.until.setEnabled(not on))
        self.is_instant.setChecked(end <= begin)
        self.undo_button = button(tr("Take the chosen one back"), self.withdraw)
        self.typed = (self.words,)
        self.setLayout(self._build_layout())
        self.resize(860, 460)
        self.words.setFocus()
        self._load()

    def _build_layout(self) -> QVBoxLayout:
        self.entry = QWidget()
        self.entry.setLayout(
            column(
                row(self.words, button(tr("Write it"), self.write, "primary"), spacing=6),
                row(label(tr("about"), "muted"), self.about, 1, spacing=6),
                row(
                    label(tr("from"), "muted"),
                    self.since,
                    label(tr("until"), "muted"),
                    self.until,
                    self.is_instant,
                    1,
                    spacing=6,
                ),
                spacing=6,
            )
        )
        laid = column(
            self.table,
            self.entry,
            self.problem,
            row(self.undo_button, 1, button(tr("Close"), self.accept)),
            spacing=8,
            margins=16,
        )
        laid.setStretchFactor(self.table, 1)
        if self._context.is_read_only:
            self.entry.hide()
            self.undo_button.hide()
        return laid

    def _load(self) -> None:
        desk, point_id = self._context.desk, self._point.id
        self._context.run(
            lambda _task: remarks(desk, point_id), self._show, failed=self._show_message
        )

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
            start_ms = self.since.instant_ms(point.zone)
            is_one = self.is_instant.isChecked()
            end_ms = start_ms if is_one else self.until.instant_ms(point.zone)
        except FieldError as exc:
            self._show_message(str(exc))
            return
        about = self.about.currentData()
        series = "" if about == _SITE else about
        self._do(
            lambda: write_remark(
                desk, point.id, (start_ms, end_ms), words, series=series, whole_site=about == _SITE
            )
        )

    def withdraw(self) -> None:
        """Take the chosen remark back."""
        one, desk = selected_item(self.table), self._context.desk
        if isinstance(one, Remark):
            self._do(lambda: withdraw_remark(desk, one))
