"""What the columns of a text mean: for each a quantity and a unit, chosen from lists."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QWidget

from gezeiten.domain.quantities.quantities import QUANTITIES, in_order, quantity
from gezeiten.domain.quantities.units import text_units
from gezeiten.exchange.text.form import ColumnTie, Tie
from gezeiten.ui.parts.widgets import clear, label
from gezeiten.ui.plan.section import narrow
from gezeiten.ui.shell.i18n import tr

_SHOWN_SIGNS = 24
_UNIT_SIGNS = 4


class ColumnTies(QWidget):
    """changed: somebody chose another quantity or unit."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._lines: list[tuple[int, QComboBox, QComboBox]] = []

    def show_tie(self, tie: Tie) -> None:
        """Show a line for each column of numbers."""
        clear(self._grid)
        self._lines = []
        header = tie.form.header
        for line, one in enumerate(tie.columns):
            unnamed = tr("column %1").replace("%1", str(one.column + 1))
            words = header[one.column] if header else unnamed
            what, unit = self._boxes(one, words)
            shown = label(words[:_SHOWN_SIGNS], "muted")
            shown.setToolTip(words)
            for place, part in enumerate((shown, what, unit)):
                self._grid.addWidget(part, line, place)
            self._lines.append((one.column, what, unit))
        self._grid.setColumnStretch(1, 1)

    def ties(self) -> tuple[ColumnTie, ...]:
        """Return what is chosen now."""
        return tuple(
            ColumnTie(place, what.currentData(), unit.currentText())
            for place, what, unit in self._lines
        )

    def _boxes(self, one: ColumnTie, words: str) -> tuple[QComboBox, QComboBox]:
        what, unit = QComboBox(), QComboBox()
        what.addItem(tr("leave out"), "")
        for known in in_order(QUANTITIES.values()):
            what.addItem(tr(known.name), known.key)
        narrow(what)
        what.setAccessibleName(words)
        narrow(unit)
        unit.setMinimumContentsLength(_UNIT_SIGNS)
        unit.setAccessibleName(tr("Unit of %1").replace("%1", words))
        what.setCurrentIndex(max(what.findData(one.quantity), 0))
        self._fill_units(what, unit, one.unit)
        what.currentIndexChanged.connect(lambda _: self._retied(what, unit))
        unit.currentIndexChanged.connect(lambda _: self.changed.emit())
        return what, unit

    def _fill_units(self, what: QComboBox, unit: QComboBox, wanted: str) -> None:
        unit.blockSignals(True)
        unit.clear()
        key = what.currentData()
        if key:
            names = [shown.name for shown in text_units(quantity(key).unit)]
            if wanted not in names and len(names) > 1:
                names.insert(0, "")  # not said: it is asked
            unit.addItems(names)
            unit.setCurrentIndex(max(unit.findText(wanted), 0))
        unit.setEnabled(bool(key))
        unit.blockSignals(False)

    def _retied(self, what: QComboBox, unit: QComboBox) -> None:
        self._fill_units(what, unit, unit.currentText())
        self.changed.emit()
