"""The ways to estimate a gap that were found: by what, how far off, what they cover."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QRadioButton, QWidget

from gezeiten.desk.field.estimating import Way
from gezeiten.desk.field.gaps import BookedGap
from gezeiten.ui.parts.widgets import label, rule
from gezeiten.ui.shell.i18n import number, tr
from gezeiten.ui.shell.units import Units

MOST_SHOWN = 3
"""The best of them; more would push the picture out of sight."""


class WaysRows(QObject):
    """Rows of a grid below others. chosen: the way whose button was pressed."""

    chosen = Signal(object)

    def __init__(self, grid: QGridLayout, first_row: int) -> None:
        super().__init__()
        self._grid, self._first = grid, first_row
        self._shown: list[QWidget] = []
        self.buttons: list[tuple[Way, QRadioButton]] = []
        self.group = QButtonGroup(self)

    def show_words(self, words: str) -> None:
        """Show a sentence instead of ways."""
        self._clear()
        if words:
            self._put(label(words, "muted", wrap=True), 0, 0, 4)

    def show_ways(
        self, ways: list[Way], booked: BookedGap, units: Units, *, is_settled: bool
    ) -> None:
        """Show the best ways, and why others cannot serve."""
        self._clear()
        serving = [way for way in ways if not way.refusal][:MOST_SHOWN]
        for i, way in enumerate(serving):
            self._add(2 * i, way, booked, units, is_settled=is_settled)
        refused = dict.fromkeys(f"{tr(way.name)}: {tr(way.refusal)}" for way in ways if way.refusal)
        if refused:
            self._put(label(" · ".join(refused), "muted", wrap=True), 2 * len(serving), 0, 4)

    def _add(self, at: int, way: Way, booked: BookedGap, units: Units, *, is_settled: bool) -> None:
        radio = QRadioButton(tr("Estimate"))
        radio.setAccessibleName(tr("Estimate %1").replace("%1", tr(way.name)))
        radio.setEnabled(not is_settled)
        radio.toggled.connect(lambda on: self.chosen.emit(way) if on else None)
        self.group.addButton(radio)
        self.buttons.append((way, radio))
        errors = "\n".join(units.error(booked.point, key, one.rmse) for key, one in way.of.items())
        how = tr(way.name)
        if way.is_sure:
            how += " · " + tr("does better than a straight line")
        if way.is_beyond:
            how += " · " + tr("beyond what was known, no band is promised")
        many = min(len(one.fill) for one in way.of.values())
        covers = tr("%1 of %2").replace("%2", number(booked.gap.missing))
        cells = (label(how, wrap=True), label(errors), label(covers.replace("%1", number(many))))
        for j, cell in enumerate((radio, *cells)):
            self._put(cell, at, j)
        self._put(rule(), at + 1, 0, 4)

    def check(self, wanted: Way | None) -> None:
        """Show which way is chosen, without telling anybody; None for none of them."""
        self.group.setExclusive(False)
        for way, radio in self.buttons:
            radio.blockSignals(True)
            radio.setChecked(way is wanted)
            radio.blockSignals(False)
        self.group.setExclusive(True)

    def _put(self, part: QWidget, at: int, column: int, wide: int = 1) -> None:
        self._grid.addWidget(part, self._first + at, column, 1, wide)
        self._shown.append(part)

    def _clear(self) -> None:
        for part in self._shown:
            self._grid.removeWidget(part)
            part.deleteLater()
        self.buttons, self._shown = [], []
