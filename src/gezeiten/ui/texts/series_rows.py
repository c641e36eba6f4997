"""What a text holds, a row a series: its picture, its words, what it measures, where it belongs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from gezeiten.desk.intake.texts.text_files import Preview
from gezeiten.domain.quantities.quantities import QUANTITIES, in_order, quantity
from gezeiten.domain.quantities.units import text_units
from gezeiten.exchange.text.form import ColumnMapping
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.widgets import button, clear, column, label
from gezeiten.ui.plan.section import narrow
from gezeiten.ui.shell.theme import Theme
from gezeiten.ui.texts.model import TextModel
from gezeiten.ui.texts.picture import ValuesPicture

_MOST_ROWS = 40
_UNIT_SIGNS = 5


class _Lazy(QComboBox):
    """A list that is filled when somebody wants to choose: there may be hundreds of them."""

    def __init__(self, fill: Callable[[QComboBox], None]) -> None:
        super().__init__()
        self._fill, self._is_full = fill, False
        narrow(self)

    def be(self, text: str, data: object) -> None:
        """Show one choice without the others."""
        self.blockSignals(True)
        self.clear()
        self.addItem(text, data)
        self._is_full = False
        self.blockSignals(False)

    def _loaded(self) -> None:
        if self._is_full:
            return
        self._is_full = True
        selected = self.currentData()
        self.blockSignals(True)
        self.clear()
        self._fill(self)
        self.setCurrentIndex(max(self.findData(selected), 0))
        self.blockSignals(False)

    def focusInEvent(self, event: QFocusEvent) -> None:
        self._loaded()
        super().focusInEvent(event)

    def showPopup(self) -> None:
        self._loaded()
        super().showPopup()

    def select(self, data: object) -> None:
        """Choose as somebody does who opens the list."""
        self._loaded()
        self.setCurrentIndex(self.findData(data))


class SeriesRow(QWidget):
    """changed: the `ColumnMapping` as it is chosen now."""

    changed = Signal(object)

    def __init__(
        self,
        mapping: ColumnMapping,
        words: str,
        explained: str,
        points: list[str],
        theme: Theme,
        hint: str,
    ) -> None:
        super().__init__()
        self._column, self._hint = mapping, hint
        self.picture = ValuesPicture(theme, words)
        self.words = label(f"{words} ({explained})" if explained else words, wrap=True)
        self.said = label("", "muted")
        self.said.setMinimumWidth(self.picture.width())
        self.what = _Lazy(_fill_quantities)
        self.what.setAccessibleName(tr("Quantity of “%1”").replace("%1", words))
        self.unit = QComboBox()
        narrow(self.unit)
        self.unit.setMinimumContentsLength(_UNIT_SIGNS)
        self.unit.setAccessibleName(tr("Unit of %1").replace("%1", words))
        self.point = _Lazy(lambda box: _fill_points(box, points))
        self.point.setAccessibleName(tr("Point of “%1”").replace("%1", words))
        self.label = QLineEdit()
        self.label.setPlaceholderText(tr("label"))
        self.label.setAccessibleName(tr("Label of %1").replace("%1", words))
        self.label.setToolTip(tr("Distinguishes series of the same quantity at one point"))
        self.elsewhere = button(tr("Another point, or a label"), self._open, "link")
        self._is_open = False
        self._build_layout()
        self.show_column(mapping)
        self.what.currentIndexChanged.connect(lambda _: self._target_changed())
        self.unit.currentIndexChanged.connect(lambda _: self._emit_change(unit=self._unit()))
        self.point.currentIndexChanged.connect(
            lambda _: self._emit_change(point=self.point.currentData())
        )
        self.label.textEdited.connect(lambda text: self._emit_change(label=text))

    def _build_layout(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 4)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.addLayout(column(self.picture, self.said, 1, spacing=2), 0, 0, 2, 1)
        grid.addWidget(self.words, 0, 1, 1, 2)
        grid.addWidget(self.what, 1, 1)
        grid.addWidget(self.unit, 1, 2)
        grid.addWidget(self.elsewhere, 2, 1, 1, 2)
        grid.addWidget(self.point, 3, 1)
        grid.addWidget(self.label, 3, 2)
        grid.setColumnStretch(1, 5)
        grid.setColumnStretch(2, 2)

    def _open(self) -> None:
        self._is_open = True
        self.show_column(self._column)
        self.point.setFocus()

    def show_column(self, mapping: ColumnMapping) -> None:
        """Show what is chosen; a point and a label of its own where there are any."""
        self._column = mapping
        name = tr(quantity(mapping.quantity).name) if mapping.quantity in QUANTITIES else tr("skip")
        if self.what.currentData() != mapping.quantity or not self.what.count():
            self.what.be(name, mapping.quantity)
        self._fill_units(mapping.unit)
        if self.point.currentData() != mapping.point or not self.point.count():
            self.point.be(mapping.point or tr("at the point above"), mapping.point)
        if self.label.text() != mapping.label:
            self.label.setText(mapping.label)
        has_more = bool(mapping.quantity) and bool(
            self._is_open or mapping.point or mapping.label or mapping.where
        )
        self.elsewhere.setVisible(bool(mapping.quantity) and not has_more)
        self.point.setVisible(has_more)
        self.label.setVisible(has_more)
        self.unit.setVisible(bool(mapping.quantity) and self.unit.count() > 0)

    def _fill_units(self, wanted: str) -> None:
        self.unit.blockSignals(True)
        self.unit.clear()
        if self._column.quantity in QUANTITIES:
            names = [text_unit.name for text_unit in text_units(quantity(self._column.quantity))]
            if wanted not in names and len(names) > 1:
                self.unit.addItem(f"{self._hint}?" if self._hint in names else tr("unit?"), "")
            for name in names:
                self.unit.addItem(name, name)
            self.unit.setCurrentIndex(max(self.unit.findData(wanted), 0))
        self.unit.blockSignals(False)

    def _unit(self) -> str:
        return self.unit.currentData() or ""

    def _target_changed(self) -> None:
        self._column = replace(self._column, quantity=self.what.currentData() or "")
        self._fill_units(self._column.unit)
        self._emit_change(unit=self._unit())

    def _emit_change(self, **change: str) -> None:
        self._column = replace(self._column, **change)  # type: ignore[arg-type]  # these are texts
        self.changed.emit(self._column)


class SeriesRows(QWidget):
    """changed: a `ColumnMapping` as somebody chose it."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.finder = QLineEdit()
        self.finder.setPlaceholderText(tr("Search for a series"))
        self.finder.setAccessibleName(tr("Search series"))
        self.finder.hide()
        self.more = label("", "muted", wrap=True)
        self.more.hide()
        self._column = column(spacing=2)
        self.setLayout(column(self.finder, self._column, self.more, spacing=4))
        self.rows: dict[tuple[object, ...], SeriesRow] = {}
        self._model: TextModel | None = None
        self._theme: Theme | None = None
        self.finder.textChanged.connect(lambda _: self._show())

    def show_model(self, model: TextModel, theme: Theme) -> None:
        """Show the series of a text; rows that are there already are changed, not rebuilt."""
        self._model, self._theme = model, theme
        self._show()

    def _show(self) -> None:
        model, theme = self._model, self._theme
        if model is None or theme is None or model.template is None:
            return
        templates = model.template.columns
        self.finder.setVisible(len(templates) > _MOST_ROWS // 2)
        wanted = self.finder.text().casefold()
        named = [(one, series_title(model, one)) for one in templates]
        fitting = [(one, words) for one, words in named if wanted in words.casefold()]
        shown = fitting[:_MOST_ROWS]
        keys = [_key(one, words) for one, words in shown]
        if keys != list(self.rows):
            self._make(shown, model, theme)
        for (one, _), key in zip(shown, keys, strict=True):
            self.rows[key].show_column(one)
        left = len(fitting) - len(shown)
        self.more.setVisible(left > 0)
        self.more.setText(
            counted(left, "and %n more; type to search", "and %n more; type to search")
        )

    def _make(self, shown: list[tuple[ColumnMapping, str]], model: TextModel, theme: Theme) -> None:
        clear(self._column)
        self.rows = {}
        proposal = model.recognised.proposal if model.recognised else None
        for one, words in shown:
            explained = proposal.explained.get(one.column, "") if proposal else ""
            hint = proposal.hints.get(one.column, "") if proposal else ""
            row = SeriesRow(one, words, explained, model.points, theme, hint)
            row.changed.connect(self.changed)
            self._column.addWidget(row)
            self.rows[_key(one, words)] = row

    def show_preview(self, model: TextModel, preview: Preview) -> None:
        """Draw what was read."""
        if model.template is None:
            return
        for one, values in zip(model.template.columns, preview.values, strict=False):
            row = self.rows.get(_key(one, series_title(model, one)))
            if row is not None:
                row.said.setText(row.picture.show_series(preview.times, values, one.unit))


def series_title(model: TextModel, mapping: ColumnMapping) -> str:
    """Return how a text calls a series: its station and name, or the words above its column."""
    told = " · ".join(text for _, text in mapping.where)
    header = model.form.header
    above = header[mapping.column].strip() if mapping.column < len(header) else ""
    above = above or tr("column %1").replace("%1", str(mapping.column + 1))
    several = (
        len({c.column for c in (model.template.columns if model.template else ()) if c.where}) > 1
    )
    if told:
        return f"{told} · {above}" if several else told
    return above


def _key(mapping: ColumnMapping, words: str) -> tuple[object, ...]:
    return mapping.column, mapping.where, words


def _fill_quantities(box: QComboBox) -> None:
    box.addItem(tr("skip"), "")
    for known in in_order(QUANTITIES.values()):
        box.addItem(tr(known.name), known.key)


def _fill_points(box: QComboBox, points: list[str]) -> None:
    box.addItem(tr("at the point above"), "")
    for name in points:
        box.addItem(name, name)
