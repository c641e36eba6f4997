"""The plan editor: sections for names, channels, start and end, times, manners.

`changed` is emitted with every change; `plan()` puts the sections' parts together.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.plan.plan import Plan, first_due_ms
from gezeiten.domain.plan.plan_check import check_plan
from gezeiten.ui.format.i18n import clock_time, day_and_time, tr
from gezeiten.ui.format.units import Units
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.widgets import rule
from gezeiten.ui.plan.channels import ChannelsSection
from gezeiten.ui.plan.device_options import DeviceOptionsSection
from gezeiten.ui.plan.names import NamesSection
from gezeiten.ui.plan.section import EditContext, Section
from gezeiten.ui.plan.start_end import StartEndSection
from gezeiten.ui.plan.times import TimesSection


class PlanEditor(QWidget):
    """Edits a plan for one logger; only what its model has is shown."""

    changed = Signal()

    def __init__(
        self,
        now_ms: Callable[[], int],
        units: Callable[[], Units],
        pattern_name: Callable[[str], str],
    ) -> None:
        super().__init__()
        self._now_ms = now_ms
        self._card: LoggerCard | None = None
        self._kept: Plan | None = None
        self._zone = "UTC"
        self._plan: Plan | None = None
        self._showing = False
        self.fault = ""
        self.names = NamesSection(pattern_name)
        self.channels = ChannelsSection(units)
        self.start_end = StartEndSection()
        self.times = TimesSection()
        self.device_options = DeviceOptionsSection()
        # in this order they are applied: what comes later builds on what comes first
        self._sections: tuple[Section, ...] = (
            self.names,
            self.channels,
            self.start_end,
            self.device_options,
            self.times,
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        layout.setSpacing(7)
        for part in (
            self.names,
            self.times,
            self.start_end,
            rule(),
            self.channels,
            self.device_options,
        ):
            layout.addWidget(part)
        layout.addStretch(1)
        for section in self._sections:
            section.changed.connect(self._changed)

    # -- showing -------------------------------------------------------------------------------
    def show_plan(self, card: LoggerCard, plan: Plan, zone: str) -> None:
        """Show a plan for a logger."""
        self._card, self._kept, self._zone = card, plan, zone
        context = EditContext(card, zone, self._now_ms())
        self._showing = True
        for section in self._sections:
            with QSignalBlocker(section):
                section.show_plan(plan, context)
        self._showing = False
        self.device_options.setVisible(bool(card.identity.model.manners))
        self._changed()

    def renew_card(self, card: LoggerCard) -> None:
        """Take a fresh look at the same logger; nothing typed changes."""
        self._card = card
        self.channels.show_live(card)
        self._changed()

    # -- reading -------------------------------------------------------------------------------
    def plan(self) -> Plan | None:
        """Return the plan as edited, None where a field makes no sense (`fault` says which)."""
        return self._plan

    def _read(self, context: EditContext) -> Plan:
        assert self._kept is not None
        plan = self._kept
        for section in self._sections:
            plan = section.applied(plan, context)
        return plan

    def _changed(self) -> None:
        if self._card is None or self._kept is None or self._showing:
            return
        context = EditContext(self._card, self._zone, self._now_ms())
        error: FieldError | None = None
        self._plan, self.fault = None, ""
        try:
            self._plan = self._read(context)
        except FieldError as exc:
            error, self.fault = exc, str(exc)
        faults = []
        if self._plan is not None:
            with QSignalBlocker(self.times):
                self.times.follow(self._plan, context)
            faults = check_plan(self._plan, self._card.identity.model, context.now_ms)
        for section in self._sections:
            section.show_faults(faults, error)
        self.changed.emit()

    # -- the first reading -----------------------------------------------------------------------
    def first_reading(self) -> str:
        """Return when the first reading would come, for the large button; "" without a plan."""
        plan = self._plan
        if plan is None or plan.interval_s <= 0:
            return ""
        if plan.start == "button":
            delay = interval_text(plan.start_delay_s) if plan.start_delay_s else ""
            words = (
                tr("%1 after its button is pressed") if delay else tr("when its button is pressed")
            )
            return words.replace("%1", delay)
        if plan.start == "now":
            return tr("immediately")
        due = first_due_ms(plan, self._now_ms())
        if due - self._now_ms() > 20 * 3_600_000:
            return tr("first reading %1").replace("%1", day_and_time(due, self._zone))
        at = clock_time(due, self._zone, seconds=True)
        return tr("first reading %1").replace("%1", at)

    def countdown(self) -> str:
        """Return how long it is until the first reading, "" where that is not known."""
        plan = self._plan
        if plan is None or plan.interval_s <= 0 or plan.start == "button":
            return ""
        seconds = max(round((first_due_ms(plan, self._now_ms()) - self._now_ms()) / 1000), 0)
        if seconds < 3600:
            return f"{seconds // 60}:{seconds % 60:02d}"
        return interval_text(seconds // 60 * 60)
