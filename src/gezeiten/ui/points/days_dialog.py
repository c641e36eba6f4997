"""A series day by day: its figures, degree days of a temperature, the index of fine dust."""

from __future__ import annotations

import math
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QHeaderView, QLineEdit, QWidget

from gezeiten.desk.record.day_by_day import DailyRecord, day_by_day, write_days
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.statistics.day_figures import BEYOND, DegreeRule, IndexDay
from gezeiten.domain.series.timeline import Span
from gezeiten.ui.format.i18n import counted, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.number_field import number_of
from gezeiten.ui.parts.tables import fill, plain_table
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.plan.section import captioned
from gezeiten.ui.points.figures_dialog import FiguresDialog
from gezeiten.ui.shell.app_context import AppContext

_KINDS = (
    ("", "no degree days"),
    ("heating", "degree days below a base"),
    ("cooling", "degree days above a base"),
    ("heating limit", "by heating limit, from daily means"),
)


class DaysDialog(FiguresDialog):
    """Shows the figures of each local day of a stretch, the newest first."""

    def __init__(
        self, parent: QWidget, context: AppContext, point: PointPlace, span: Span, series: str = ""
    ) -> None:
        super().__init__(parent, context, point, series, "days")
        self.file_wanted.connect(self.export_to)
        self.setWindowTitle(tr("Daily statistics") + f" · {point.full_name}")
        self._span = span
        self._units = units_of(context.desk.settings)
        self._days: DailyRecord | None = None
        self._unit = ""
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Degree days"))
        for key, name in _KINDS:
            self.kind.addItem(tr(name), key)
        self.base, self.second = QLineEdit(number(18, 1)), QLineEdit()
        self.base.setAccessibleName(tr("Base, °C"))
        for field in (self.base, self.second):
            field.editingFinished.connect(self._load)
        self.second_label = label("", "muted")
        self._base_box, self._second_box = QWidget(), QWidget()
        self._base_box.setLayout(captioned(tr("Base, °C"), self.base))
        self._second_box.setLayout(captioned(self.second_label, self.second))
        selected = []
        for caption, box in ((tr("Series"), self.series), (tr("Degree days"), self.kind)):
            holder = QWidget()
            holder.setLayout(captioned(caption, box))
            selected.append(holder)
        self._kind_box = selected[1]
        self.table = plain_table(tr("Days"), [tr("Day")])
        laid = column(
            FlowLayout(*selected, self._base_box, self._second_box, spacing=10),
            self.table,
            self.words,
            row(self.export, 1, button(tr("Close"), self.accept)),
            spacing=8,
            margins=16,
        )
        laid.setStretchFactor(self.table, 1)
        self.setLayout(laid)
        self.resize(940, 560)
        self.series.currentIndexChanged.connect(lambda _: self._load())
        self.kind.currentIndexChanged.connect(lambda _: self._load())
        self._load()

    def _update_fields(self) -> str:
        """Show the fields that the series and the kind want; returns the kind."""
        is_temperature = quantity(self.series.key).unit == "°C" if self.series.key else False
        self._kind_box.setVisible(is_temperature)
        kind = str(self.kind.currentData()) if is_temperature else ""
        self._base_box.setVisible(bool(kind))
        second = {"cooling": tr("no higher than, °C"), "heating limit": tr("limit, °C")}.get(kind)
        self._second_box.setVisible(second is not None)
        self.second_label.setText(second or "")
        self.second.setAccessibleName(second or tr("limit, °C"))
        return kind

    def _rule(self, kind: str) -> DegreeRule | None:
        """Raises FieldError."""
        if not kind:
            return None
        base = number_of(self.base, tr("the base"))
        typed = self.second.text().strip()
        second = number_of(self.second, tr("the limit")) if typed else None
        if kind == "heating limit":
            return DegreeRule("heating limit", base, limit_c=15.0 if second is None else second)
        if kind == "cooling":
            return DegreeRule("cooling", base, second)
        return DegreeRule("heating", base)

    def _load(self) -> None:
        desk, point, key, span = self._context.desk, self._point, self.series.key, self._span
        self.export.setEnabled(False)
        kind = self._update_fields()
        if not key:
            self._complain(tr("There is no reading at this point yet; offload its logger first."))
            return
        try:
            rule = self._rule(kind)
        except FieldError as exc:
            self._complain(str(exc))
            return
        self._show_message(tr("Counting …"))
        self._context.run(
            lambda task: day_by_day(desk, point, key, span, rule, task.cancelled),
            self._show,
            failed=self._complain,
            latest="day by day",
        )

    def _show(self, daily_record: DailyRecord) -> None:
        self._days = daily_record
        self._unit = quantity(self.series.key).unit
        heads = [tr("Day"), tr("Coverage"), tr("Mean"), tr("Lowest"), tr("Highest")]
        heads += [tr("Degree days, K d")] if daily_record.degrees else []
        if daily_record.index:
            heads += [
                tr("Hours"),
                tr("Mean of hourly values"),
                tr("Index (US EPA 2024)") if daily_record.is_regulatory else tr("Indicative index"),
            ]
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels(heads)
        head = self.table.horizontalHeader()
        for i in range(len(heads)):
            head.setSectionResizeMode(i, QHeaderView.ResizeMode.Stretch)
        rows = [self._row(daily_record, i) for i in range(len(daily_record.days))]
        fill(self.table, rows[::-1], list[object](reversed(daily_record.days)))
        self._show_message(self._total_text(daily_record))
        self.export.setEnabled(True)

    def _row(self, daily_record: DailyRecord, i: int) -> list[str]:
        one, key = daily_record.days[i], self.series.key
        share, own = one.numbers.coverage, self._units.own(self._point, key)
        shown = [
            self._units.value(key, value, own) if one.numbers.n and math.isfinite(value) else "–"
            for value in (one.numbers.mean, one.numbers.lowest, one.numbers.highest)
        ]
        texts = [f"{one.day:%Y-%m-%d}", f"{number(100 * share)} %", *shown]
        if daily_record.degrees:
            texts.append(
                number(daily_record.degrees[i], 2)
                if math.isfinite(daily_record.degrees[i])
                else "–"
            )
        return texts + (index_texts(daily_record.index[i]) if daily_record.index else [])

    def _total_text(self, daily_record: DailyRecord) -> str:
        words = counted(len(daily_record.days), "%n day", "%n days")
        if daily_record.degrees:
            known = [one for one in daily_record.degrees if math.isfinite(one)]
            left = len(daily_record.degrees) - len(known)
            text = tr("%1 K d in total").replace("%1", number(sum(known), 1))
            words += f" · {text}"
            if left:
                words += " · " + counted(
                    left, "%n day under 75 % has no value", "%n days under 75 % have no value"
                )
        if daily_record.index and not (
            daily_record.is_regulatory and not any(x.rests_on_estimates for x in daily_record.index)
        ):
            text = tr("calculated from counts or with estimates: indicative, not regulatory")
            words += f" · {text}"
        return words + "."

    def export_to(self, target: Path) -> None:
        """Write what is shown as CSV."""
        found, unit = self._days, self._unit
        if found is not None:
            self._write(target, lambda: write_days(found, unit, target))


def index_texts(index_day: IndexDay) -> list[str]:
    """What stands in the cells of a day's index."""
    mean = number(index_day.mean_ug_m3, 1) if math.isfinite(index_day.mean_ug_m3) else "–"
    index = "–" if index_day.index is None else number(index_day.index)
    if index_day.index == BEYOND:
        index = tr("beyond the scale")
    return [
        number(index_day.hours),
        mean,
        f"{index} *" if index_day.rests_on_estimates and index_day.index else index,
    ]
