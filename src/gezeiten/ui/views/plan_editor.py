"""The plan editor: point, names, interval, start, end, channels with their limits."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from PySide6.QtCore import QDateTime, QSignalBlocker, Qt, QTimeZone, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateTimeEdit,
    QGridLayout,
    QLabel,
    QLineEdit,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.contact import LoggerCard
from gezeiten.domain.intervals import interval_text, parse_interval_s
from gezeiten.domain.limits import LimitRule, Side
from gezeiten.domain.models import ChannelSpec
from gezeiten.domain.outlook import readings_that_fit
from gezeiten.domain.plan import Plan, first_due_ms
from gezeiten.domain.quantities import quantity
from gezeiten.errors import PlanError
from gezeiten.ui.i18n import clock_time, counted, number, tr
from gezeiten.ui.parts import clear, label, row, rule
from gezeiten.ui.views.logger_list import reading_words

STOPS_S = (1, 10, 60, 120, 300, 360, 600, 900, 1800, 3600, 7200, 21_600, 43_200, 86_400)
_NAMED_STOPS_S = (1, 10, 60, 300, 600, 1800, 3600, 21_600, 86_400)
_START_WORDS = (("next_interval", "on the next full interval"), ("now", "right away"),
                ("at", "at a set time"))  # fmt: skip
_END_WORDS = (("full", "when memory is full"), ("wrap", "never, the oldest makes room"),
              ("at", "at a set time"))  # fmt: skip


_COUNTING_WORDS = (("consecutive", "consecutive"), ("accumulated", "accumulated"),
                   ("daily", "accumulated daily"))  # fmt: skip


class _QuietSlider(QSlider):
    """A slider that leaves the wheel to the page."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


@dataclass(slots=True)
class _ChannelRow:
    spec: ChannelSpec
    on: QCheckBox
    reads: QLabel
    above: QLineEdit
    below: QLineEdit
    delay: QLineEdit
    counting: QComboBox


class PlanEditor(QWidget):
    """Edits a plan; `changed` is emitted with every change, `plan()` reads it."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._card: LoggerCard | None = None
        self._kept: Plan | None = None
        self._rows: list[_ChannelRow] = []
        self._zone = "UTC"
        self.fault = ""
        self._build()

    # -- building ------------------------------------------------------------------------------
    def _build(self) -> None:
        self.point = QComboBox()
        self.point.setEditable(True)
        self.point.setAccessibleName(tr("Point"))
        self.mission = QLineEdit()
        self.mission.setAccessibleName(tr("Mission name"))
        self.interval = QLineEdit()
        self.interval.setAccessibleName(tr("Interval"))
        self.interval.setMaximumWidth(130)
        self.fits = label("", "muted")
        self.slider = _QuietSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, len(STOPS_S) - 1)
        self.slider.setAccessibleName(tr("Interval, usual stops"))
        self.start = self._combo(_START_WORDS, tr("First reading"))
        self.start_at = self._date_time(tr("Start at"))
        self.first = label("", "muted")
        self.end = self._combo(_END_WORDS, tr("Ends"))
        self.end_at = self._date_time(tr("End at"))
        self.channels = QGridLayout()
        self.channels.setHorizontalSpacing(8)
        self.channels.setVerticalSpacing(5)
        self.problem = label("", "ember", wrap=True)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(3)
        for i, (name, field) in enumerate(
            ((tr("Point"), self.point), (tr("Mission"), self.mission))
        ):
            caption = label(name, "muted")
            caption.setBuddy(field)
            grid.addWidget(caption, 0, i)
            grid.addWidget(field, 1, i)
        for i, (name, part) in enumerate((
            (tr("First reading"), row(self.start, self.start_at, spacing=6)),
            (tr("Ends"), row(self.end, self.end_at, spacing=6)),
        )):  # fmt: skip
            grid.addWidget(label(name, "muted"), 2, i)
            grid.addLayout(part, 3, i)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        layout.addLayout(grid)
        layout.addWidget(self.first)
        layout.addLayout(row(label(tr("Interval"), "head"), self.interval, self.fits, 1))
        layout.addWidget(self.slider)
        layout.addLayout(self._stop_names())
        layout.addLayout(self.channels)
        layout.addWidget(self.problem)
        layout.addStretch(1)
        self.interval.textEdited.connect(self._typed_interval)
        self.slider.valueChanged.connect(self._slid)
        self.point.currentTextChanged.connect(self._changed)
        self.mission.textEdited.connect(self._changed)

    def _combo(self, words: tuple[tuple[str, str], ...], name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for key, text in words:
            box.addItem(tr(text), key)
        box.currentIndexChanged.connect(self._changed)
        return box

    def _date_time(self, name: str) -> QDateTimeEdit:
        field = QDateTimeEdit()
        field.setAccessibleName(name)
        field.setDisplayFormat("d MMM yyyy HH:mm")
        field.setCalendarPopup(True)
        field.dateTimeChanged.connect(self._changed)
        return field

    def _stop_names(self) -> QGridLayout:
        names = QGridLayout()
        for i, stop in enumerate(STOPS_S):
            text = QLabel(interval_text(stop) if stop in _NAMED_STOPS_S else "·")
            text.setProperty("role", "muted")
            text.setAlignment(Qt.AlignmentFlag.AlignCenter)
            names.addWidget(text, 0, i)
            names.setColumnStretch(i, 1)
        names.setContentsMargins(0, 0, 0, 0)
        return names

    # -- showing -------------------------------------------------------------------------------
    def show_plan(self, card: LoggerCard, plan: Plan, point_names: list[str], zone: str) -> None:
        """Show a plan for a logger; only what this model has is shown."""
        blocker = QSignalBlocker(self)
        self._card, self._kept, self._zone = card, plan, zone
        fields = (self.point, self.mission, self.interval, self.slider, self.start, self.end,
                  self.start_at, self.end_at)  # fmt: skip
        blocked = [QSignalBlocker(field) for field in fields]
        self.point.clear()
        self.point.addItems(point_names)
        self.point.setCurrentText(plan.point_name)
        self.mission.setText(plan.mission_name)
        self.interval.setText(interval_text(plan.interval_s))
        self.slider.setValue(self._nearest_stop(plan.interval_s))
        self.start.setCurrentIndex(self.start.findData(plan.start))
        self.end.setCurrentIndex(self.end.findData(plan.end))
        zone_id = QTimeZone(zone.encode())
        for field, at_ms in ((self.start_at, plan.start_ms), (self.end_at, plan.end_ms)):
            field.setTimeZone(zone_id)
            fallback = card.at_ms // 3_600_000 * 3_600_000 + 86_400_000
            field.setDateTime(QDateTime.fromMSecsSinceEpoch(at_ms or fallback, zone_id))
        del blocked
        self._show_channels(card, plan)
        self._refresh_hints()
        blocker.unblock()
        self.changed.emit()

    def renew_card(self, card: LoggerCard) -> None:
        """Take a fresh look at the same logger; nothing typed changes."""
        self._card = card
        for r, live in zip(self._rows, card.live, strict=True):
            r.reads.setText(reading_words(r.spec, live))
        self.changed.emit()

    def _show_channels(self, card: LoggerCard, plan: Plan) -> None:
        clear(self.channels)
        self._rows = []
        heads = (
            tr("Channel"), tr("Reads now"), tr("▲ above"), tr("▼ below"), tr("for longer than"),
            tr("counted"),
        )  # fmt: skip
        for j, text in enumerate(heads):
            self.channels.addWidget(label(text, "muted"), 0, j)
        self.channels.setColumnStretch(0, 2)
        for i, spec in enumerate(card.identity.model.channels):
            self._add_channel(2 * i + 1, card, plan, spec, i)

    def _add_channel(
        self, line: int, card: LoggerCard, plan: Plan, spec: ChannelSpec, index: int
    ) -> None:
        name = quantity(spec.key)
        reads = label(reading_words(spec, card.live[index]))
        rules = {rule.side: rule for rule in plan.rules_for(spec.key)}
        some = next(iter(rules.values()), None)
        on = QCheckBox(name.name)
        on.setChecked(spec.key in plan.channels)
        above = self._value_field(rules.get("above"), name.name, tr("above"))
        below = self._value_field(rules.get("below"), name.name, tr("below"))
        delay = QLineEdit(interval_text(some.delay_s) if some and some.delay_s else "")
        delay.setPlaceholderText(tr("at once"))
        delay.setAccessibleName(f"{name.name}, {tr('for longer than')}")
        delay.setMaximumWidth(110)
        counting = QComboBox()
        counting.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        counting.setMinimumContentsLength(10)
        for key, text in _COUNTING_WORDS:
            counting.addItem(tr(text), key)
        if some is not None:
            counted_as = "daily" if some.daily else some.counting
            counting.setCurrentIndex(counting.findData(counted_as))
        counting.setAccessibleName(f"{name.name}, {tr('counted')}")
        self._rows.append(_ChannelRow(spec, on, reads, above, below, delay, counting))
        for j, widget in enumerate((on, reads, above, below, delay, counting)):
            self.channels.addWidget(widget, line, j)
        self.channels.addWidget(rule(), line + 1, 0, 1, 6)
        on.toggled.connect(self._changed)
        for field in (above, below, delay):
            field.textEdited.connect(self._changed)
        counting.currentIndexChanged.connect(self._changed)

    def _value_field(self, given: LimitRule | None, name: str, side: str) -> QLineEdit:
        field = QLineEdit(number(given.value, _places(given.value)) if given else "")
        field.setPlaceholderText("—")
        field.setMaximumWidth(78)
        field.setAccessibleName(f"{name}, {side}")
        return field

    # -- reading -------------------------------------------------------------------------------
    def plan(self) -> Plan | None:
        """Return the plan as edited; None (and `fault` says why) while a field makes no sense."""
        self.fault = ""
        for field in (self.interval, *(f for r in self._rows for f in (r.above, r.below, r.delay))):
            _mark(field, wrong=False)
        if self._kept is None:
            return None
        interval_s = self._interval_s()
        limits = [rule for r in self._rows for rule in self._rules(r)]
        if self.fault or interval_s is None:
            return None
        return replace(
            self._kept,
            channels=tuple(r.spec.key for r in self._rows if r.on.isChecked()),
            interval_s=interval_s,
            start=self.start.currentData(),
            start_ms=self._at(self.start_at) if self.start.currentData() == "at" else 0,
            end=self.end.currentData(),
            end_ms=self._at(self.end_at) if self.end.currentData() == "at" else 0,
            limits=tuple(limits),
            mission_name=self.mission.text().strip(),
            point_name=self.point.currentText().strip(),
        )

    def _at(self, field: QDateTimeEdit) -> int:
        return int(field.dateTime().toMSecsSinceEpoch())

    def _interval_s(self) -> int | None:
        try:
            return parse_interval_s(self.interval.text())
        except PlanError as exc:
            _mark(self.interval, wrong=True)
            self.fault = str(exc)
            return None

    def _rules(self, r: _ChannelRow) -> list[LimitRule]:
        """The limits of a channel row; a field without sense is marked and named."""
        sides: tuple[tuple[Side, QLineEdit], ...] = (("above", r.above), ("below", r.below))
        given = [(side, field) for side, field in sides if field.text().strip()]
        if not given or not r.on.isChecked():
            return []
        delay_s = 0
        if r.delay.text().strip():
            try:
                delay_s = parse_interval_s(r.delay.text())
            except PlanError as exc:
                _mark(r.delay, wrong=True)
                self.fault = str(exc)
        made = []
        for side, field in given:
            value, good = self.locale().toDouble(field.text().strip())
            if not good:
                _mark(field, wrong=True)
                self.fault = tr("“%1” is no number; type the limit anew.").replace(
                    "%1", field.text().strip()
                )
                continue
            daily = r.counting.currentData() == "daily"
            counting = "accumulated" if daily else r.counting.currentData()
            made.append(LimitRule(r.spec.key, side, value, delay_s, counting, daily))
        return made

    # -- keeping fields in step ----------------------------------------------------------------
    def _nearest_stop(self, interval_s: int) -> int:
        return min(
            range(len(STOPS_S)), key=lambda i: abs(math.log(STOPS_S[i] / max(interval_s, 1)))
        )

    def _typed_interval(self) -> None:
        interval_s = self._interval_s()
        if interval_s:
            with QSignalBlocker(self.slider):
                self.slider.setValue(self._nearest_stop(interval_s))
        self._changed()

    def _slid(self, stop: int) -> None:
        self.interval.setText(interval_text(STOPS_S[stop]))
        self._changed()

    def _changed(self, *_args: object) -> None:
        self._refresh_hints()
        self.changed.emit()

    def _refresh_hints(self) -> None:
        self.start_at.setVisible(self.start.currentData() == "at")
        self.end_at.setVisible(self.end.currentData() == "at")
        for r in self._rows:
            has_limit = bool(r.above.text().strip() or r.below.text().strip())
            for field in (r.above, r.below):
                field.setEnabled(r.on.isChecked())
            for field in (r.delay, r.counting):
                field.setEnabled(r.on.isChecked() and has_limit)
        plan = self.plan()
        self.problem.setText(self.fault)
        self.problem.setVisible(bool(self.fault))
        if plan is None or self._card is None:
            self.fits.setText("")
            return
        fit = readings_that_fit(self._card.identity.model, plan)
        self.fits.setText(counted(fit, "%n reading per channel", "%n readings per channel"))

    def tick(self, now_ms: int) -> str:
        """Return when the first reading would come, counting down."""
        plan = self.plan()
        if plan is None or plan.interval_s <= 0:
            self.first.setText("")
            return ""
        due = first_due_ms(plan, now_ms)
        seconds = max(round((due - now_ms) / 1000), 0)
        at = clock_time(due, self._zone, seconds=True)
        if seconds < 3600:
            left = f"{seconds // 60}:{seconds % 60:02d}"
        else:
            left = interval_text(seconds // 60 * 60)
        words = tr("first reading %1, in %2").replace("%1", at).replace("%2", left)
        self.first.setText(words)
        return words


def _mark(field: QLineEdit, *, wrong: bool) -> None:
    """Frame a field whose text makes no sense."""
    if bool(field.property("wrong")) != wrong:
        field.setProperty("wrong", wrong)
        field.style().unpolish(field)
        field.style().polish(field)


def _places(value: float) -> int:
    """Return how many decimals a limit needs to be shown exactly, at most three."""
    return next((d for d in range(3) if round(value, d) == value), 3)
