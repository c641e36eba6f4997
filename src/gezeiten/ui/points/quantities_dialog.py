"""Quantities: those that ship, and those of one's own, added in a small form."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QDialog, QLineEdit, QWidget

from gezeiten.desk.sites.quantities import drop_quantity, key_of_name, save_quantity
from gezeiten.domain.quantities.quantities import (
    QUANTITIES,
    UNITS,
    Averages,
    Quantity,
    Stamp,
    in_order,
)
from gezeiten.ui.format.i18n import number, tr
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.number_field import number_of
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting import ActionRunner

_AVERAGES: dict[Averages, str] = {
    "plain": "mean",
    "direction": "direction",
    "sum": "sum",
}
_STAMPS: dict[Stamp, str] = {"instant": "that instant", "end": "the end of the interval"}


class QuantitiesDialog(QDialog):
    """Lists all quantities; one of one's own is added, changed or taken out below."""

    def __init__(self, parent: QWidget, context: AppContext) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Quantities"))
        self._context = context
        self._acting = ActionRunner(context, self._show_message)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("search quantities and units"))
        self.search.setAccessibleName(tr("Search quantities"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._fill())
        self.table = plain_table(
            tr("Quantities"),
            [
                tr("Name"),
                tr("Symbol"),
                tr("Unit"),
                tr("UCUM"),
                tr("Range"),
                tr("Aggregate by"),
                tr("Timestamp marks"),
                tr("From"),
            ],
        )
        self.table.itemSelectionChanged.connect(self._selection_changed)
        self.name, self.symbol = QLineEdit(), QLineEdit()
        self.low, self.high = QLineEdit(), QLineEdit()
        self.unit, self.averages, self.stamp = QComboBox(), QComboBox(), QComboBox()
        self.decimals = QComboBox()
        self.decimals.addItems([str(many) for many in range(10)])
        for name in UNITS:
            self.unit.addItem(name or tr("none"), name)
        for key, words in _AVERAGES.items():
            self.averages.addItem(tr(words), key)
        for stamp, words in _STAMPS.items():
            self.stamp.addItem(tr(words), stamp)
        fields: list[tuple[str, QWidget]] = [
            (tr("Name"), self.name),
            (tr("Symbol"), self.symbol),
            (tr("Unit"), self.unit),
            (tr("Decimals"), self.decimals),
            (tr("Lowest"), self.low),
            (tr("Highest"), self.high),
            (tr("Aggregate by"), self.averages),
            (tr("Timestamp marks"), self.stamp),
        ]
        cells = []
        for caption, field in fields:
            field.setAccessibleName(caption)
            cells.append(column(label(caption, "muted"), field, spacing=3))
        self.name.setMaxLength(60)
        self.symbol.setMaxLength(12)
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self.keep_button = button(tr("Save"), self.keep, "primary")
        self.drop_button = button(tr("Remove"), self.drop)
        self.entry = QWidget()
        self.entry.setLayout(
            column(
                label(tr("Custom quantity"), "head"),
                row(*cells, spacing=6),
                row(self.drop_button, 1, self.keep_button),
                spacing=6,
            )
        )
        self.entry.setVisible(not context.is_read_only)
        self.setLayout(
            column(
                self.search,
                self.table,
                self.entry,
                self.problem,
                row(1, button(tr("Close"), self.accept)),
                spacing=8,
                margins=16,
            )
        )
        self.resize(1080, 640)
        self._fill()
        self.search.setFocus()

    def _fill(self) -> None:
        words = self.search.text().casefold().split()
        shown = [
            one
            for one in in_order(QUANTITIES.values())
            if all(
                word in f"{one.name} {one.symbol} {one.unit} {one.key}".casefold() for word in words
            )
        ]
        fill(self.table, [_row(one) for one in shown], list(shown))

    def _own(self) -> Quantity | None:
        """The chosen quantity where it is one's own."""
        one = selected_item(self.table)
        return one if isinstance(one, Quantity) and one.is_own else None

    def _selection_changed(self) -> None:
        one = self._own()
        self.drop_button.setEnabled(one is not None)
        if one is None:
            return
        self.name.setText(one.name)
        self.symbol.setText(one.symbol)
        self.unit.setCurrentIndex(self.unit.findData(one.unit))
        self.decimals.setCurrentIndex(one.decimals)
        self.low.setText(f"{one.low:g}")
        self.high.setText(f"{one.high:g}")
        self.averages.setCurrentIndex(self.averages.findData(one.averages))
        self.stamp.setCurrentIndex(self.stamp.findData(one.stamp))

    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

    # -- acts ------------------------------------------------------------------------------------
    def keep(self) -> None:
        """Add what the fields say, or change the chosen one of one's own."""
        desk, before = self._context.desk, self._own()
        try:
            low, high = (
                number_of(self.low, tr("the lowest")),
                number_of(self.high, tr("the highest")),
            )
        except FieldError as exc:
            self._show_message(str(exc))
            return
        name, unit, averages = self.name.text().strip(), self.unit.currentData(), self.averages
        is_same = before is not None and before.name.casefold() == name.casefold()
        key = before.key if before is not None and is_same else key_of_name(name)
        wanted = Quantity(
            key,
            name,
            self.symbol.text().strip(),
            unit,
            self.decimals.currentIndex(),
            low=low,
            high=high,
            averages=averages.currentData(),
            stamp=self.stamp.currentData(),
        )
        if wanted.averages == "plain":
            wanted = replace(wanted, dose_unit=f"{unit}·h")
        self._do(lambda: save_quantity(desk, wanted))

    def drop(self) -> None:
        """Take the chosen quantity out of the list."""
        one, desk = self._own(), self._context.desk
        if one is not None:
            self._do(lambda: drop_quantity(desk, one.key))

    def _do(self, run: Callable[[], object]) -> None:
        def done(_: object) -> None:
            self._show_message("")
            self._fill()
            self._context.archive_changed.emit()
            self._context.show_message(tr("Saved; available everywhere."))

        self._acting.do(run, done)


def _row(quantity: Quantity) -> list[str]:
    span = f"{number(quantity.low)} – {number(quantity.high)}"
    return [
        quantity.name,
        quantity.symbol,
        quantity.unit,
        UNITS[quantity.unit].ucum if quantity.unit in UNITS else "",
        span,
        tr(_AVERAGES[quantity.averages]),
        tr(_STAMPS[quantity.stamp]),
        tr("this archive") if quantity.is_own else tr("Gezeiten"),
    ]
