"""When the first reading comes and when the mission ends."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox

from gezeiten.domain.base.intervals import interval_text, parse_interval_s
from gezeiten.domain.plan.models import End, Start
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS, local_instant_ms, next_full_hour_ms
from gezeiten.errors import RepeatedHourError, SkippedHourError
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.number_field import number_of
from gezeiten.ui.parts.widgets import row
from gezeiten.ui.plan.section import EditContext, QuietCombo, Section, captioned, line, parsed


def start_texts() -> dict[Start, str]:
    """Return the kinds of start, in words."""
    return {
        "next_interval": tr("on the next full interval"),
        "now": tr("immediately"),
        "at": tr("at a set time"),
        "button": tr("by its button"),
    }


def end_texts() -> dict[End, str]:
    """Return the kinds of end, in words."""
    return {
        "full": tr("when memory is full"),
        "wrap": tr("never (overwrite oldest)"),
        "at": tr("at a set time"),
        "count": tr("after a number of readings"),
        "button": tr("by its button"),
    }


class StartEndSection(Section):
    """Only the starts and ends that the model has are offered."""

    fields = ("start", "end")

    def __init__(self) -> None:
        super().__init__()
        self.start = QuietCombo(tr("First reading"))
        self.start_at = DateTimeField(tr("Start at"))
        self.second = QCheckBox(tr("second occurrence"))
        self.second.setToolTip(tr("The clocks show this hour twice; use the second occurrence"))
        self.delay = line(
            tr("Delay after the button"), self._changed, width=90, hint=tr("no delay")
        )
        self.end = QuietCombo(tr("Ends"))
        self.end_at = DateTimeField(tr("End at"))
        self.count = line(tr("Number of readings"), self._changed, width=100)
        self.restart = QCheckBox(tr("restart allowed"))
        self.body.addLayout(
            row(
                captioned(tr("First reading"), self.start, self.start_at, self.second, self.delay),
                captioned(tr("Ends"), self.end, self.end_at, self.count, self.restart),
                1,
                spacing=10,
            )
        )
        self.body.addWidget(self.problem)
        for box in (self.start, self.end):
            box.currentIndexChanged.connect(self._selection_changed)
        for field in (self.start_at, self.end_at):
            field.changed.connect(self._changed)
        for tick in (self.second, self.restart):
            tick.toggled.connect(self._changed)

    def _selection_changed(self) -> None:
        self._show_parameters()
        self.changed.emit()

    def show_plan(self, plan: Plan, context: EditContext) -> None:
        model = context.card.identity.model
        fields = (self.start, self.start_at, self.second, self.end, self.end_at, self.restart)
        blocked = [QSignalBlocker(field) for field in fields]
        self.start.clear()
        for start in model.starts:
            self.start.addItem(start_texts()[start], start)
        self.end.clear()
        for end in model.ends:
            self.end.addItem(end_texts()[end], end)
        self.start.select(plan.start)
        self.end.select(plan.end)
        next_hour = next_full_hour_ms(context.now_ms, context.zone)
        self.start_at.show_instant(plan.start_ms or next_hour, context.zone)
        self.end_at.show_instant(plan.end_ms or next_hour + 14 * DAY_MS, context.zone)
        self.second.setChecked(self._is_second(plan.start_ms, context.zone))
        self.delay.setText(interval_text(plan.start_delay_s) if plan.start_delay_s else "")
        self.count.setText(str(plan.end_count or 1000))
        self.restart.setChecked(plan.restart)
        del blocked
        self._show_parameters()

    def _is_second(self, start_ms: int, zone: str) -> bool:
        """Whether a kept start lies in the second pass of an hour that comes twice."""
        if not start_ms:
            return False
        try:
            return (
                self.start_at.instant_ms(zone, second=True) == start_ms != _first_pass(self, zone)
            )
        except FieldError:
            return False

    def _show_parameters(self) -> None:
        start, end = self.start.currentData(), self.end.currentData()
        self.start_at.setVisible(start == "at")
        self.delay.setVisible(start == "button")
        self.end_at.setVisible(end == "at")
        self.count.setVisible(end == "count")
        self.restart.setVisible(end == "button")
        self.second.setVisible(start == "at" and self.second.isChecked())

    def applied(self, plan: Plan, context: EditContext) -> Plan:
        start, end = self.start.currentData(), self.end.currentData()
        start_ms = end_ms = delay_s = count = 0
        if start == "at":
            start_ms = self._start_ms(context.zone)
        if start == "button" and self.delay.text().strip():
            delay_s = int(parsed(self.delay, parse_interval_s))
        if end == "at":
            end_ms = self.end_at.instant_ms(context.zone)
        if end == "count":
            count = int(min(number_of(self.count, tr("the number of readings")), 2**31))
        return replace(
            plan,
            start=start,
            start_ms=start_ms,
            start_delay_s=delay_s,
            end=end,
            end_ms=end_ms,
            end_count=count,
            restart=end == "button" and self.restart.isChecked(),
        )

    def _start_ms(self, zone: str) -> int:
        """The start; where its hour comes twice, the pass is asked for beside it."""
        try:
            start_ms = self.start_at.instant_ms(zone, second=self.second.isChecked())
        except FieldError as exc:
            self.second.setVisible(isinstance(exc.__cause__, RepeatedHourError))
            raise
        self.second.setVisible(self.second.isChecked() and start_ms != _first_pass(self, zone))
        return start_ms


def _first_pass(section: StartEndSection, zone: str) -> int | None:
    """The first pass of the hour shown, None where there is only one or none."""
    shown = section.start_at.shown()
    try:
        local_instant_ms(shown, zone)
    except RepeatedHourError:
        return local_instant_ms(shown, zone, second=True) - HOUR_MS
    except SkippedHourError:
        return None
    return local_instant_ms(shown, zone)
