"""Calculated series in one dialog: a table, and a form for the next one.

Series of a point that are calculated from others: which, from what, and a new one.
"""

from __future__ import annotations

from contextlib import suppress
from math import isnan
from typing import TypeAlias

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from gezeiten.desk.record.statements.calculated_series import (
    Calculation,
    CalculationView,
    NearPlace,
    by_nearness,
    calculate,
    calculations,
    checked,
    preview,
    recalculate,
    remove_calculation,
    that_fit,
)
from gezeiten.desk.sites.places import PointPlace
from gezeiten.domain.quantities.quantities import QUANTITIES, in_order, quantity
from gezeiten.domain.series.series import Series
from gezeiten.domain.series.timeline import DAY_MS, EVER_MS
from gezeiten.domain.steps.formulas import NEWEST, Formula, Parameter, Role, own_formula
from gezeiten.domain.steps.formulas.own import FUNCTIONS
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import counted, instant, number, tr
from gezeiten.ui.format.units import units_of
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.number_field import number_of
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.tables import fill, selected_item
from gezeiten.ui.parts.widgets import button, clear, label, row
from gezeiten.ui.plan.section import captioned
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.history_dialog import HistoryDialog, form

YEAR_MS = 365 * DAY_MS
_OWN_NAME = "custom formula …"
_SIGNS = 22
"""Of a series' name that are seen in a closed list."""
_Known: TypeAlias = tuple[list[CalculationView], list[NearPlace]]


class CalculatedDialog(HistoryDialog):
    """Shows what is calculated at one point; what is added is there at once, for all time."""

    def __init__(self, parent: QWidget, context: AppContext, point: PointPlace) -> None:
        super().__init__(
            parent,
            context,
            point.full_name,
            tr("Calculated series"),
            [
                tr("Series"),
                tr("From"),
                tr("By"),
                tr("Set by (%1)").replace("%1", point.zone),
                tr("Reason"),
            ],
            wide=(1, 2, 4),
        )
        self._point = point
        self._near = [NearPlace(point, "same point")]
        self.formula = QComboBox()
        self.formula.setAccessibleName(tr("Calculated quantity"))
        self.formula.setMinimumContentsLength(_SIGNS)
        self.expression = QLineEdit("a - b")
        self.expression.setAccessibleName(tr("Custom formula"))
        self.expression.setMaxLength(500)
        self.expression.setMinimumWidth(self.fontMetrics().horizontalAdvance("m") * 28)
        self.expression.editingFinished.connect(self._expression_typed)
        self.comes_out = QComboBox()
        self.comes_out.setAccessibleName(tr("Result"))
        self.comes_out.setMinimumContentsLength(_SIGNS)
        for known in in_order(QUANTITIES.values()):
            self.comes_out.addItem(f"{known.name}, {known.unit}".rstrip(", "), known.key)
        self.comes_out.currentIndexChanged.connect(lambda _: self._preview())
        self._own: Formula | None = None
        self._room = FlowLayout(spacing=10)
        self.inputs: list[QComboBox] = []
        self.parameters: list[tuple[Parameter, QLineEdit | DateTimeField]] = []
        self.label = QLineEdit()
        self.label.setAccessibleName(tr("Label"))
        self.label.setPlaceholderText(tr("label, where there are several"))
        self.label.setMaxLength(60)
        self.seen = label("", "muted", wrap=True)
        self.hint = label(own_formula_help(), "muted", wrap=True)
        self.hint.hide()
        self.undo_button = button(tr("Remove selected"), self.withdraw)
        self.newest_button = button(tr("Recalculate with the latest formula"), self.recalculate)
        self.table.itemSelectionChanged.connect(self._show_newest)
        self.typed = (self.words, self.label)
        self.add_button = button(tr("Add calculated series"), self.enter, "primary")
        self.lay_out(
            self._build_form(),
            self.undo_button,
            self.newest_button,
            intro=tr(
                "Calculated series follow their inputs, also when those are corrected "
                "later. Measured readings never change."
            ),
        )
        self.formula.currentIndexChanged.connect(lambda _: self._update_formula_fields())
        self.resize(980, 560)
        self._load()

    def _build_form(self) -> QVBoxLayout:
        return form(
            label(tr("New calculated series"), "head"),
            row(captioned(tr("Formula"), self.formula), 1),
            self._room,
            self.hint,
            row(self.label, self.words, self.add_button, spacing=6),
            self.seen,
        )

    # -- showing -------------------------------------------------------------------------------
    def _read(self) -> _Known:
        desk, point = self._context.desk, self._point
        return calculations(desk, point.id), by_nearness(desk, point)

    def _show(self, known: _Known) -> None:
        seen, self._near = known
        self._point = self._near[0].point
        fill(self.table, [self._row(one) for one in seen], list(seen))
        self.table.setCurrentCell(len(seen) - 1, 0)
        self.undo_button.setEnabled(bool(seen))
        self._show_newest()
        self._offer()

    def _show_newest(self) -> None:
        one = selected_item(self.table)
        is_old = isinstance(one, CalculationView) and bool(one.series.formula_in_force.superseded)
        self.newest_button.setVisible(is_old and not self._context.is_read_only)

    def _row(self, calculation_view: CalculationView) -> list[str]:
        how, said = calculation_view.series, calculation_view.note
        names = [
            _named(quantity(key).name, name, self._point) for name, key in calculation_view.inputs
        ]
        formula = how.formula_in_force
        numbers = [
            self._number(parameter, how.parameters[parameter.key])
            for parameter in formula.parameters
        ]
        old = tr("to be recalculated: %1").replace("%1", tr(formula.superseded))
        by = [
            tr(formula.name),
            formula.source,
            *filter(None, numbers),
            *([old] if formula.superseded else []),
        ]
        return [
            quantity(how.series).name,
            ", ".join(names),
            ", ".join(by),
            f"{said.person}, {instant(said.at_ms, self._point.zone)}",
            said.reason,
        ]

    def _number(self, parameter: Parameter, value: float) -> str:
        if not parameter.is_instant:
            return f"{tr(parameter.name)} {number(value, parameter.decimals)} {parameter.unit}"
        if not 0 < value < EVER_MS:
            return ""
        return f"{tr(parameter.name)} {instant(round(value), self._point.zone)}"

    def _offer(self) -> None:
        """The formulas for which there are inputs."""
        formula: Formula | None = self.formula.currentData()
        self.formula.blockSignals(True)
        self.formula.clear()
        for one in NEWEST:
            if all(self._fitting(one, i) for i in range(len(one.roles))):
                self.formula.addItem(tr(one.name), one)
        if self._point.channels:
            self.formula.addItem(tr(_OWN_NAME), None)
        at = self.formula.findText(tr(formula.name)) if formula else 0
        self.formula.setCurrentIndex(max(at, 0))
        self.formula.blockSignals(False)
        self._update_formula_fields()

    def _fitting(self, formula: Formula, position: int) -> list[tuple[PointPlace, str]]:
        """The series that can be an input: the first one of this point, others of any."""
        there = self._near[:1] if position == 0 else self._near
        return [
            (one.point, place.channel)
            for one in there
            for place in that_fit(one.point, formula, position)
        ]

    @property
    def is_own(self) -> bool:
        """Whether a formula of somebody's own is to be typed."""
        return self.formula.currentText() == tr(_OWN_NAME)

    def _selected(self) -> Formula | None:
        """The formula that is chosen or typed; None without any."""
        formula: Formula | None = self.formula.currentData()
        return self._own if self.is_own else formula

    def _expression_typed(self) -> None:
        """As many series are asked for as a formula names."""
        try:
            typed = own_formula(self.expression.text().strip())
        except InputError as exc:
            self._own = None
            self.add_button.setEnabled(False)
            self.seen.setText("")
            self._show_message(str(exc))
            return
        is_other = self._own is None or len(typed.roles) != len(self._own.roles)
        self._own = typed
        if is_other:
            self._update_formula_fields()
        else:
            self._preview()

    def _update_formula_fields(self) -> None:
        for part in (self.expression, self.comes_out):
            part.setParent(None)
        clear(self._room)
        self.inputs, self.parameters = [], []
        self.hint.setVisible(self.is_own)
        chosen: Formula | None = self.formula.currentData()
        if chosen is not None and chosen.is_of_any:
            self._room.addWidget(_field(tr("Result"), self.comes_out))
            self.comes_out.show()
        if self.is_own:
            with suppress(InputError):
                self._own = own_formula(self.expression.text().strip())
            listed: tuple[tuple[str, QWidget], ...] = (
                (tr("Custom formula"), self.expression),
                (tr("Result"), self.comes_out),
            )
            for caption, field in listed:
                self._room.addWidget(_field(caption, field))
                field.show()
        formula = self._selected()
        self.add_button.setEnabled(formula is not None)
        if formula is None:
            if self.is_own:
                return
            self._room.addWidget(label(tr("No formula fits the series of this point."), "muted"))
            return
        for position, role in enumerate(formula.roles):
            self._room.addWidget(_field(tr(role.name), self._input(formula, position, role)))
        for parameter in formula.parameters:
            field = self._parameter_field(parameter)
            field.editingFinished.connect(self._preview)
            self.parameters.append((parameter, field))
            caption = (
                f"{tr(parameter.name)}, {parameter.unit}" if parameter.unit else tr(parameter.name)
            )
            self._room.addWidget(_field(caption, field))
        self._preview()

    def _parameter_field(self, parameter: Parameter) -> QLineEdit | DateTimeField:
        if parameter.is_instant:
            when = DateTimeField(tr(parameter.name))
            until_ms = round(self._context.desk.now_ms()) + YEAR_MS
            when.show_instant(
                until_ms - 2 * YEAR_MS if parameter.usual == 0 else until_ms, self._point.zone
            )
            return when
        field = QLineEdit(
            "" if isnan(parameter.usual) else number(parameter.usual, parameter.decimals)
        )
        field.setAccessibleName(tr(parameter.name))
        return field

    def _input(self, formula: Formula, position: int, role: Role) -> QComboBox:
        box = QComboBox()
        box.setMinimumContentsLength(_SIGNS)
        box.setAccessibleName(tr(role.name))
        self.inputs.append(box)
        self._fill_input(formula, position)
        box.currentIndexChanged.connect(lambda _: self._input_changed(formula, position))
        return box

    def _fill_input(self, formula: Formula, position: int) -> None:
        box = self.inputs[position]
        box.clear()
        offered = self._fitting(formula, position)
        if position and formula.needs_one_unit:
            first = self.inputs[0].currentData()
            unit = quantity(first[1]).unit
            offered = [one for one in offered if quantity(one[1]).unit == unit and one != first]
        where = {one.point.uid: tr(one.where) for one in self._near}
        for point, key in offered:
            name = _named(quantity(key).name, point.full_name, self._point)
            how = where.get(point.uid, "") if position else ""
            box.addItem(f"{name} ({how})" if how else name, (point, key))
            box.setItemData(
                box.count() - 1,
                plain_tip(box.itemText(box.count() - 1)),
                Qt.ItemDataRole.ToolTipRole,
            )

    def _input_changed(self, formula: Formula, position: int) -> None:
        if position == 0 and formula.needs_one_unit:
            for other in range(1, len(self.inputs)):
                self.inputs[other].blockSignals(True)
                self._fill_input(formula, other)
                self.inputs[other].blockSignals(False)
        self._preview()

    def _entered(self) -> Calculation:
        """Raises InputError."""
        numbers = {one.key: self._typed(one, field) for one, field in self.parameters}
        inputs = tuple(box.currentData() for box in self.inputs)
        formula = self._selected()
        if None in inputs:
            raise InputError(tr("There is no second series with this unit; choose another series."))
        if formula is None:
            raise InputError(tr("This formula is not complete; correct it."))
        has_choice = self.is_own or formula.is_of_any
        result = self.comes_out.currentData() if has_choice else ""
        return Calculation(formula, inputs, numbers, self.label.text().strip(), result)

    def _typed(self, parameter: Parameter, field: QLineEdit | DateTimeField) -> float:
        """Raises FieldError."""
        if isinstance(field, DateTimeField):
            return float(field.instant_ms(self._point.zone))
        return number_of(field, tr(parameter.name))

    def _preview(self) -> None:
        """Show what would come out."""
        if self._selected() is None:
            return
        try:
            wanted = self._entered()
            checked(wanted)
        except InputError as exc:
            self.seen.setText("")
            self._show_message(str(exc))
            return
        self._show_message("")
        desk = self._context.desk
        self._context.run(
            lambda _task: preview(desk, wanted),
            lambda series: self._show_preview(wanted.channel, series),
            failed=self._show_message,
            latest="calculated preview",
        )

    def _show_preview(self, key: str, series: Series) -> None:
        if not len(series):
            self.seen.setText(
                tr("No result for the last week: the inputs have no readings at the same time.")
            )
            return
        units = units_of(self._context.desk.settings)
        low, high = float(series.values.min()), float(series.values.max())
        words = counted(len(series), "%n reading", "%n readings")
        self.seen.setText(
            tr("Last week: %1, %2, latest %3.")
            .replace("%1", words)
            .replace("%2", units.span(key, low, high))
            .replace("%3", units.value(key, float(series.values[-1])))
        )

    # -- acts ------------------------------------------------------------------------------------
    def enter(self) -> None:
        """Let the series be calculated that the fields say."""
        try:
            wanted = self._entered()
        except InputError as exc:
            self._show_message(str(exc))
            return
        desk, words = self._context.desk, self.words.text()
        self._do(lambda: calculate(desk, wanted, words))

    def withdraw(self) -> None:
        """Let the chosen series not be calculated any more."""
        one, desk = selected_item(self.table), self._context.desk
        if isinstance(one, CalculationView):
            self._do(lambda: remove_calculation(desk, one.series))

    def recalculate(self) -> None:
        """Let the chosen series be calculated by the newest version of its formula."""
        one, desk, words = selected_item(self.table), self._context.desk, self.words.text()
        if isinstance(one, CalculationView):
            self._do(lambda: recalculate(desk, one.series, words))


def own_formula_help() -> str:
    """What a formula of one's own can hold."""
    return tr(
        "a, b, c … are the series selected here. Numbers carry a unit in "
        "brackets: 9.81[m/s2]. + − * / ^, %1; where(a > 3[m], a, b). °C − °C is "
        "K."
    ).replace("%1", ", ".join(one for one in FUNCTIONS if one != "where"))


def _field(caption: str, field: QWidget) -> QWidget:
    """A field under its caption, as one thing."""
    whole = QWidget()
    whole.setLayout(captioned(caption, field))
    return whole


def _named(series: str, point: str, here: PointPlace) -> str:
    """A series, with its point where that is another one."""
    return series if point == here.full_name else f"{series} · {point}"
