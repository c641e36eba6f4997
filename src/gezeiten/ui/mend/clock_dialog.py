"""The clock of a logger's mission put right: by contacts, by an amount, by another series."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from gezeiten.desk.record.statements.clock_search import by_data, other_series
from gezeiten.desk.record.statements.clocks import (
    FOUND,
    MEASURED,
    SAID_U_MS,
    SHIFTED,
    MissionClock,
    by_amount,
    by_contacts,
    by_zone,
    mission_clocks,
    save_clock_correction,
    switch_clock,
    uncertainty_of_amount,
    withdraw_clock_correction,
)
from gezeiten.desk.record.statements.losses import ValueLoss, losses_of_clock
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.base.wording import error_decimals
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.clocks.clock_map import ClockMap
from gezeiten.domain.series.clocks.clock_uncertainty import ClockUncertainty
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import instant, number, tr
from gezeiten.ui.mend.clock_texts import (
    parsed_shift_ms,
    search_text,
    seconds,
    shift_text,
    uncertainty_text,
)
from gezeiten.ui.mend.loss_texts import loss_text
from gezeiten.ui.parts.tables import fill
from gezeiten.ui.parts.widgets import button, label, row
from gezeiten.ui.plan.section import captioned
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.history_dialog import HistoryDialog, form

_WAYS = (
    ("contacts", "stretched between contacts"),
    ("zone", "was set to local time"),
    ("amount", "by an amount"),
    ("data", "matched with another series"),
)


@dataclass(frozen=True, slots=True)
class Trial:
    """What would be kept. text: of what it does."""

    clock: ClockMap
    method: str
    uncertainty: ClockUncertainty
    text: str


class ClockDialog(HistoryDialog):
    """Shows the clocks of the missions that feed a series, and puts one right."""

    kept_words = "Saved; excursions were updated."

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, series: str
    ) -> None:
        super().__init__(
            parent,
            context,
            point.full_name,
            tr("Clock"),
            [
                tr("True time (%1)").replace("%1", point.zone),
                tr("Clock ahead by"),
                tr("Uncertainty"),
            ],
            table_name=tr("Clock readings"),
            wide=(0, 1, 2),
        )
        self._point, self._series = point, series
        self._clocks: list[MissionClock] = []
        self.trial: Trial | None = None
        self._show_result = ""
        self.mission = QComboBox()
        self.mission.setAccessibleName(tr("Mission"))
        self.mission.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.now = label("", "muted", wrap=True)
        self.way = QComboBox()
        self.way.setAccessibleName(tr("Method"))
        for key, name in _WAYS:
            self.way.addItem(tr(name), key)
        self.amount = QLineEdit()
        self.amount.setAccessibleName(tr("Shift"))
        self.amount.setPlaceholderText("-1:00:00")
        self.other = QComboBox()
        self.other.setAccessibleName(tr("Other series"))
        self.figures = label("", "", wrap=True)
        self.keep_button = button(tr("Apply clock correction"), self.keep, "primary")
        self.switch_button = button("", self.switch)
        self.undo_button = button(tr("Undo"), self.withdraw)
        self.lay_out(
            self._build_form(),
            self.switch_button,
            self.undo_button,
            body=(
                (row(label(tr("Mission"), "muted"), self.mission, 1), 0),
                (self.now, 0),
                (self.table, 1),
            ),
        )
        self.resize(760, 520)
        self.mission.currentIndexChanged.connect(lambda _: self._show_clock())
        self.way.currentIndexChanged.connect(lambda _: self._update_method_fields())
        self.other.activated.connect(lambda _: self._try())
        self.amount.editingFinished.connect(self._try)
        self._load()

    def _build_form(self) -> QVBoxLayout:
        self._amount_box, self._other_box = QWidget(), QWidget()
        self._amount_box.setLayout(captioned(tr("Shift, h:mm:ss"), self.amount))
        self._other_box.setLayout(captioned(tr("Other series"), self.other))
        method = QWidget()
        method.setLayout(captioned(tr("Method"), self.way))
        return form(
            row(method, self._amount_box, self._other_box, 1),
            self.figures,
            row(self.words, self.keep_button, spacing=6),
        )

    # -- showing ---------------------------------------------------------------------------------
    def _read(self) -> tuple[list[MissionClock], list[tuple[PointPlace, str]]]:
        desk, point, series = self._context.desk, self._point, self._series
        return mission_clocks(desk, point, series), other_series(desk, point, series)

    def _show(self, told: tuple[list[MissionClock], list[tuple[PointPlace, str]]]) -> None:
        self._clocks, others = told
        selected = max(self.mission.currentIndex(), 0)
        self.mission.blockSignals(True)
        self.mission.clear()
        for clock in self._clocks:
            name = tr("%1, mission %2").replace("%1", clock.serial)
            self.mission.addItem(name.replace("%2", number(clock.number)))
        last = len(self._clocks) - 1
        self.mission.setCurrentIndex(min(selected, last) if self.other.count() else last)
        self.mission.blockSignals(False)
        if not self.other.count():
            for place, key in others:
                self.other.addItem(f"{quantity(key).name} · {place.full_name}", (place, key))
        self.entry.setEnabled(bool(self._clocks))
        if not self._clocks:
            self._show_message(
                tr(
                    "No logger recorded this series; the times of text files are set in "
                    "their import template."
                )
            )
            return
        self._show_clock()

    @property
    def clock(self) -> MissionClock | None:
        """The clock of the chosen mission."""
        place = self.mission.currentIndex()
        return self._clocks[place] if 0 <= place < len(self._clocks) else None

    def _show_clock(self) -> None:
        clock = self.clock
        if clock is None:
            return
        zone = self._point.zone
        rows = [
            [
                instant(clock_read.true_ms, zone, seconds=True),
                seconds(clock_read.shown_ms - clock_read.true_ms),
                _within(2 * clock_read.u_ms / 1000),
            ]
            for clock_read in clock.reads
        ]
        fill(self.table, rows, list(clock.reads))
        its = clock.correction or clock.disabled_correction
        for one in (self.switch_button, self.undo_button):
            one.setEnabled(its is not None)
        self.switch_button.setText(
            tr("Disable") if clock.correction or its is None else tr("Enable")
        )
        words = tr("No clock correction: times are as the logger recorded them.")
        if its is not None:
            stored = its
            first, last = stored.map.moves_ms
            words = tr("Shifted by %1 to %2 (%3), ± %4 s: %5 · %6")
            if clock.correction is None:
                words = tr(
                    "Disabled: times are as the logger recorded them. Enabled they are "
                    "shifted by %1 to %2 (%3), ± %4 s: %5 · %6"
                )
            words = words.replace("%1", seconds(first)).replace("%2", seconds(last))
            words = words.replace("%3", tr(stored.method)).replace(
                "%4", number(stored.uncertainty.u_ms / 1000, 1)
            )
            words = words.replace("%5", stored.reason).replace("%6", stored.stated_by)
        self.now.setText(words)
        self._update_method_fields()

    def _update_method_fields(self) -> None:
        method = self.way.currentData()
        self._amount_box.setVisible(method == "amount")
        self._other_box.setVisible(method == "data")
        self._try()

    # -- trying ----------------------------------------------------------------------------------
    def _try(self) -> None:
        """Show what the chosen way would do."""
        self.trial, self._show_result = None, ""
        self.keep_button.setEnabled(False)
        self.figures.clear()
        clock, method = self.clock, self.way.currentData()
        if clock is None or (method == "amount" and not self.amount.text().strip()):
            return
        if method == "data":
            self._preview(clock)
            return
        try:
            self._show_trial(self._trial(clock, method))
        except InputError as exc:
            self.figures.setText(str(exc))

    def _trial(self, clock: MissionClock, method: str) -> Trial:
        if method == "contacts":
            clock_fit = by_contacts(clock)
            words = shift_text(clock, clock_fit.clock)
            if clock_fit.jumps:
                at = instant(clock_fit.jumps[0], self._point.zone)
                asked = tr(
                    "Before %1 the clock ran faster or slower than clocks drift: was it set, "
                    "or did it stop? Then enter the shift."
                )
                words += f" {asked.replace('%1', at)}"
            return Trial(clock_fit.clock, MEASURED, clock_fit.uncertainty, words)
        if method == "amount":
            put_right = by_amount(clock, parsed_shift_ms(self.amount.text()))
        else:
            put_right = by_zone(clock, self._point.zone)
        uncertainty = uncertainty_of_amount(clock, put_right, SAID_U_MS)
        return Trial(put_right, SHIFTED, uncertainty, shift_text(clock, put_right))

    def _preview(self, clock: MissionClock) -> None:
        desk, point, series, other = (
            self._context.desk,
            self._point,
            self._series,
            self.other.currentData(),
        )
        if other is None:
            self.figures.setText(tr("There is no other series to compare with."))
            return
        self.figures.setText(tr("Searching …"))

        def work(_task: object) -> Trial | str:
            found = by_data(desk, point, series, clock, other)
            told = search_text(found)
            if not found.shift.is_clear or found.lag is None:
                return told
            if abs(found.shift_ms) <= found.u_ms:
                return tr("They already match.") + f" {told}"
            put_right = by_amount(clock, found.shift_ms)
            words = f"{shift_text(clock, put_right)} {told}"
            return Trial(
                put_right, FOUND, uncertainty_of_amount(clock, put_right, found.u_ms), words
            )

        def show(told: Trial | str) -> None:
            if isinstance(told, str):
                self.figures.setText(told)
            else:
                self._show_trial(told)

        self._context.run(work, show, failed=self.figures.setText, latest="clock trial")

    def _show_trial(self, trial: Trial) -> None:
        """Show a trial; it can be kept once what rests on these readings was looked at."""
        clock, desk = self.clock, self._context.desk
        if clock is None:
            return
        uncertainty = uncertainty_text(clock, trial.clock, trial.uncertainty)
        self.figures.setText(f"{trial.text} {uncertainty}")

        def show(value_losses: list[ValueLoss]) -> None:
            self.trial = trial
            self.figures.setText(" ".join((trial.text, uncertainty, *map(loss_text, value_losses))))
            self.keep_button.setEnabled(True)

        self._context.run(
            lambda _task: losses_of_clock(desk, clock, trial.clock),
            show,
            failed=self.figures.setText,
            latest="clock trial",
        )

    # -- doing -----------------------------------------------------------------------------------
    def keep(self) -> None:
        """Put the clock right as it is shown."""
        desk, clock, trial, words = self._context.desk, self.clock, self.trial, self.words.text()
        if clock is not None and trial is not None:
            self._do(
                lambda: save_clock_correction(
                    desk, clock, trial.clock, trial.method, trial.uncertainty, words
                )
            )

    def switch(self) -> None:
        """Switch what puts the chosen clock right off, or on again."""
        desk, clock, words = self._context.desk, self.clock, self.words.text()
        if clock is not None:
            then = (
                None
                if clock.correction or clock.disabled_correction is None
                else clock.disabled_correction.map
            )
            self._confirm_losses(clock, then, lambda: switch_clock(desk, clock, words))

    def withdraw(self) -> None:
        """Withdraw the selected clock correction."""
        desk, clock = self._context.desk, self.clock
        if clock is not None:
            self._confirm_losses(clock, None, lambda: withdraw_clock_correction(desk, clock))

    def _confirm_losses(
        self, clock: MissionClock, then: ClockMap | None, run: Callable[[], object]
    ) -> None:
        """Do an action; where calculated series lose values by it, only once that was said."""
        desk, told = self._context.desk, f"{clock.mission} {then}"
        if self._show_result == told:
            self._do(run)
            return

        def show(value_losses: list[ValueLoss]) -> None:
            if not value_losses:
                self._do(run)
                return
            self._show_result = told
            again = tr("Press the button again to do it anyway.")
            self._show_message(" ".join((*map(loss_text, value_losses), again)))

        self._context.run(
            lambda _task: losses_of_clock(desk, clock, then),
            show,
            failed=self._show_message,
            latest="clock trial",
        )


def _within(expanded_s: float) -> str:
    """Return within how many seconds a clock was read; never "± 0.0 s"."""
    return f"± {number(expanded_s, error_decimals(expanded_s, 3))} s"
