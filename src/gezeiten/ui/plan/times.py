"""Interval, duration, until: any one determines the others; the shorter interval outside limits."""

from __future__ import annotations

import math
from dataclasses import replace

from PySide6.QtCore import QSignalBlocker, QSize, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QSlider

from gezeiten.domain.base.intervals import interval_text, parse_duration_s, parse_interval_s
from gezeiten.domain.plan.outlook import duration_s, interval_for, readings_that_fit
from gezeiten.domain.plan.plan import Plan, first_due_ms
from gezeiten.domain.series.timeline import duration_text
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.widgets import label, row
from gezeiten.ui.plan.section import EditContext, Section, captioned, line, parsed

STOPS_S = (1, 2, 5, 10, 30, 60, 120, 300, 360, 600, 900, 1800, 3600, 7200, 21_600, 43_200, 86_400)
_NAMED_STOPS_S = (1, 10, 60, 360, 900, 3600, 21_600, 86_400)
_STEPS = 1000
_SHORTEST, _LONGEST = math.log(STOPS_S[0]), math.log(STOPS_S[-1])


def slider_place(interval_s: float) -> int:
    """Return where an interval lies on the logarithmic slider, 0..1000."""
    share = (math.log(max(interval_s, 1)) - _SHORTEST) / (_LONGEST - _SHORTEST)
    return round(min(max(share, 0.0), 1.0) * _STEPS)


def stop_at(place: int) -> int:
    """Return the usual interval nearest to a place on the slider."""
    return min(STOPS_S, key=lambda stop: abs(slider_place(stop) - place))


class LogSlider(QSlider):
    """Steps between the usual stops on a logarithmic scale and names some of them beneath."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setRange(0, _STEPS)
        self.setAccessibleName(tr("Usual intervals"))
        self.setSingleStep(1)

    def sizeHint(self) -> QSize:
        size = super().sizeHint()
        size.setHeight(38 + self.fontMetrics().height())
        return size

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1}
        by = step.get(Qt.Key(event.key()))
        if by is None:
            super().keyPressEvent(event)
            return
        at = STOPS_S.index(stop_at(self.value()))
        beyond = slider_place(STOPS_S[at]) - self.value()
        if beyond * by <= 0:  # between two stops the next one lies in the direction of the key
            at = min(max(at + by, 0), len(STOPS_S) - 1)
        self.setValue(slider_place(STOPS_S[at]))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        metrics = self.fontMetrics()
        painter.setPen(self.palette().placeholderText().color())
        room = self.width() - 18
        for stop in STOPS_S:
            x = 9 + room * slider_place(stop) / _STEPS
            middle = self.height() // 2
            painter.drawLine(round(x), middle + 10, round(x), middle + 13)
            if stop in _NAMED_STOPS_S:
                text = interval_text(stop)
                wide = metrics.horizontalAdvance(text)
                left = min(max(x - wide / 2, 0), self.width() - wide)
                painter.drawText(round(left), self.height() - 2, text)


class TimesSection(Section):
    """The last one edited of interval, duration and until stays; the others follow it."""

    fields = ("interval",)

    def __init__(self) -> None:
        super().__init__()
        self._leads = "interval"
        self._context: EditContext | None = None
        edited = self._edited
        self.interval = line(tr("Interval"), lambda: edited("interval"), width=110)
        self.duration = line(tr("Duration"), lambda: edited("duration"), width=120)
        self.until = DateTimeField(tr("Until"))
        self.outside = line(
            tr("Interval outside limits"), self._changed, width=110, hint=tr("the same")
        )
        self.fits = label("", "muted")
        self.slider = LogSlider()
        self._outside_caption = label(tr("Outside limits"), "muted")
        self.body.addLayout(
            row(
                captioned(tr("Interval"), self.interval),
                captioned(tr("or duration"), self.duration),
                captioned(tr("or until"), self.until),
                captioned(self._outside_caption, self.outside),
                1,
                spacing=10,
            )
        )
        self.body.addWidget(self.fits)
        self.body.addWidget(self.slider)
        self.body.addWidget(self.problem)
        self.until.changed.connect(lambda: edited("until"))
        self.slider.valueChanged.connect(self._slid)

    def _edited(self, which: str) -> None:
        self._leads = which
        self.changed.emit()

    def _slid(self, place: int) -> None:
        self._leads = "interval"
        self.interval.setText(interval_text(stop_at(place)))
        self.changed.emit()

    def show_plan(self, plan: Plan, context: EditContext) -> None:
        self._leads = "interval"
        self.interval.setText(interval_text(plan.interval_s))
        shorter = plan.outside_interval_s
        self.outside.setText(interval_text(shorter) if shorter else "")
        has_it = context.card.identity.model.shorter_outside
        for widget in (self.outside, self._outside_caption):
            widget.setVisible(has_it)

    def applied(self, plan: Plan, context: EditContext) -> Plan:
        """Channels, start and end of the plan must be known already: the memory depends on them."""
        model = context.card.identity.model
        if self._leads == "duration":
            interval_s = interval_for(model, plan, int(parsed(self.duration, parse_duration_s)))
        elif self._leads == "until":
            begin_ms = plan.start_ms if plan.start == "at" else context.now_ms
            length_ms = self.until.instant_ms(context.zone) - begin_ms
            if length_ms <= 0:
                raise FieldError(self.until, tr("That date has passed; choose a later one."))
            interval_s = interval_for(model, plan, -(-length_ms // 1000))
        else:
            interval_s = int(parsed(self.interval, parse_interval_s))
        shorter = 0
        if model.shorter_outside and self.outside.text().strip():
            shorter = int(parsed(self.outside, parse_interval_s))
        return replace(plan, interval_s=interval_s, outside_interval_s=shorter)

    def follow(self, plan: Plan, context: EditContext) -> None:
        """Show what follows from the field that leads."""
        model = context.card.identity.model
        if self._leads != "interval":
            self.interval.setText(interval_text(plan.interval_s))
        with QSignalBlocker(self.slider):
            self.slider.setValue(slider_place(plan.interval_s))
        length_s = duration_s(model, plan)
        if self._leads != "duration":
            self.duration.setText(duration_text(length_s * 1000) if length_s else "")
        if self._leads != "until" and length_s and plan.interval_s > 0:
            ends_ms = first_due_ms(plan, context.now_ms) + length_s * 1000
            with QSignalBlocker(self.until):
                self.until.show_instant(min(ends_ms, 253_370_764_800_000), context.zone)
        fit = readings_that_fit(model, plan)
        self.fits.setText(
            counted(fit, "%n reading per channel fits", "%n readings per channel fit")
        )
