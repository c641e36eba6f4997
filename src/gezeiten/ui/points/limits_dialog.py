"""Limits of a point's series: those of plans and those set here, by when they were in force."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.record.statements.limits import (
    LimitView,
    end_limit,
    limits_over_time,
    set_limit,
    withdraw_limit,
)
from gezeiten.desk.sites.places import ChannelPlace, PointPlace, points
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import ShownUnit
from gezeiten.ui.format.i18n import instant, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.period_fields import PeriodFields
from gezeiten.ui.parts.rules import mean_text, rule_text
from gezeiten.ui.parts.tables import fill, selected_item
from gezeiten.ui.parts.widgets import button, clear, label, row
from gezeiten.ui.plan.channels import LimitLine
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.history_dialog import HistoryDialog, form

MEANS_S = (0, 3600, 8 * 3600, 24 * 3600, 7 * 86_400, 30 * 86_400)
"""What a limit may compare: each reading, or the mean of the time before it."""


class LimitsDialog(HistoryDialog):
    """Shows the limits of one point; what is set is in force at once, also for what is past."""

    kept_words = "Kept; excursions were found anew."

    def __init__(self, parent: QWidget, context: AppContext, point: PointPlace) -> None:
        super().__init__(
            parent,
            context,
            point.full_name,
            tr("Limits"),
            [tr("Series"), tr("Limit"), tr("From"), tr("Until"), tr("Set by"), tr("Reason")],
        )
        self._point = point
        self._units = units_of(context.desk.settings)
        self.series = QComboBox()
        self.series.setAccessibleName(tr("Series"))
        self._offer()
        self.series.currentIndexChanged.connect(lambda _: self._update_limit_fields())
        self.means = QComboBox()
        self.means.setAccessibleName(tr("Compared value"))
        self.line: LimitLine | None = None
        self._room = QHBoxLayout()
        self.period = PeriodFields()
        now = context.desk.now_ms()
        self.period.show_period(now, now, point.zone)
        self.end_button = button(tr("End selected at “until”"), self.end)
        self.undo_button = button(tr("Withdraw selected"), self.withdraw)
        self.lay_out(
            self._build_form(),
            self.end_button,
            self.undo_button,
            intro=tr(
                "Each period is judged by the limits in force at that time, here and in "
                "every document."
            ),
        )
        self.resize(1000, 600)
        self._update_limit_fields()
        self._load()

    def _build_form(self) -> QVBoxLayout:
        return form(
            label(tr("New limit"), "head"),
            row(self.series, self.means, 1, spacing=6),
            self._room,
            row(self.period.in_a_row(), label(self._point.zone, "muted"), 1, spacing=6),
            row(self.words, button(tr("Set limit"), self.enter, "primary"), spacing=6),
        )

    # -- showing -------------------------------------------------------------------------------
    def _place(self) -> ChannelPlace | None:
        place: ChannelPlace | None = self.series.currentData()
        return place

    def _unit(self) -> ShownUnit:
        place = self._place()
        return self._units.of_series(self._point, place.channel) if place else ShownUnit("")

    def _update_limit_fields(self) -> None:
        """The fields of a limit, in the unit of the chosen series."""
        clear(self._room)
        place = self._place()
        self.line = None
        self.means.clear()
        if place is not None:
            has_mean = quantity(place.channel).averages != "direction"
            for mean_s in MEANS_S if has_mean else MEANS_S[:1]:
                self.means.addItem(mean_text(place.channel, mean_s), mean_s)
            self.line = LimitLine(place.channel, self._unit, lambda *_: None, None)
            self._room.addWidget(self.line)

    def _offer(self) -> None:
        """The series of the point; the one that was chosen stays so."""
        selected = self.series.currentText()
        self.series.blockSignals(True)
        self.series.clear()
        for place in self._point.channels:
            self.series.addItem(quantity(place.channel).name, place)
        self.series.setCurrentIndex(max(self.series.findText(selected), 0))
        self.series.blockSignals(False)

    def _read(self) -> tuple[list[LimitView], list[PointPlace]]:
        desk = self._context.desk
        return limits_over_time(desk, self._point.id), points(desk)

    def _show(self, known: tuple[list[LimitView], list[PointPlace]]) -> None:
        seen, listed = known
        here = next(point for point in listed if point.id == self._point.id)
        if here.channels != self._point.channels:  # a series came since it was opened from a list
            self._point = here
            self._offer()
            self._update_limit_fields()
        fill(self.table, [self._row(one) for one in seen], list(seen))
        own = [i for i, one in enumerate(seen) if one.stored is not None]
        self.table.setCurrentCell(own[-1] if own else len(seen) - 1, 0)
        for action in (self.end_button, self.undo_button):
            action.setEnabled(bool(own))

    def _row(self, limit_view: LimitView) -> list[str]:
        zone = self._point.zone
        until = tr("until now") if limit_view.end_ms is None else instant(limit_view.end_ms, zone)
        stated = (
            tr("mission %1 of %2")
            .replace("%1", number(limit_view.mission))
            .replace("%2", limit_view.serial)
        )
        if limit_view.stored is not None:
            stated = f"{limit_view.stored.stated_by}, {instant(limit_view.stored.stated_ms, zone)}"
        return [
            quantity(limit_view.series).name,
            rule_text(
                limit_view.rule, self._units, self._units.own(self._point, limit_view.series)
            ),
            instant(limit_view.start_ms, zone),
            until,
            stated,
            limit_view.stored.reason if limit_view.stored else tr("its plan"),
        ]

    # -- acts ------------------------------------------------------------------------------------
    def enter(self) -> None:
        """Set the limit that the fields say."""
        place, desk, point = self._place(), self._context.desk, self._point
        if place is None or self.line is None:
            self._show_message(
                tr("There is no reading at this point yet; offload its logger first.")
            )
            return
        try:
            rule = replace(self.line.rule(), mean_s=self.means.currentData())
            start_ms, end_ms = self.period.entered(point.zone)
        except FieldError as exc:
            self._show_message(str(exc))
            return
        words = self.words.text()
        self._do(lambda: set_limit(desk, point.id, place.channel, rule, start_ms, end_ms, words))

    def _selected(self) -> LimitView | None:
        one = selected_item(self.table)
        if isinstance(one, LimitView) and one.stored is not None:
            return one
        self._show_message(
            tr("Select a limit that was set here; the limit of a plan ends with its mission.")
        )
        return None

    def end(self) -> None:
        """Let the chosen limit end at the instant typed."""
        one, desk = self._selected(), self._context.desk
        if one is None or one.stored is None:
            return
        try:
            end_ms = self.period.until.instant_ms(self._point.zone)
        except FieldError as exc:
            self._show_message(str(exc))
            return
        stored, words = one.stored, self.words.text()
        self._do(lambda: end_limit(desk, stored, end_ms, words))

    def withdraw(self) -> None:
        """Take the chosen limit back."""
        one, desk = self._selected(), self._context.desk
        if one is not None and one.stored is not None:
            stored = one.stored
            self._do(lambda: withdraw_limit(desk, stored))
