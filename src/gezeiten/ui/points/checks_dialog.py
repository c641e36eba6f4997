"""What was read by hand for a series, beside its record: differences, whether the duty was met, the
record tied to it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.record.statements.check_readings import (
    FitTrial,
    check_schedule_days,
    compare_checks,
    save_fit,
    try_tying,
    withdraw_check,
)
from gezeiten.desk.record.statements.corrections import Effect, effect
from gezeiten.desk.record.views.records import extent
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.quantities.quantities import ShownUnit, quantity
from gezeiten.domain.series.timeline import DAY_MS, Span
from gezeiten.domain.steps.checks.comparing import CheckComparison
from gezeiten.domain.steps.checks.schedule import CheckScheduleDay
from gezeiten.ui.charts.chart_lanes import Lane
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.charts.lanes import (
    connect_readings,
    prepared_lanes,
    remarks_of,
    shown_checks,
    trace_of,
)
from gezeiten.ui.format.i18n import counted, instant, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.mend.chain_model import drawn
from gezeiten.ui.mend.provenance_dialog import connect_provenance
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.period_fields import PeriodFields
from gezeiten.ui.parts.tables import fill, selected_item
from gezeiten.ui.parts.widgets import button, label, row
from gezeiten.ui.plan.section import captioned
from gezeiten.ui.points.series_box import SeriesBox
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.history_dialog import HistoryDialog, form

_WAYS = (
    ("offset", "an offset"),
    ("line", "a straight line"),
    ("each", "through every check reading"),
)
_MOST_SHOWN_MS = 400 * DAY_MS
_SCHEDULE_MS = 28 * DAY_MS
_MOST_DAYS = 4


@dataclass(frozen=True, slots=True)
class ShownChecks:
    """What is shown of a series: its checks beside its record, its picture, its duty."""

    checks: tuple[CheckComparison, ...]
    lane: Lane | None
    span: Span
    days: tuple[CheckScheduleDay, ...]


class ChecksDialog(HistoryDialog):
    """Shows the check readings of a series of a point, and ties the record to them."""

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, series: str = ""
    ) -> None:
        super().__init__(
            parent,
            context,
            point.full_name,
            tr("Check readings"),
            [
                tr("When (%1)").replace("%1", point.zone),
                tr("Check reading"),
                tr("Record"),
                tr("Difference"),
                tr("Leave-one-out error"),
                tr("By"),
                tr("Remark"),
            ],
            table_name=tr("Check readings"),
            wide=(6,),
        )
        self._point = point
        self._units = units_of(context.desk.settings)
        self._seen = ShownChecks((), None, (0, 1), ())
        self.tried: FitTrial | None = None
        self.series = SeriesBox(point, series)
        self.table.itemSelectionChanged.connect(self._show_buttons)
        self.chart = LaneChart(context.theme, tr("Record and check readings"))
        connect_readings(context, self.chart, "checks pictures")
        connect_provenance(self.chart, self, context, lambda: [point])
        self.schedule_label = label("", "muted", wrap=True)
        self.table.setToolTip(
            tr(
                "Leave-one-out error: the difference between a check reading and the "
                "record fitted to all the others"
            )
        )
        self.way = QComboBox()
        self.way.setAccessibleName(tr("Fit by"))
        for key, name in _WAYS:
            self.way.addItem(tr(name), key)
        self.period = PeriodFields(self._try)
        self.figures = label("", "muted", wrap=True)
        self.undo_button = button(tr("Withdraw selected"), self.withdraw)
        self.fit_button = button(tr("Apply correction"), self.keep, "primary")
        self.lay_out(
            self._build_form(),
            self.undo_button,
            body=((self._head(), 0), (self.chart.scroll(), 3), (self.table, 2)),
        )
        self.resize(1010, 690)
        self.series.currentIndexChanged.connect(lambda _: self._load())
        self.way.currentIndexChanged.connect(lambda _: self._try())
        self._load()

    @property
    def key(self) -> str:
        """The series shown."""
        return self.series.key

    @property
    def _unit(self) -> ShownUnit:
        return self._units.of_series(self._point, self.key)

    def _head(self) -> QHBoxLayout:
        head = row(self.series, self.schedule_label, spacing=10)
        head.setStretch(1, 1)
        return head

    def _build_form(self) -> QVBoxLayout:
        fields, period = [], self.period
        for caption, *parts in (
            (tr("Fit by"), self.way),
            (tr("From"), period.since),
            (tr("Until"), period.open_end, period.until),
        ):
            field = QWidget()
            field.setLayout(captioned(str(caption), *parts))
            fields.append(field)
        return form(
            FlowLayout(*fields, spacing=10),
            self.figures,
            row(self.words, self.fit_button, spacing=6),
        )

    # -- looking ---------------------------------------------------------------------------------
    def _load(self) -> None:
        if self.key:
            super()._load()
        else:
            self._show_message(
                tr("There is no reading at this point yet; offload its logger first.")
            )

    def _read(self) -> ShownChecks:
        return load_checks(self._context.desk, self._point, self.key, self._unit)

    def _show(self, seen: ShownChecks) -> None:
        self._seen, self.tried = seen, None
        self._fill(None)
        self.schedule_label.setText(schedule_text(seen.days))
        known = [check for check in seen.checks if math.isfinite(check.difference)]
        self.entry.setEnabled(bool(known))
        if known:
            self.period.show_period(*seen.span, self._point.zone)
        none = tr("No check readings yet; Ctrl+Shift+H opens a sheet to enter them.")
        self.figures.setText("" if seen.checks else none)
        self._draw(None)
        self._show_buttons()
        self._try()

    def _fill(self, tried: FitTrial | None) -> None:
        left_out = {}
        if tried is not None:
            left_out = {
                one.check.uid: rest
                for one, rest in zip(tried.checks, tried.fit.left_out, strict=True)
            }
        listed = list(reversed(self._seen.checks))
        fill(
            self.table,
            [self._row(one, left_out.get(one.check.uid, math.nan)) for one in listed],
            list(listed),
        )

    def _row(self, check_comparison: CheckComparison, left_out: float) -> list[str]:
        check, unit = check_comparison.check, self._unit
        by_hand = [self._value(check.value)] if math.isfinite(check.value) else []
        if check.dip_m is not None:
            by_hand.append(tr("dip %1 m").replace("%1", number(check.dip_m, 3)))
        for name, end in ((tr("lowest %1"), check.low), (tr("highest %1"), check.high)):
            if end is not None:
                by_hand.append(name.replace("%1", self._value(end)))
        differences = (
            [self._difference(check_comparison.difference)]
            if math.isfinite(check_comparison.difference)
            else []
        )
        for name, off in (
            (tr("lowest %1"), check_comparison.low),
            (tr("highest %1"), check_comparison.high),
        ):
            if off is not None:
                differences.append(name.replace("%1", self._difference(off)))
        if math.isfinite(check_comparison.difference) and check_comparison.u:
            uncertainty = number(abs(unit.shown_difference(check_comparison.u)), self._decimals)
            differences[0] += f" ± {uncertainty}"
        return [
            instant(check.at_ms, self._point.zone),
            " · ".join(by_hand),
            self._value(check_comparison.recorded)
            if math.isfinite(check_comparison.recorded)
            else "–",
            " · ".join(differences) or "–",
            self._difference(left_out) if math.isfinite(left_out) else "",
            check.by,
            check.remark,
        ]

    @property
    def _decimals(self) -> int:
        return max(quantity(self.key).decimals + self._unit.extra_decimals, 0)

    def _value(self, recorded: float) -> str:
        unit = self._unit
        return f"{number(unit.shown(recorded), self._decimals)} {unit.name}".strip()

    def _difference(self, recorded: float) -> str:
        shown = round(self._unit.shown_difference(recorded), self._decimals) + 0.0  # no -0.0
        return f"{'+' if shown > 0 else ''}{number(shown, self._decimals)}"

    def _draw(self, seen: Effect | None) -> None:
        if self._seen.lane is None:
            return
        lane = self._seen.lane
        if seen is not None and seen.changed:
            lane = replace(lane, proposal=drawn(seen, self._unit))
        self.chart.show_lanes([lane], self._seen.span, self._point.zone)

    def _show_buttons(self) -> None:
        self.undo_button.setEnabled(isinstance(selected_item(self.table), CheckComparison))
        self.fit_button.setEnabled(self.tried is not None)

    # -- tying -----------------------------------------------------------------------------------
    def _try(self) -> None:
        """Show what the record would be, tied to the checks of the stretch."""
        self.tried = None
        self._show_buttons()
        if not self.entry.isEnabled() or self._seen.lane is None:
            return
        desk, point, key, method = self._context.desk, self._point, self.key, self.way.currentData()
        try:
            span = self.period.entered(self._point.zone)
        except FieldError as exc:
            self._show_message(str(exc))
            return
        self._show_message("")
        shown = self._seen.span

        def work(_task: object) -> tuple[FitTrial, Effect]:
            tried = try_tying(desk, point, key, span, method)
            return tried, effect(desk, point, key, shown, step=tried.step, instead_of=("tie",))

        self._context.run(work, self._show_trial, failed=self._refused, latest="checks tie")

    def _refused(self, sentence: str) -> None:
        self.figures.setText(sentence)
        self._fill(None)
        self._draw(None)

    def _show_trial(self, told: tuple[FitTrial, Effect]) -> None:
        self.tried, seen = told
        self._fill(self.tried)
        self.figures.setText(self._fit_text(self.tried))
        self._draw(seen)
        self._show_buttons()

    def _fit_text(self, tried: FitTrial) -> str:
        fitted, unit = tried.fit, self._unit
        first, last = fitted.knots[0][1], fitted.knots[-1][1]
        parts = [counted(len(tried.checks), "From %n check reading", "From %n check readings")]
        added = self._difference(first)
        if len(fitted.knots) > 1:
            added = tr("%1 to %2").replace("%1", added).replace("%2", self._difference(last))
        uncertainty = number(abs(unit.shown_difference(fitted.u)), self._decimals)
        parts.append(
            tr("%1 %2 is added (± %3)")
            .replace("%1", added)
            .replace("%2", unit.name)
            .replace("%3", uncertainty)
        )
        if fitted.way == "line":
            parts.append(
                tr("the drift is significant")
                if fitted.drifts
                else tr("the drift may be chance: an offset is enough")
            )
        off = [abs(one) for one in fitted.left_out if math.isfinite(one)]
        if off:
            most = number(abs(unit.shown_difference(max(off))), self._decimals)
            parts.append(tr("leave-one-out error at most %1").replace("%1", most))
        return " · ".join(parts) + "."

    def keep(self) -> None:
        """Keep the tie that is shown."""
        desk, point, tried, words = self._context.desk, self._point, self.tried, self.words.text()
        if tried is not None:
            self._do(lambda: save_fit(desk, point, tried, words))

    def withdraw(self) -> None:
        """Take the chosen check reading back."""
        one, desk = selected_item(self.table), self._context.desk
        if isinstance(one, CheckComparison):
            self._do(lambda: withdraw_check(desk, one.check))


def load_checks(desk: Workspace, point: PointPlace, key: str, unit: ShownUnit) -> ShownChecks:
    """Gather what is shown of a series; off the main thread."""
    checks = tuple(compare_checks(desk, point.id, key))
    whole = extent(desk, point.id, [key])
    now_ms = desk.now_ms()
    days = tuple(check_schedule_days(desk, point.id, (now_ms - _SCHEDULE_MS, now_ms), point.zone))
    if whole is None:
        return ShownChecks(checks, None, (0, 1), days)
    begin = min([whole[0], *(check.check.at_ms for check in checks)])
    end = max([whole[1], *(check.check.at_ms for check in checks)]) + 1
    span = (max(begin, end - _MOST_SHOWN_MS), end)
    its = quantity(key)
    lane = Lane(
        its.name,
        unit.name,
        max(its.decimals + unit.extra_decimals, 0),
        (trace_of(desk, point, key, unit),),
        remarks=remarks_of(desk, point, key),
        checks=shown_checks(desk, point, key, unit),
    )
    return ShownChecks(checks, prepared_lanes(desk, [lane], span)[0], span, days)


def schedule_text(days: tuple[CheckScheduleDay, ...]) -> str:
    """How often the duty of the last four weeks was met, and the last days on which it was not."""
    if not days:
        return ""
    missed = [day for day in days if not day.is_met]
    words = tr("Last four weeks: check schedule met on %1 of %2")
    words = words.replace("%1", number(len(days) - len(missed)))
    words = words.replace("%2", counted(len(days), "%n day", "%n days"))
    if not missed:
        return words + "."
    last = ", ".join(f"{one.day:%d.%m.} ({one.readings}/{one.due})" for one in missed[-_MOST_DAYS:])
    return f"{words}; {tr('not on')} {last}."
