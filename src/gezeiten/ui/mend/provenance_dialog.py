"""The whole story of one reading in one panel: bytes, number, clock, steps, quality."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QWidget

from gezeiten.desk.record.provenance import Bytes, Provenance, provenance
from gezeiten.desk.record.statements.corrections import step_text
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.actions.gaps import fill_method_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.quality import Quality
from gezeiten.domain.steps.uncertainty import Uncertainty
from gezeiten.ui.charts.chart_lanes import Lane
from gezeiten.ui.charts.lane_chart import LaneChart
from gezeiten.ui.format.i18n import instant, number, tr
from gezeiten.ui.format.units import error_places, units_of
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import button, clear, column, label, row
from gezeiten.ui.points.series_box import SeriesBox
from gezeiten.ui.shell.app_context import AppContext

_SIGNS = 16
"""Of a fingerprint that are shown; the whole one stands in its tip."""


SHARES = {
    "calibration": "calibration",
    "reference": "tie",
    "resolution": "resolution",
    "clock": "clock",
    "fill": "estimate",
}
"""What shares of an uncertainty are called."""


def connect_provenance(
    chart: LaneChart,
    parent: QWidget,
    context: AppContext,
    points: Callable[[], Sequence[PointPlace]],
) -> None:
    """Have a chart tell the story of each reading that is tapped in it. points: those it shows."""

    def tapped(at_ms: int, lane: Lane) -> None:
        for trace in lane.traces[:1]:
            its = next((point for point in points() if point.id == trace.view.point_id), None)
            if its is not None:
                ProvenanceDialog(parent, context, its, at_ms, trace.view.key).open()

    chart.tapped.connect(tapped)


class ProvenanceDialog(QDialog):
    """Tells how the reading of a point nearest to an instant came about."""

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, at_ms: int, series: str = ""
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Provenance of a reading") + f" · {point.full_name}")
        self._context, self._point, self._at_ms = context, point, at_ms
        self._units = units_of(context.desk.settings)
        self.series = SeriesBox(point, series)
        self.title = label("", "head", wrap=True)
        self.lines = QGridLayout()
        self.lines.setHorizontalSpacing(16)
        self.lines.setVerticalSpacing(6)
        self.lines.setColumnStretch(1, 1)
        self.problem = label("", "ember", wrap=True)
        self.setLayout(
            column(
                row(self.series, 1),
                self.title,
                self.lines,
                self.problem,
                1,
                row(1, button(tr("Close"), self.accept)),
                spacing=10,
                margins=16,
            )
        )
        self.resize(660, 420)
        self.series.currentIndexChanged.connect(lambda _: self._load())
        self._load()

    def _load(self) -> None:
        place = self.series.place
        if place is None:
            self._show_message(
                tr("There is no reading at this point yet; offload its logger first.")
            )
            return
        desk, point, key, at_ms = self._context.desk, self._point, place.channel, self._at_ms
        self._context.run(
            lambda _task: provenance(desk, point, key, at_ms),
            self._show,
            failed=self._show_message,
            latest="story",
        )

    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)

    def _value(self, value: float | None) -> str:
        key = self.series.key
        if value is None:
            return tr("no value")
        if value != value:
            return tr("no sensor")
        own = self._units.own(self._point, key)
        return self._units.value(key, value, own)

    def _show(self, told: Provenance) -> None:
        self._show_message("")
        clear(self.lines)
        zone = self._point.zone
        at = instant(told.at_ms, zone, weekday=True, seconds=True)
        self.title.setText(f"{at} ({zone}) · {instant(told.at_ms, 'UTC', seconds=True)} UTC")
        if told.bytes is not None:
            self._show_bytes(told.bytes)
        if told.formula_text:
            self._line(tr("Calculated"), tr(told.formula_text))
            for one in told.inputs:
                name = quantity(one.series).name
                where = "" if one.point.id == self._point.id else f" · {one.point.full_name}"
                shown = (
                    tr("between two readings")
                    if one.value is None
                    else self._units.value(
                        one.series, one.value, self._units.own(one.point, one.series)
                    )
                )
                self._line(f"{name}{where}", shown)
        if told.fill is not None:
            error = self._units.error(self._point, told.series, float(told.fill.facts["rmse"]))
            words = tr("%0, %1; %2, %3").replace("%0", tr(fill_method_text(told.fill.facts)))
            words = words.replace("%1", error)
            words = words.replace("%2", told.fill.made_by)
            words = words.replace("%3", instant(told.fill.made_ms, zone))
            old = tr(" · filled before the readings beside it were corrected")
            self._line(tr("Estimated"), words + (old if told.is_old_fill else ""))
        for passed in told.passed:
            step = passed.step
            who = f"{step.stated_by}, {instant(step.stated_ms, zone)}: {step.reason}"
            became = f"{tr(step_text(step))} → {self._value(passed.value)}"
            self._line(tr(step.does.name), f"{became}\n{who}")
        quality = "" if told.value is None else f" · {_quality_text(told.quality)}"
        self._line(tr("In the record"), f"{self._value(told.value)}{quality}", head=True)
        if told.uncertainty is not None and told.value is not None:
            self._line(tr("Uncertainty"), self._uncertainty_text(told.uncertainty))

    def _uncertainty_text(self, uncertainty: Uncertainty) -> str:
        """± U, and its shares, the largest first; each of them k = 2."""
        unit = self._units.of_series(self._point, self.series.key)
        decimals = error_places(unit.shown_difference(uncertainty.expanded), self.series.key, unit)

        def shown(u: float) -> str:
            return f"± {number(abs(unit.shown_difference(u)), decimals)} {unit.name}".strip()

        parts = [
            f"{tr(SHARES[one.kind])}{f' ({one.of})' if one.of else ''} {shown(one.expanded)}"
            for one in sorted(uncertainty.shares, key=lambda one: -one.expanded)
            if round(abs(unit.shown_difference(one.expanded)), decimals) > 0
        ]
        least = tr("at least %1 (k = 2)") if uncertainty.is_least else tr("%1 (k = 2)")
        return f"{least.replace('%1', shown(uncertainty.expanded))}\n{' · '.join(parts)}"

    def _show_bytes(self, its: Bytes) -> None:
        zone = self._point.zone
        mission = tr("%1, mission %2, reading %3") if its.is_logger else tr("%1, line %3")
        words = mission.replace("%1", its.source).replace("%2", number(its.mission.number))
        self._line(tr("Recorded"), words.replace("%3", number(its.number)))
        self._line(tr("As recorded"), self._value(its.value))
        if its.clock is not None:
            clock = its.clock
            words = tr("recorded as %1; corrected (%2), ± %3 s")
            words = words.replace("%1", instant(its.shown_ms, zone, seconds=True))
            words = words.replace("%2", tr(clock.method)).replace(
                "%3", number(its.clock_u_ms / 1000, 1)
            )
            self._line(tr("Clock"), f"{words}\n{clock.stated_by}: {clock.reason}")
        for offload in its.offloads:
            text = f"{instant(offload.at_ms, zone)}, {offload.person}, {tr(offload.route)}"
            if offload.clock_difference_ms is not None:
                off = number(offload.clock_difference_ms / 1000, 1)
                text += " · " + tr("its clock was wrong by %1 s").replace("%1", off)
            self._line(tr("Bytes"), f"{offload.sha256[:_SIGNS]}… · {text}", tip=offload.sha256)
        if not its.offloads:
            self._line(tr("Bytes"), tr("in no offload; verify the archive"))

    def _line(self, name: str, words: str, tip: str = "", *, head: bool = False) -> None:
        at = self.lines.rowCount()
        first = label(name, "muted")
        second = label(words, "head" if head else "", wrap=True)
        second.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        second.setToolTip(plain_tip(tip))
        self.lines.addWidget(first, at, 0, Qt.AlignmentFlag.AlignTop)
        self.lines.addWidget(second, at, 1)


def _quality_text(code: Quality) -> str:
    return tr("code %1").replace("%1", tr(code.file_code))
