"""The kinds of texts that are kept: seen, changed, forgotten, exported and read in again."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QDialog, QFileDialog, QGridLayout, QLineEdit, QWidget

from gezeiten.desk.intake.texts.import_templates import (
    KIND_SUFFIX,
    change_kind,
    delete_template,
    export_kind,
    import_kind,
    stored_templates,
)
from gezeiten.desk.sites.places import points
from gezeiten.domain.quantities.quantities import QUANTITIES, in_order, quantity
from gezeiten.domain.quantities.units import text_units
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate
from gezeiten.ui.format.i18n import home_zone, tr
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, label, row, set_role
from gezeiten.ui.plan.section import narrow
from gezeiten.ui.shell.app_context import AppContext


class ImportTemplatesDialog(QDialog):
    """Lists all kinds; the chosen one is changed below."""

    def __init__(self, parent: QWidget, context: AppContext) -> None:
        super().__init__(parent)
        self._context = context
        self.setWindowTitle(tr("Import templates"))
        self.resize(940, 600)
        self.table = plain_table(
            tr("Import templates"),
            [tr("Name"), tr("Measured at"), tr("Times are in"), tr("Columns")],
        )
        self.table.itemSelectionChanged.connect(self._selection_changed)
        self.name = QLineEdit()
        self.point, self.zone = QComboBox(), QComboBox()
        for box in (self.point, self.zone):
            box.setEditable(True)
            narrow(box)
        self.column, self.what, self.unit = QComboBox(), QComboBox(), QComboBox()
        self.label = QLineEdit()
        self._columns: list[ColumnMapping] = []
        for box in (self.column, self.what, self.unit):
            narrow(box)
        self.what.addItem(tr("skip"), "")
        for known in in_order(QUANTITIES.values()):
            self.what.addItem(tr(known.name), known.key)
        self.column.currentIndexChanged.connect(lambda _: self._show_column())
        self.what.activated.connect(lambda _: self._quantity_changed())
        self.unit.activated.connect(lambda _: self._column_changed())
        self.label.textEdited.connect(lambda _: self._column_changed())
        self.words = label("", wrap=True)
        self.change = button(tr("Save changes"), self._change)
        self.forget = button(tr("Delete"), self._forget)
        self.export = button(tr("Export …"), self._select_target)
        self.read_in = button(tr("Import …"), self._select_source)
        self._build_layout()
        self._selection_changed()
        self._load()

    def _build_layout(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        fields = (
            (tr("Name"), self.name),
            (tr("Measured at"), self.point),
            (tr("Times are in"), self.zone),
        )
        for place, (words, field) in enumerate(fields):
            field.setAccessibleName(words)
            grid.addWidget(label(words, "muted"), 0, place)
            grid.addWidget(field, 1, place)
            grid.setColumnStretch(place, 1)
        of_column = (
            (tr("Column"), self.column),
            (tr("Is"), self.what),
            (tr("In"), self.unit),
            (tr("Label"), self.label),
        )
        columns = QGridLayout()
        columns.setHorizontalSpacing(10)
        for place, (words, part) in enumerate(of_column):
            part.setAccessibleName(words)
            columns.addWidget(label(words, "muted"), 0, place)
            columns.addWidget(part, 1, place)
            columns.setColumnStretch(place, 1)
        grid.addLayout(columns, 2, 0, 1, 3)
        hint = tr(
            "Files already imported stay as they are; the next file is read with the changes."
        )
        self.setLayout(
            column(
                self.table,
                grid,
                label(hint, "muted", wrap=True),
                self.words,
                row(
                    self.change,
                    self.forget,
                    self.export,
                    self.read_in,
                    1,
                    button(tr("Close"), self.reject),
                ),
                spacing=8,
                margins=14,
            )
        )

    def _load(self) -> None:
        desk = self._context.desk
        self._context.run(
            lambda _task: (
                stored_templates(desk),
                [p.full_name for p in points(desk) if not p.retired],
            ),
            self._show,
            failed=self._complain,
        )

    def _show(self, found: tuple[list[ImportTemplate], list[str]]) -> None:
        templates, places = found
        if not self.point.count():
            self.point.addItems(["", *places])
            self.zone.addItems(["", home_zone(), "UTC"])
        rows = [
            [one.name, _points(one), one.form.time.zone or "–", _column_count_text(one)]
            for one in templates
        ]
        fill(self.table, rows, list(templates))
        if templates:
            self.table.selectRow(0)
        else:
            self._show_message(
                tr("No import template yet: the first text file you import is saved as one.")
            )
        self._selection_changed()

    def _selection_changed(self) -> None:
        template = self._selected_template()
        for part in (
            self.name,
            self.point,
            self.zone,
            self.change,
            self.forget,
            self.export,
            self.column,
            self.what,
            self.unit,
            self.label,
        ):
            part.setEnabled(template is not None)
        self.column.blockSignals(True)
        self.column.clear()
        self._columns = list(template.columns) if template is not None else []
        if template is not None:
            self.column.addItems([_column_title(template, one) for one in self._columns])
        self.column.blockSignals(False)
        self._show_column()
        if template is not None:
            self.name.setText(template.name)
            self.point.setCurrentText(template.point)
            self.zone.setCurrentText(template.form.time.zone)
            self.zone.setEnabled(template.form.time.needs_zone)

    def _selected_template(self) -> ImportTemplate | None:
        item = selected_item(self.table)
        return item if isinstance(item, ImportTemplate) else None

    # -- its columns ---------------------------------------------------------------------------
    def _show_column(self) -> None:
        at = self.column.currentIndex()
        if not 0 <= at < len(self._columns):
            return
        one = self._columns[at]
        self.what.setCurrentIndex(max(self.what.findData(one.quantity), 0))
        self._fill_units(one.unit)
        self.label.setText(one.label)

    def _fill_units(self, wanted: str) -> None:
        self.unit.clear()
        key = self.what.currentData()
        if key:
            self.unit.addItems([text_unit.name for text_unit in text_units(quantity(key))])
            self.unit.setCurrentIndex(max(self.unit.findText(wanted), 0))

    def _quantity_changed(self) -> None:
        self._fill_units("")
        self._column_changed()

    def _column_changed(self) -> None:
        at = self.column.currentIndex()
        if 0 <= at < len(self._columns):
            self._columns[at] = replace(
                self._columns[at],
                quantity=self.what.currentData(),
                unit=self.unit.currentText(),
                label=self.label.text().strip(),
            )

    def _change(self) -> None:
        template, desk = self._selected_template(), self._context.desk
        if template is None:
            return
        time = replace(template.form.time, zone=self.zone.currentText().strip())
        wanted = replace(
            template,
            name=self.name.text().strip(),
            point=self.point.currentText().strip(),
            form=replace(template.form, time=time),
            columns=tuple(self._columns),
        )
        self._run_action(lambda: change_kind(desk, template.name, wanted), tr("Saved."))

    def _forget(self) -> None:
        template, desk = self._selected_template(), self._context.desk
        if template is not None:
            self._run_action(lambda: delete_template(desk, template.name), tr("Deleted."))

    def _select_target(self) -> None:
        template = self._selected_template()
        if template is None:
            return
        usual = "".join(s if s.isalnum() else "-" for s in template.name) + KIND_SUFFIX
        name, _ = QFileDialog.getSaveFileName(self, tr("Export import template"), usual)
        if name:
            self.export_to(Path(name))

    def export_to(self, target: Path) -> None:
        """Export the chosen kind."""
        template = self._selected_template()
        if template is not None:
            words = tr("Exported to %1.").replace("%1", target.name)
            self._run_action(lambda: export_kind(template, target), words)

    def _select_source(self) -> None:
        kinds = tr("Import templates") + f" (*{KIND_SUFFIX});;" + tr("All files") + " (*)"
        name, _ = QFileDialog.getOpenFileName(self, tr("Import an import template"), "", kinds)
        if name:
            self.read(Path(name))

    def read(self, source: Path) -> None:
        """Read a kind from a file, and keep it."""
        desk = self._context.desk
        self._run_action(lambda: import_kind(desk, source), tr("Imported and saved."))

    def _run_action(self, action: object, words: str) -> None:
        assert callable(action)  # one of those above

        def done(_: object) -> None:
            self._show_message(words)
            self._load()

        self._context.run(lambda _task: action(), done, failed=self._complain)

    def _show_message(self, words: str) -> None:
        set_role(self.words, "")
        self.words.setText(words)

    def _complain(self, sentence: str) -> None:
        set_role(self.words, "ember")
        self.words.setText(sentence)


def _column_title(template: ImportTemplate, mapping: ColumnMapping) -> str:
    """What the text calls a column: the words above it, or its number, and of which lines."""
    header = template.form.header
    above = header[mapping.column].strip() if mapping.column < len(header) else ""
    words = above or tr("column %1").replace("%1", str(mapping.column + 1))
    return " · ".join([words, *(text for _, text in mapping.where)])


def _points(template: ImportTemplate) -> str:
    names = dict.fromkeys([template.point, *(one.point for one in template.columns)])
    return ", ".join(name for name in names if name)


def _column_count_text(template: ImportTemplate) -> str:
    names = dict.fromkeys(one.quantity for one in template.columns if one.quantity in QUANTITIES)
    return ", ".join(tr(quantity(name).name) for name in names)
